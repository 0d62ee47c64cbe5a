"""Figures as people read them."""

from django import template

from recitant_words.sentences import gain_text, signed

register = template.Library()
register.filter("signed", signed)
register.filter("gain", gain_text)


@register.filter
def khz(rate_hz: int) -> str:
    """A rate in kHz, without needless digits: 48, 44.1."""
    return f"{rate_hz / 1000:g}"


@register.filter
def clock(samples: int) -> str:
    """Minutes and seconds of a length in samples."""
    seconds = samples // 48_000
    return f"{seconds // 60}:{seconds % 60:02d}"


@register.filter
def clock_tenths(samples: int) -> str:
    """Minutes, seconds and tenths of a place in samples."""
    tenths = samples // 4_800
    return f"{tenths // 600}:{tenths // 10 % 60:02d}.{tenths % 10}"


@register.filter
def minus(level: float, other: float) -> float:
    """The difference of two levels."""
    return level - other
