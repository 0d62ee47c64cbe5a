"""What a fit will come to, from figures known already: at once, before the exact trials."""

from dataclasses import dataclass

from recitant_core.delivery.fitting.search import MOST_LIMITING_DB
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Master
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.level import SILENCE


@dataclass(frozen=True)
class Prediction:
    """The gain a mix needs, and how far its highest peak will stand over the ceiling then."""

    gain_db: float
    peak_over_db: float | None
    """None while the highest peak is not known."""
    short_term_over_lu: float
    master: Master

    @property
    def is_likely(self) -> bool:
        """Whether the fit will probably reach its target."""
        return (self.peak_over_db or 0.0) <= MOST_LIMITING_DB and self.short_term_over_lu <= 0.0


def predict(
    readings: Readings, spec: Spec, layout: ChannelLayout, dialogue_lufs: float | None = None
) -> Prediction | None:
    """Predicted fit of a mix on a bus of a layout, from its figures; None for silence or a mix too short."""
    is_anchored = spec.anchor is Anchor.DIALOGUE and dialogue_lufs is not None
    now = dialogue_lufs if is_anchored else readings.integrated_lufs
    if now is None or now == SILENCE:
        return None
    gain_db = spec.target_for(layout.n_channels) - now
    ceiling_dbtp = spec.fit_ceiling_dbtp
    over_db = readings.true_peak_dbtp + gain_db - ceiling_dbtp
    loudest = readings.max_short_term_lufs
    short_over = 0.0
    if spec.max_short_term_lufs is not None and loudest is not None:
        short_over = loudest + gain_db - spec.max_short_term_lufs
    master = Master(gain_db, ceiling_dbtp if over_db > 0.0 else None)
    peak_over_db = None if readings.true_peak_dbtp == SILENCE else max(0.0, over_db)
    return Prediction(gain_db, peak_over_db, max(0.0, short_over), master)
