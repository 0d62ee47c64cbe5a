"""The one shape of audio, and the doors that check it."""

import numpy as np
import numpy.typing as npt

from recitant_core.errors import ShapeError

Audio = npt.NDArray[np.float32]
"""float32, C order, (frames, channels); mono is (n, 1)."""
FloatArray = npt.NDArray[np.float64]


def require_audio(audio: Audio, n_channels: int | None = None) -> None:
    """Nothing, if this is audio: float32 (frames, channels).

    Raises:
        ShapeError: not float32, not two-dimensional, or not of ``n_channels`` channels.
    """
    if audio.dtype != np.float32 or audio.ndim != 2:
        raise ShapeError("not_audio", dtype=str(audio.dtype), shape=audio.shape)
    if n_channels is not None and audio.shape[1] != n_channels:
        raise ShapeError("wrong_channels", expected=n_channels, found=audio.shape[1])
