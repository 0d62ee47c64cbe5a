"""Figures as people read them."""

from django import template

from recitant_io.words import gain_text, signed

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
