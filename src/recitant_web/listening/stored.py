"""Energies of rendered stems, kept as files under the hash of the plan."""

from pathlib import Path
from typing import Final

from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role
from recitant_io.store.stem_levels import keep_stem_levels, kept_summary, stem_levels
from recitant_web.shared.caches import Cache
from recitant_web.shared.media import fetched, keep, media_path

_FOLDER: Final = "stem-levels"
_summaries: Cache[MixSummary] = Cache("summaries of mixes", 64_000_000, lambda summary: 16 * len(summary.peaks))
_stems: Cache[dict[Role, FloatArray]] = Cache("stem energies", 128_000_000)


def rendered_stems(key: str) -> dict[Role, FloatArray] | None:
    """10 ms energies of the stems of a plan as rendered, float64 (hops,) each; None until they were.

    Args:
        key: of the plan.
    """
    found = _stems.get(key)
    if found is None:
        found = stem_levels(_folder_with(key), key)
        if found is not None:
            _stems.put(key, found)
    return found


def mix_summary(key: str) -> MixSummary | None:
    """The summary of the mix of a plan as rendered; None until it was."""
    found = _summaries.get(key)
    if found is None:
        found = kept_summary(_folder_with(key), key)
        if found is not None:
            _summaries.put(key, found)
    return found


def keep_rendered(key: str, stems: dict[Role, FloatArray], summary: MixSummary) -> None:
    """Keep what the stems and the mix of a plan came to.

    Raises:
        StorageFull: no room.
    """
    keep_stem_levels(media_path(_FOLDER), key, stems, summary)
    keep(f"{_FOLDER}/{key}.npz")


def _folder_with(key: str) -> Path:
    return fetched(f"{_FOLDER}/{key}.npz").parent
