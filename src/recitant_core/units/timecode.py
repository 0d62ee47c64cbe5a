"""Timecode and picture frame rates, for the edges: what a person reads and what files carry.

Source: SMPTE ST 12-1 (frame count and drop-frame rule).
Held to: tests/conformance/test_st12_timecode.py
"""

from fractions import Fraction
from typing import Final

from recitant_core.errors import RangeError
from recitant_core.units.clock import RATE_HZ

FRAME_RATES: Final[dict[str, Fraction]] = {
    "23.976": Fraction(24_000, 1_001),
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": Fraction(30_000, 1_001),
    "29.97df": Fraction(30_000, 1_001),
    "30": Fraction(30),
    "50": Fraction(50),
    "59.94": Fraction(60_000, 1_001),
    "59.94df": Fraction(60_000, 1_001),
    "60": Fraction(60),
}
"""Frame rates by the name a person picks; ``df`` counts with dropped numbers."""


def frame_rate(name: str) -> Fraction:
    """Frames a second of a named rate.

    Raises:
        RangeError: no rate has this name.
    """
    if name not in FRAME_RATES:
        raise RangeError("unknown_frame_rate", name=name, known=list(FRAME_RATES))
    return FRAME_RATES[name]


def timecode_from_samples(at_samples: int, rate_name: str) -> str:
    """Timecode of the picture frame that holds this sample; a semicolon marks drop frame.

    Args:
        at_samples: place on the 48 kHz clock, >= 0.
        rate_name: a key of FRAME_RATES.

    Raises:
        RangeError: unknown rate or a negative place.

    >>> timecode_from_samples(48_000 * 60, "29.97df")
    '00:00:59;28'
    """
    rate = frame_rate(rate_name)
    if at_samples < 0:
        raise RangeError("negative_time", at_samples=at_samples)
    video_frame = at_samples * rate.numerator // (rate.denominator * RATE_HZ)
    per_second = round(rate)
    is_drop = rate_name.endswith("df")
    if is_drop:
        video_frame += _dropped_numbers(video_frame, per_second)
    frames = video_frame % per_second
    seconds = video_frame // per_second
    mark = ";" if is_drop else ":"
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{frames:02d}"


def frames_from_samples(length_samples: int, rate_name: str) -> float:
    """Length in frames of the picture, with its sign.

    Raises:
        RangeError: unknown rate.
    """
    rate = frame_rate(rate_name)
    return length_samples * rate.numerator / (rate.denominator * RATE_HZ)


def samples_from_timecode(text: str, rate_name: str) -> int:
    """First sample of the picture frame that a timecode names; ``:``, ``;`` and ``.`` all part its numbers.

    Shorter forms count from the right: "12:10" is second 12, frame 10; a lone number is frames.

    Args:
        text: as a person types it, or as a file carries it.
        rate_name: a key of FRAME_RATES.

    Raises:
        RangeError: not a timecode, a frame number the rate does not have, or a number that drop frame leaves out.

    >>> samples_from_timecode("00:01:00;02", "29.97df")
    2882880
    """
    rate = frame_rate(rate_name)
    parts = text.strip().replace(";", ":").replace(".", ":").replace(",", ":").split(":")
    if not 1 <= len(parts) <= 4 or not all(part.isascii() and part.isdecimal() and len(part) < 8 for part in parts):
        raise RangeError("not_a_timecode", found=text[:40])
    hours, minutes, seconds, frames = [0] * (4 - len(parts)) + [int(part) for part in parts]
    per_second = round(rate)
    is_whole = len(parts) > 1
    if is_whole and (frames >= per_second or seconds >= 60 or (minutes >= 60 and len(parts) > 3)):
        raise RangeError("not_a_timecode", found=text[:40])
    total_minutes = hours * 60 + minutes
    video_frame = (total_minutes * 60 + seconds) * per_second + frames
    if rate_name.endswith("df") and is_whole:
        dropped = per_second // 15
        if seconds == 0 and frames < dropped and total_minutes % 10:
            raise RangeError("dropped_timecode", found=text[:40])
        # ST 12-1: the numbers left out before this one are no frames.
        video_frame -= dropped * (total_minutes - total_minutes // 10)
    return -(-video_frame * rate.denominator * RATE_HZ // rate.numerator)


def _dropped_numbers(video_frame: int, per_second: int) -> int:
    # ST 12-1: numbers 0 and 1 (0 to 3 at 60) are left out at every minute but the tens.
    dropped = per_second // 15
    per_minute = per_second * 60 - dropped
    per_ten_minutes = per_minute * 10 + dropped
    tens, rest = divmod(video_frame, per_ten_minutes)
    minutes = max(0, rest - dropped) // per_minute
    return dropped * (9 * tens + minutes)
