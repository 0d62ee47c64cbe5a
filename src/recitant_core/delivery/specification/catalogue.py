"""The specifications that ship: published limits, each with its source."""

from typing import Final

from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.errors import UnknownSpec

CATALOGUE: Final[tuple[Spec, ...]] = (
    Spec("ebu-r128", "EBU R 128", "EBU R 128", -23.0, 0.5, -1.0),
    Spec(
        "ebu-r128-s1",
        "EBU R 128 s1, short form",
        "EBU R 128 s1, advertisements and promos",
        -23.0,
        0.5,
        -1.0,
        max_short_term_lufs=-18.0,
    ),
    Spec(
        "atsc-a85",
        "ATSC A/85",
        "ATSC A/85",
        -24.0,
        2.0,
        -2.0,
        note="Short form and whatever has no dialogue: measured over the whole programme.",
    ),
    Spec(
        "atsc-a85-long",
        "ATSC A/85, long form",
        "ATSC A/85, anchor element",
        -24.0,
        2.0,
        -2.0,
        anchor=Anchor.DIALOGUE,
        is_from_memory=True,
        note="Measured while somebody speaks.",
    ),
    Spec("arib-tr-b32", "ARIB TR-B32", "ARIB TR-B32", -24.0, 1.0, -1.0, is_from_memory=True),
    Spec("op-59", "Free TV OP-59", "Free TV Australia OP-59", -24.0, 1.0, -2.0, is_from_memory=True),
    Spec(
        "stream-dialogue-27",
        "Subscription streaming",
        "Common practice of subscription streaming",
        -27.0,
        2.0,
        -2.0,
        anchor=Anchor.DIALOGUE,
        is_from_memory=True,
        note="Measured while somebody speaks.",
    ),
    Spec(
        "aes-td1008-speech",
        "AES TD1008, speech",
        "AES TD1008, speech-led streaming",
        -18.0,
        1.0,
        -1.0,
        is_from_memory=True,
    ),
    Spec(
        "online-14",
        "Online video",
        "Common practice, online video",
        -14.0,
        1.0,
        -1.0,
        note="Platforms turn louder mixes down.",
    ),
    Spec(
        "podcast-16",
        "Podcast",
        "Common practice, podcasts",
        -16.0,
        1.0,
        -1.0,
        mono_target_lufs=-19.0,
    ),
)
DEFAULT_SPEC_ID: Final = "ebu-r128"
_BY_ID: Final = {spec.spec_id: spec for spec in CATALOGUE}


def spec_by_id(spec_id: str) -> Spec:
    """The specification of this id.

    Raises:
        UnknownSpec: there is none; carries the known ids.
    """
    if spec_id not in _BY_ID:
        raise UnknownSpec("unknown_spec", spec_id=spec_id, known=sorted(_BY_ID))
    return _BY_ID[spec_id]
