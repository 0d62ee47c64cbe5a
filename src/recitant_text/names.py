"""Names that things are made with; from then on a name is data, and whoever works can change it."""

from typing import Final

SENT_SOUNDS: Final = "From dialogue"
"""Of the track that gets sounds sent out of dialogue."""
TONE_OVER_WORDS: Final = "tone over words"
"""Of a recording and its clip."""


def room_tone_of(recording: str) -> str:
    """Name of room tone that is made out of a recording."""
    return f"room tone of {recording}"


def source_as_changed(spec: str) -> str:
    """Source of the figures of a specification that began as a copy of a published one."""
    return f"As {spec}, changed here"
