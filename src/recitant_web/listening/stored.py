"""Energies of rendered stems, kept as files under the hash of the plan."""

from pathlib import Path

from django.conf import settings

from recitant_core.delivery.outline import MixOutline
from recitant_core.timeline.model import Role
from recitant_core.units.arrays import FloatArray
from recitant_io.stem_levels import kept_outline, stem_levels
from recitant_web.shared.caches import Cache

_outlines: Cache[MixOutline] = Cache("outlines of mixes", 64_000_000, lambda outline: 16 * len(outline.peaks))
_stems: Cache[dict[Role, FloatArray]] = Cache("stem energies", 128_000_000)


def rendered_stems(key: str) -> dict[Role, FloatArray] | None:
    """10 ms energies of the stems of a plan as rendered, float64 (hops,) each; None until they were.

    Args:
        key: of the plan.
    """
    found = _stems.get(key)
    if found is None:
        found = stem_levels(stem_levels_folder(), key)
        if found is not None:
            _stems.put(key, found)
    return found


def mix_outline(key: str) -> MixOutline | None:
    """The outline of the mix of a plan as rendered; None until it was."""
    found = _outlines.get(key)
    if found is None:
        found = kept_outline(stem_levels_folder(), key)
        if found is not None:
            _outlines.put(key, found)
    return found


def stem_levels_folder() -> Path:
    """Where the energies of rendered stems are kept."""
    return Path(settings.MEDIA_ROOT) / "stem-levels"
