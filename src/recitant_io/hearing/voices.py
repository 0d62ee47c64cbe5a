"""Vectors of voices by a packaged model: its weights are read from the file of the package, without the package's
code."""

import io
import pickle
from collections import OrderedDict
from collections.abc import Sequence
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any, Final, NamedTuple

import numpy as np
import soxr

from recitant_core.errors import WordsUnavailable
from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.speakers.encoder import RATE_HZ as MODEL_RATE_HZ
from recitant_core.speakers.encoder import WINDOW_FRAMES, EncoderWeights, Layer, Single, mel_energies, vectors_of
from recitant_core.transcript.hearing import mono_of
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.threads import in_order

_LAYERS: Final = 3
_AT_ONCE: Final = 64


class _Tensor(NamedTuple):
    storage: str
    offset: int
    shape: tuple[int, ...]


class _Reader(pickle.Unpickler):
    """Reads a file of tensors without running anything from it: only these names are known."""

    def find_class(self, module: str, name: str) -> Any:
        """Stand-ins for the few names that such a file may hold."""
        known = {
            ("collections", "OrderedDict"): OrderedDict,
            ("torch._utils", "_rebuild_tensor_v2"): lambda storage, offset, shape, *_: _Tensor(storage, offset, shape),
            ("torch", "FloatStorage"): "float32",
        }
        if (module, name) not in known:
            raise pickle.UnpicklingError(f"{module}.{name}")
        return known[module, name]

    def persistent_load(self, pid: Any) -> str:
        """Key of a place among the numbers that follow."""
        return str(pid[2])


@lru_cache(maxsize=1)
def encoder_weights() -> EncoderWeights:
    """Weights of the packaged model.

    Raises:
        WordsUnavailable: the package is not installed, or its file is another.
    """
    found = find_spec("resemblyzer")
    if found is None or not found.submodule_search_locations:
        raise WordsUnavailable("no_voices_model")
    path = Path(next(iter(found.submodule_search_locations))) / "pretrained.pt"
    try:
        tensors = _tensors(path.read_bytes())
        layers = tuple(
            Layer(
                tensors[f"lstm.weight_ih_l{k}"],
                tensors[f"lstm.weight_hh_l{k}"],
                tensors[f"lstm.bias_ih_l{k}"] + tensors[f"lstm.bias_hh_l{k}"],
            )
            for k in range(_LAYERS)
        )
        return EncoderWeights(layers, tensors["linear.weight"], tensors["linear.bias"])
    except (OSError, pickle.UnpicklingError, KeyError, ValueError, EOFError) as error:
        raise WordsUnavailable("no_voices_model") from error


def _tensors(data: bytes) -> dict[str, Single]:
    # The layout of such files before they were archives: four pickles, the keys of the storages, then their numbers.
    stream = io.BytesIO(data)
    for _ in range(3):
        _Reader(stream).load()
    state: dict[str, _Tensor] = _Reader(stream).load()["model_state"]
    keys = _Reader(stream).load()
    places, at = {}, stream.tell()
    for key in keys:
        places[str(key)] = at + 8
        at += 8 + 4 * int(np.frombuffer(data, "<i8", 1, at)[0])
    return {
        name: np.frombuffer(data, "<f4", int(np.prod(t.shape)), places[t.storage] + 4 * t.offset).reshape(t.shape)
        for name, t in state.items()
    }


def voice_vectors(source: SampleSource, spans: Sequence[SampleSpan], progress: Progress = no_progress) -> Single:
    """A unit vector of the voice in each stretch of a recording, float32 (spans, 256).

    Args:
        spans: up to 1.6 s each; a shorter one is heard over and over until it is as long.

    Raises:
        WordsUnavailable: the model is not installed. Cancelled: ``progress`` stopped it.
    """
    weights = encoder_weights()

    def vectors(some: Sequence[SampleSpan]) -> Single:
        mel = np.concatenate([_window(source, span) for span in some])
        return vectors_of(mel, weights, range(0, len(mel), WINDOW_FRAMES))

    pieces = [spans[at : at + _AT_ONCE] for at in range(0, len(spans), _AT_ONCE)]
    found = []
    for one in in_order(vectors, pieces):
        found.append(one)
        progress(len(found) / len(pieces))
    return np.concatenate(found) if found else np.zeros((0, len(weights.out_bias)), np.float32)


def _window(source: SampleSource, span: SampleSpan) -> Single:
    audio = mono_of(source, span).astype(np.float32)
    mel = mel_energies(soxr.resample(audio, RATE_HZ, MODEL_RATE_HZ))
    return np.resize(mel, (WINDOW_FRAMES, mel.shape[1]))
