"""The published limits, once more and by hand, so that a slip in the catalogue shows."""

import pytest

from recitant_core.delivery.specification.catalogue import CATALOGUE, spec_by_id
from recitant_core.errors import UnknownSpec

LIMITS = {
    "ebu-r128": (-23.0, 0.5, -1.0),  # EBU R 128
    "ebu-r128-s1": (-23.0, 0.5, -1.0),  # EBU R 128 s1
    "atsc-a85": (-24.0, 2.0, -2.0),  # ATSC A/85
    "atsc-a85-long": (-24.0, 2.0, -2.0),  # (memory)
    "arib-tr-b32": (-24.0, 1.0, -1.0),  # (memory)
    "op-59": (-24.0, 1.0, -2.0),  # (memory)
    "stream-dialogue-27": (-27.0, 2.0, -2.0),  # (memory)
    "aes-td1008-speech": (-18.0, 1.0, -1.0),  # (memory)
    "online-14": (-14.0, 1.0, -1.0),  # common practice
    "podcast-16": (-16.0, 1.0, -1.0),  # common practice
}


def test_every_limit():
    found = {s.spec_id: (s.target_lufs, s.tolerance_lu, s.max_true_peak_dbtp) for s in CATALOGUE}
    assert found == LIMITS


def test_the_rest():
    assert spec_by_id("ebu-r128-s1").max_short_term_lufs == -18.0  # EBU R 128 s1
    assert spec_by_id("podcast-16").target_for(1) == -19.0  # common practice
    with pytest.raises(UnknownSpec):
        spec_by_id("louder")
