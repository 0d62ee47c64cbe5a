"""What channels mean: layouts, their weights in loudness, and how each is heard from two loudspeakers."""

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np

from recitant_core.errors import UnsupportedLayout
from recitant_core.units.arrays import FloatArray

SURROUND_WEIGHT: Final = 1.41  # BS.1770 Annex 1, table of weightings: surrounds
HALF_POWER: Final = math.sqrt(0.5)  # -3.01 dB; BS.775: centre and surrounds into two channels

_WEIGHTS: Final = {"L": 1.0, "R": 1.0, "C": 1.0, "LFE": 0.0, "Ls": SURROUND_WEIGHT, "Rs": SURROUND_WEIGHT}
_TO_STEREO: Final = {
    "C": (HALF_POWER, HALF_POWER),
    "L": (1.0, 0.0),
    "R": (0.0, 1.0),
    "Ls": (HALF_POWER, 0.0),
    "Rs": (0.0, HALF_POWER),
    "LFE": (0.0, 0.0),
}


class Routing(StrEnum):
    """Choice of channels of a two-channel recording; other recordings are always used as recorded."""

    AS_RECORDED = "as-recorded"
    FIRST = "first"
    SECOND = "second"
    SUM = "sum"
    SWAPPED = "swapped"


@dataclass(frozen=True)
class ChannelLayout:
    """The channels of a signal, in file order."""

    name: str
    channels: tuple[str, ...]

    @property
    def n_channels(self) -> int:
        """Number of channels."""
        return len(self.channels)

    def silence(self, n_frames: int) -> FloatArray:
        """Silence to add to, float64 (frames, channels).

        >>> MONO.silence(2).tolist()
        [[0.0], [0.0]]
        """
        return np.zeros((n_frames, self.n_channels))

    @property
    def front_pair(self) -> tuple[int, int]:
        """Indices of left and right; of mono its one channel twice."""
        return (0, 0) if self.n_channels == 1 else (self.channels.index("L"), self.channels.index("R"))

    def loudness_weights(self) -> FloatArray:
        """Weight of each channel in loudness, float64 (channels,): LFE is left out, surrounds count by 1.5 dB more.

        Source: BS.1770 Annex 1, table of weightings.

        >>> layout_from_count(6).loudness_weights().tolist()
        [1.0, 1.0, 1.0, 0.0, 1.41, 1.41]
        """
        return np.array([_WEIGHTS[channel] for channel in self.channels], dtype=np.float64)

    def stereo_matrix(self, pan: float = 0.0) -> FloatArray:
        """Gain factors of each channel to left and right, float64 (channels, 2).

        Mono is placed with constant power, so that it is as loud in the middle as alone; stereo and wider are
        balanced: the side turned away from is lowered, the other stays. Wider layouts fold down as BS.775 says
        (centre and surrounds by 3 dB, LFE left out).

        Args:
            pan: -1.0 left, 0.0 middle, 1.0 right.
        """
        if self.n_channels == 1:
            angle = (pan + 1.0) * math.pi / 4.0
            return np.array([[math.cos(angle), math.sin(angle)]])
        matrix = np.array([_TO_STEREO[channel] for channel in self.channels], dtype=np.float64)
        matrix[:, 0] *= math.cos(max(0.0, pan) * math.pi / 2.0)
        matrix[:, 1] *= math.cos(max(0.0, -pan) * math.pi / 2.0)
        return matrix

    def routed_matrix(self, routing: Routing, reversed_channels: tuple[int, ...] = (), pan: float = 0.0) -> FloatArray:
        """Gain factors to left and right with some channels left out, joined or inverted; float64 (channels, 2).

        One channel alone keeps the loudness it has in the recording; a sum of two equal ones keeps theirs.

        Args:
            reversed_channels: indices of those whose polarity is turned.
            pan: -1.0 left, 0.0 middle, 1.0 right.
        """
        matrix = self.stereo_matrix(pan)
        if self.n_channels == STEREO.n_channels and routing is not Routing.AS_RECORDED:
            single = MONO.stereo_matrix(pan)
            nothing = np.zeros_like(single)
            match routing:
                case Routing.FIRST:
                    matrix = np.concatenate([single, nothing])
                case Routing.SECOND:
                    matrix = np.concatenate([nothing, single])
                case Routing.SUM:
                    matrix = np.concatenate([single, single]) * HALF_POWER
                case Routing.SWAPPED:
                    # The sides change places before they are balanced.
                    matrix = matrix[::-1].copy()
        signs = np.ones((self.n_channels, 1))
        signs[[channel for channel in reversed_channels if channel < self.n_channels]] = -1.0
        return matrix * signs

    def mono_matrix(self, routing: Routing, reversed_channels: tuple[int, ...] = (), pan: float = 0.0) -> FloatArray:
        """Gain factors of one sum to both loudspeakers, then balanced; float64 (channels, 2).

        Args:
            routing: which channels of a two-channel recording are used; see routed_matrix.
            reversed_channels: indices of those whose polarity is turned.
            pan: -1.0 left, 0.0 middle, 1.0 right.

        >>> STEREO.mono_matrix(Routing.AS_RECORDED).tolist()
        [[0.5, 0.5], [0.5, 0.5]]
        """
        both = self.routed_matrix(routing, reversed_channels)
        downmixed = np.repeat(both.mean(axis=1, keepdims=True), 2, axis=1)
        downmixed[:, 0] *= math.cos(max(0.0, pan) * math.pi / 2.0)
        downmixed[:, 1] *= math.cos(max(0.0, -pan) * math.pi / 2.0)
        return downmixed


MONO: Final = ChannelLayout("mono", ("C",))
STEREO: Final = ChannelLayout("stereo", ("L", "R"))
LAYOUTS: Final = {
    layout.n_channels: layout
    for layout in (
        MONO,
        STEREO,
        ChannelLayout("3.0", ("L", "R", "C")),
        ChannelLayout("quad", ("L", "R", "Ls", "Rs")),
        ChannelLayout("5.0", ("L", "R", "C", "Ls", "Rs")),
        ChannelLayout("5.1", ("L", "R", "C", "LFE", "Ls", "Rs")),
    )
}


def layout_from_count(n_channels: int) -> ChannelLayout:
    """The usual layout of so many channels.

    Raises:
        UnsupportedLayout: there is no agreed one (none, seven, or more than 5.1).
    """
    if n_channels not in LAYOUTS:
        raise UnsupportedLayout("unsupported_layout", n_channels=n_channels)
    return LAYOUTS[n_channels]
