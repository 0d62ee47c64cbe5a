"""Which of the microphones of a recorder file sounds: the recorder's own mix, else the boom, else the clearest speech.

Common practice on set: the mix is what was meant to be heard, the boom is the next best, body microphones are spares.
Held to: tests/core/test_microphones.py
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.timeline.laying import name_stem

_MIX: Final = re.compile(r"(^|[^a-z])mix", re.I)
_BOOM: Final = re.compile(r"(^|[^a-z])(boom|bm|mkh|shotgun)", re.I)
_PARTED: Final = ", "


@dataclass(frozen=True)
class Microphone:
    """A channel of a recorder file."""

    name: str
    """As the recorder has it."""
    speech_to_noise_db: float | None = None
    """None where nobody speaks, or nobody has listened yet."""
    level_lufs: float | None = None


def preferred(microphones: Sequence[Microphone]) -> int:
    """Index of the microphone that sounds.

    Args:
        microphones: at least one, in the order of their channels.
    """
    for pattern in (_MIX, _BOOM):
        named = next((index for index, one in enumerate(microphones) if pattern.search(one.name)), None)
        if named is not None:
            return named

    def clearness(index: int) -> tuple[float, float]:
        one = microphones[index]
        return (
            -1.0 if one.speech_to_noise_db is None else one.speech_to_noise_db,
            -100.0 if one.level_lufs is None else one.level_lufs,
        )

    return max(range(len(microphones)), key=clearness)


def microphone_of(name: str) -> str:
    """Name of the microphone in that of a channel's recording, as Boom of "Boom, T001"; empty where it has none."""
    microphone, parted, _ = name.partition(_PARTED)
    return microphone if parted else ""


def file_of(name: str) -> str:
    """Name of the recorder file in that of a channel's recording; the name itself where it is none."""
    _, parted, file = name.partition(_PARTED)
    return file if parted else name


def scene_of(name: str) -> str:
    """Name of the scene that a channel's recording belongs to: that of its file without the take's number.

    >>> scene_of("Boom, scene 4 take 2")
    'scene 4'
    """
    return name_stem(file_of(name))
