"""Captions as a track of a film: timed text in MP4 and QuickTime, WebVTT in Matroska and WebM.

Source: 3GPP TS 26.245 (timed text: two bytes of length before the text); the WebVTT mapping of Matroska. Held to:
tests/io/test_film.py
"""

import html
from collections.abc import Sequence
from fractions import Fraction
from typing import Any, Final

import av

from recitant_core.captions.rules import Cue
from recitant_core.units.clock import RATE_HZ

CODINGS: Final = {"mp4": "mov_text", "mov": "mov_text", "matroska": "webvtt", "webm": "webvtt"}
"""Of captions, by the name of the container as FFmpeg has it."""
_TICKS: Final = 1_000


class CaptionTrack:
    """Captions under way. Implements FilmTrack."""

    def __init__(self, film: Any, cues: Sequence[Cue], offset_samples: int, length_samples: int, language: str) -> None:
        """
        Args:
            film: the container that is written (PyAV).
            cues: in programme time, in order.
            offset_samples: where the picture's first frame lies in the programme.
            length_samples: of the picture.
            language: three letters after ISO 639-2.
        """
        self._film = film
        self._coding = CODINGS[film.format.name]
        self._stream = film.add_mux_stream(self._coding)
        self._stream.time_base = Fraction(1, _TICKS)
        self._stream.metadata["language"] = language
        self._waiting = [
            cue for cue in (_shown(one, offset_samples, length_samples) for one in cues) if cue is not None
        ]

    def write_until(self, at_s: Fraction) -> None:
        """Write captions that begin before a time of the picture."""
        while self._waiting and Fraction(self._waiting[0].start_sample, RATE_HZ) < at_s:
            self._write(self._waiting.pop(0))

    def finish(self) -> None:
        """Write what is left."""
        while self._waiting:
            self._write(self._waiting.pop(0))

    def _write(self, cue: Cue) -> None:
        if self._coding == "mov_text":
            text = cue.text.encode()
            data = len(text).to_bytes(2, "big") + text
        else:
            data = html.escape(cue.text, quote=False).encode()
        packet = av.Packet(data)
        packet.stream = self._stream
        packet.time_base = Fraction(1, _TICKS)
        packet.pts = packet.dts = _ticks(cue.start_sample)
        packet.duration = _ticks(cue.end_sample) - _ticks(cue.start_sample)
        self._film.mux(packet)


def _shown(cue: Cue, offset_samples: int, length_samples: int) -> Cue | None:
    start = max(0, cue.start_sample - offset_samples)
    end = min(length_samples, cue.end_sample - offset_samples)
    return Cue(start, end, cue.text) if end > start and cue.text.strip() else None


def _ticks(at_sample: int) -> int:
    return round(Fraction(at_sample * _TICKS, RATE_HZ))
