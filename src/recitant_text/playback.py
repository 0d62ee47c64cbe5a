"""Ways in which a mix can be heard, in words."""

from typing import Final

from recitant_text.platforms import PLATFORM_WORDS
from recitant_text.sentences import signed

PLAYBACK_WORDS: Final = {
    "small loudspeakers": {
        "phone": "a phone",
        "television": "a television",
        "kitchen-radio": "a kitchen radio, mono",
    },
    "after a codec": {"codec-96": "AAC at 96 kbit/s"},
    "as it is passed on": PLATFORM_WORDS,
}
"""By kind: the name of a way, as addresses carry it, and its words."""
_LEAST_DB: Final = 0.05


def playback_sentence(came_db: float | None, matched_db: float, mono_db: float | None) -> str:
    """Sentence on the loudness of a way of playing back, and on its match.

    Args:
        came_db: by how much it is louder than the mix; None where that cannot be measured.
        matched_db: gain that makes up for it.
        mono_db: what adding both sides up does to the loudness; None where it keeps both.
    """
    if came_db is None:
        return "Too quiet here to be compared."
    if abs(came_db) < _LEAST_DB:
        words = "As loud as the mix"
    else:
        words = f"{signed(abs(came_db))} LU {'louder' if came_db > 0 else 'quieter'} than the mix"
        if abs(matched_db) >= _LEAST_DB:
            words += f", turned {'up' if matched_db > 0 else 'down'} by {signed(abs(matched_db))} dB to match"
    if mono_db is not None and mono_db <= -_LEAST_DB:
        words += f"; both sides in one take {signed(-mono_db)} LU"
    return words + "."
