"""The sample clock: every time in the core is a whole number of samples at 48 kHz from programme start."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

from recitant_core.errors import RangeError

RATE_HZ: Final = 48_000
HOPS_PER_SECOND: Final = 100
HOP_SAMPLES: Final = RATE_HZ // HOPS_PER_SECOND
"""10 ms: the step of energies and of everything that is read from them."""


def samples_from_s(time_s: float | Fraction) -> int:
    """Nearest sample of a time in seconds, halves to even.

    >>> samples_from_s(0.5)
    24000
    """
    return round(Fraction(time_s) * RATE_HZ)


def s_from_samples(samples: int) -> float:
    """Seconds of a number of samples.

    >>> s_from_samples(72_000)
    1.5
    """
    return samples / RATE_HZ


@dataclass(frozen=True, order=True)
class SampleSpan:
    """A half-open stretch of the sample clock.

    Raises:
        RangeError: the length is negative.
    """

    start_sample: int
    length_samples: int

    def __post_init__(self) -> None:
        if self.length_samples < 0:
            raise RangeError("negative_span", length_samples=self.length_samples)

    @property
    def end_sample(self) -> int:
        """The first sample after the span."""
        return self.start_sample + self.length_samples

    def intersect(self, other: "SampleSpan") -> "SampleSpan | None":
        """The part that both spans cover; None where there is none.

        >>> SampleSpan(0, 100).intersect(SampleSpan(60, 100))
        SampleSpan(start_sample=60, length_samples=40)
        >>> SampleSpan(0, 100).intersect(SampleSpan(100, 5)) is None
        True
        """
        start = max(self.start_sample, other.start_sample)
        end = min(self.end_sample, other.end_sample)
        return SampleSpan(start, end - start) if end > start else None

    def widen(self, before_samples: int, after_samples: int) -> "SampleSpan":
        """The span with this much more on each side; it may begin before 0.

        >>> SampleSpan(10, 5).widen(20, 1)
        SampleSpan(start_sample=-10, length_samples=26)
        """
        return SampleSpan(self.start_sample - before_samples, self.length_samples + before_samples + after_samples)

    def blocks(self, of_samples: int) -> "Iterator[SampleSpan]":
        """The span cut into pieces of ``of_samples``, the last one as long as it comes.

        >>> [(part.start_sample, part.length_samples) for part in SampleSpan(5, 10).blocks(4)]
        [(5, 4), (9, 4), (13, 2)]
        """
        for start in range(self.start_sample, self.end_sample, of_samples):
            yield SampleSpan(start, min(of_samples, self.end_sample - start))
