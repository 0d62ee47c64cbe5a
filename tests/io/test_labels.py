"""Tags and covers: read back by FFmpeg, sound and its place untouched, what is no cover refused."""

import av
import numpy as np
import pytest

from recitant_core.errors import PlanError
from recitant_io.formats.codecs import CODECS, decoded_blocks, encode
from recitant_io.media.labels import MOST_COVER_BYTES, TAGS, Labels, cover_from_bytes, cover_from_file
from signals import programme
from signals.films import still

TEXTS = {
    "title": "Casting the Tenor",
    "artist": "Foundry Films",
    "album": "Bells",
    "date": "2026",
    "comment": "Episode 3",
}
HOLDING = [name for name, codec in CODECS.items() if codec.holds_labels]


@pytest.mark.parametrize("coding", ["mjpeg", "png"])
@pytest.mark.parametrize("name", HOLDING)
def test_players_find_tags_and_cover_and_hear_the_same(tmp_path, name, coding):
    codec, audio, data = CODECS[name], programme(3, 2.0), still(coding)
    plain, labelled = tmp_path / f"plain{codec.suffix}", tmp_path / f"labelled{codec.suffix}"
    encode([audio], plain, codec, 2)
    encode([audio], labelled, codec, 2, labels=Labels(TEXTS, cover_from_bytes(data, "cover")))
    with av.open(str(labelled)) as file:
        found = {key.lower(): text for key, text in {**file.metadata, **file.streams.audio[0].metadata}.items()}
        assert {key: found[key] for key in TAGS} == TEXTS
        (shown,) = [bytes(packet) for packet in file.demux(video=0) if packet.size]
    assert shown == data
    heard = [np.concatenate(list(decoded_blocks(path))) for path in (plain, labelled)]
    assert np.array_equal(*heard)


def test_a_file_that_holds_no_labels_is_written_without(tmp_path):
    labels = Labels(TEXTS, cover_from_bytes(still(), "cover"))
    encode([programme(3, 1.0)], tmp_path / "a.ac3", CODECS["ac3"], 2, labels=labels)
    with av.open(str(tmp_path / "a.ac3")) as file:
        assert len(file.streams) == 1


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"", "not_a_cover"),
        (b"GIF89a" + bytes(40), "not_a_cover"),
        (b"\xff\xd8\xff" + bytes(40), "not_a_cover"),
        (still()[:200], "not_a_cover"),
        (bytes(MOST_COVER_BYTES + 1), "cover_too_large"),
        (still("png", 4_100), "cover_too_wide"),
    ],
)
def test_what_is_no_cover_is_refused(tmp_path, data, code):
    with pytest.raises(PlanError, match=code):
        cover_from_bytes(data, "cover.jpg")
    (tmp_path / "cover.jpg").write_bytes(data)
    with pytest.raises(PlanError, match=code):
        cover_from_file(tmp_path / "cover.jpg")


def test_a_cover_that_is_not_there_is_refused(tmp_path):
    with pytest.raises(PlanError, match="no_cover_file"):
        cover_from_file(tmp_path / "none.jpg")
