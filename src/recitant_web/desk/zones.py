"""Zones of the meters."""

from typing import Final

from recitant_web.programme.models import Programme

ZONES: Final = {"quiet_lu": -6.0, "near_lu": 1.0, "loud_lu": 6.0, "peak_dbfs": -6.0}
"""Where the zones of the meters end: LU about the target, and where sample peaks become a warning."""


def zones_of(programme: Programme) -> dict[str, float]:
    """The zones of a programme's meters."""
    return ZONES | programme.meter_zones
