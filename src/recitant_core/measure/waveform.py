"""The outline of a recording: its lowest and highest sample, piece by piece."""

import numba
import numpy as np

from recitant_core.units.arrays import Audio


def extremes(audio: Audio, piece_samples: int) -> Audio:
    """Lowest and highest sample of each channel in each whole piece, float32 (pieces, channels, 2).

    Args:
        audio: float32 (frames, channels); what is left after the last whole piece is not looked at.
        piece_samples: frames of a piece.
    """
    out = np.zeros((len(audio) // piece_samples, audio.shape[1], 2), np.float32)
    _extremes(audio, piece_samples, out)
    return out


@numba.njit(cache=True, nogil=True)
def _extremes(audio, piece_samples, out):  # type: ignore[no-untyped-def]
    for piece in range(len(out)):
        for channel in range(audio.shape[1]):
            low = high = audio[piece * piece_samples, channel]
            for i in range(piece * piece_samples, (piece + 1) * piece_samples):
                low = min(low, audio[i, channel])
                high = max(high, audio[i, channel])
            out[piece, channel, 0] = low
            out[piece, channel, 1] = high
