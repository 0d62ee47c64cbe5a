"""Figures as people read them."""

import json
from datetime import datetime

from django import template
from django.conf import settings

from recitant_core.units.roles import ROLES, Role
from recitant_text.sentences import coding_words, gain_text, signed

register = template.Library()
register.filter("signed", signed)
register.filter("gain", gain_text)


@register.filter
def gone_at(deleted_at: datetime) -> datetime:
    """Time at which something that was deleted is gone for good."""
    return deleted_at + settings.DELETED_KEPT


@register.filter
def khz(rate_hz: int) -> str:
    """A rate in kHz, without needless digits: 48, 44.1."""
    return f"{rate_hz / 1000:g}"


register.filter("coding", coding_words)


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


@register.filter
def of_key(found: dict[str, int], key: str) -> int:
    """Value of a dictionary under a key; 0 where it holds none."""
    return found.get(key, 0)


@register.filter
def as_role(text: str) -> Role | None:
    """A role of its text; None where a recording has none yet."""
    return Role(text) if text else None


@register.filter
def roles_json(own: list[str]) -> str:
    """Roles for the scripts of a page: text, label and letter of the five and of a workspace's own."""
    roles = sorted({*ROLES, *map(Role, own)}, key=lambda role: role.order)
    return json.dumps([[role.value, role.label, role.letter] for role in roles])
