"""What transcription asks of a model."""

from collections.abc import Sequence
from typing import Protocol

from recitant_core.transcript.model import Transcript
from recitant_core.units.arrays import FloatArray


class Transcriber(Protocol):
    """A model that turns sound into words; may be asked from several threads at once."""

    @property
    def name(self) -> str:
        """Name of the model: equal names mean equal words for equal sound."""

    def hear(self, audio: FloatArray, language: str, glossary: Sequence[str]) -> Transcript:
        """Words of a stretch of at most 30 s, their times counted from its first sample.

        Args:
            audio: float64 (frames,), 48 kHz, mono.
            language: ISO 639-1 code; empty to find it out.
            glossary: names and terms that may occur.

        Raises:
            WordsUnavailable: it cannot hear this language.
        """
