"""What the core asks of the layers above it: samples to read, and someone to tell about progress."""

from collections.abc import Callable
from typing import Protocol

from recitant_core.units.arrays import Audio
from recitant_core.units.channels import ChannelLayout

Progress = Callable[[float], None]
"""Called with the share done, 0.0 to 1.0; may raise Cancelled to stop the work."""


class SampleSource(Protocol):
    """One recording at 48 kHz, readable at any place."""

    @property
    def key(self) -> str:
        """A hash of the content: equal keys mean equal samples."""

    @property
    def layout(self) -> ChannelLayout:
        """Meaning of the channels."""

    @property
    def length_samples(self) -> int:
        """Length in samples at 48 kHz."""

    def read(self, start_sample: int, length_samples: int) -> Audio:
        """The samples of a span that lies wholly inside: float32 (length_samples, channels), finite."""


def no_progress(_share: float) -> None:
    """Tell nobody."""
