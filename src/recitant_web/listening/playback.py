"""What is heard through something: small loudspeakers, a codec, the stand-ins of platforms; matched in loudness."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import numpy as np

from recitant_core.delivery.playback.platforms import PLATFORMS
from recitant_core.delivery.playback.playback import (
    LOUDSPEAKERS,
    SETTLE_SAMPLES,
    PlatformGain,
    in_mono,
    platform_gain,
    through_loudspeaker,
    through_platform,
)
from recitant_core.errors import EditRefused
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES
from recitant_core.measure.meter import measure
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import db_from_factor, factor_from_db
from recitant_io.formats.codecs import CODECS, round_trip
from recitant_text.playback import playback_sentence
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache

Render = Callable[[SampleSpan], Audio]
_CODEC: Final = "codec-96"
_CODEC_KBPS: Final = 96
_CODEC_SEGMENT_SAMPLES: Final = 10 * RATE_HZ
_CODEC_EDGE_SAMPLES: Final = RATE_HZ // 2
_PLACE_SAMPLES: Final = 5 * RATE_HZ
_MATCHED_SAMPLES: Final = 15 * RATE_HZ
_MOST_MATCH_DB: Final = 24.0
_MOST_DIGITS: Final = 16
_HEADROOM_DBFS: Final = -0.3  # that a match leaves: raised further, a browser would clip
_SPEAKERS: Final = {speaker.name: speaker for speaker in LOUDSPEAKERS}
_PLATFORMS: Final = {platform.name: platform for platform in PLATFORMS}


@dataclass(frozen=True)
class Through:
    """A way of playing back."""

    name: str
    """Of a loudspeaker or platform, or "codec-96"."""
    at_sample: int = 0
    """Around which its loudness is compared with that of the mix."""
    is_matched: bool = True
    """Whether it is brought to the loudness of the mix."""

    def __post_init__(self) -> None:
        """
        Raises:
            EditRefused: no such way.
        """
        if self.name not in {_CODEC, *_SPEAKERS, *_PLATFORMS}:
            raise EditRefused("no_such_playback")


@dataclass(frozen=True)
class _Match:
    """Loudness of a way of playing back, beside the mix."""

    came_db: float | None
    mono_db: float | None
    gain_db: float
    """That makes up for it."""


class PlayedBack:
    """A mix as it is heard through something; any stretch holds what the same stretch of the whole holds."""

    def __init__(self, through: Through, render: Render, key: Hashable, snapshot: Snapshot, master: Master) -> None:
        """
        Args:
            render: the mix that is played back, in the layout of the snapshot's bus.
            key: of that mix, equal for equal ones.
            master: with which it is heard.
        """
        self._through, self._render, self._key = through, render, key
        self._layout = snapshot.plan.layout
        self._platform: PlatformGain | None = None
        if through.name in _PLATFORMS:
            platform = _PLATFORMS[through.name]
            self._platform = platform_gain(platform, snapshot.summary, snapshot.readings[0], master)
        kept = (key, through.name, through.at_sample // _PLACE_SAMPLES, self._platform)
        self._match = _matches.get_or_make(kept, self._found_match)
        self._gain = np.float32(factor_from_db(self._match.gain_db) if through.is_matched else 1.0)

    def audio(self, span: SampleSpan) -> Audio:
        """Audio as it is played back, float32 (frames, channels)."""
        return self._raw(span) * self._gain

    def sentence(self) -> str:
        """Sentence on its loudness, for the page."""
        match = self._match
        return playback_sentence(match.came_db, match.gain_db if self._through.is_matched else 0.0, match.mono_db)

    def _raw(self, span: SampleSpan) -> Audio:
        name = self._through.name
        if name in _SPEAKERS:
            return through_loudspeaker(self._render(span.widen(SETTLE_SAMPLES, 0)), _SPEAKERS[name])
        if name == _CODEC:
            return self._after_codec(span)
        if self._platform is None or (self._platform.ceiling_dbtp is None and self._platform.turned_db == 0.0):
            return self._render(span)
        return through_platform(self._render(span.widen(BEFORE_SAMPLES, AFTER_SAMPLES)), self._platform)

    def _after_codec(self, span: SampleSpan) -> Audio:
        # Encoded in segments of the programme's own grid: however a listener comes to a place, it sounds the same.
        first, last = (at // _CODEC_SEGMENT_SAMPLES for at in (span.start_sample, span.end_sample - 1))
        parts = [_segments.get_or_make((self._key, i), partial(self._encoded, i)) for i in range(first, last + 1)]
        at = span.start_sample - first * _CODEC_SEGMENT_SAMPLES
        return np.concatenate(parts)[at : at + span.length_samples]

    def _encoded(self, index: int) -> Audio:
        segment = SampleSpan(index * _CODEC_SEGMENT_SAMPLES, _CODEC_SEGMENT_SAMPLES)
        if segment.end_sample <= 0:
            return self._layout.silence(_CODEC_SEGMENT_SAMPLES).astype(np.float32)
        edge = _CODEC_EDGE_SAMPLES
        heard = round_trip(self._render(segment.widen(edge, edge)), CODECS["m4a"], _CODEC_KBPS)
        return heard[edge : edge + _CODEC_SEGMENT_SAMPLES]

    def _found_match(self) -> _Match:
        if self._through.name in _PLATFORMS:
            heard_db = None if self._platform is None else self._platform.heard_db
            return _Match(heard_db, None, 0.0 if heard_db is None else _within(-heard_db))
        place = self._through.at_sample // _PLACE_SAMPLES * _PLACE_SAMPLES
        if self._through.name == _CODEC:
            start = place // _CODEC_SEGMENT_SAMPLES * _CODEC_SEGMENT_SAMPLES
            span = SampleSpan(start, _CODEC_SEGMENT_SAMPLES)
        else:
            span = SampleSpan(max(0, place - _MATCHED_SAMPLES // 2), _MATCHED_SAMPLES)
        mix, heard = self._render(span), self._raw(span)
        came_db = self._louder_db(heard, mix)
        speaker = _SPEAKERS.get(self._through.name)
        mono_db = None
        if speaker is not None and speaker.is_mono:
            mono_db = self._louder_db(in_mono(mix), mix)
        if came_db is None:
            return _Match(None, mono_db, 0.0)
        room_db = _HEADROOM_DBFS - db_from_factor(float(np.abs(heard).max(initial=0.0)))
        return _Match(came_db, mono_db, min(_within(-came_db), max(0.0, room_db)))

    def _louder_db(self, audio: Audio, than: Audio) -> float | None:
        levels = [measure(one, self._layout).integrated_lufs for one in (audio, than)]
        if any(level is None or not np.isfinite(level) for level in levels):
            return None
        return float(levels[0] or 0.0) - float(levels[1] or 0.0)


_matches: Cache[_Match] = Cache("matches of playback", 200_000)
_segments: Cache[Audio] = Cache("segments after a codec", 96_000_000, lambda audio: audio.nbytes)


def _within(gain_db: float) -> float:
    return min(_MOST_MATCH_DB, max(-_MOST_MATCH_DB, gain_db))


def through_from(parameters: Any) -> Through | None:
    """Way of playing back, from the parameters of an address; None for the mix as it is.

    Raises:
        EditRefused: no such way.
    """
    name = parameters.get("through", "")
    if not name:
        return None
    at = parameters.get("through_at", "0")
    at_sample = int(at) if at.isdecimal() and len(at) < _MOST_DIGITS else 0
    return Through(name, at_sample, is_matched=parameters.get("through_level") != "own")
