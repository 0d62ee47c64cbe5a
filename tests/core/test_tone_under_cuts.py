"""Room tone under all cuts: gaps, digital silence and jumps of the floor even to a few dB, and nothing else touched."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.errors import EditRefused
from recitant_core.render.mix import render_stems
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.room_tone import covered_samples, gap_at, repeated_tone
from recitant_core.timeline.tone_under_cuts import cover_of, covers_of_track, with_cover
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource

HOP = 480
S = RATE_HZ


def take(noise_dbfs, seconds=12.0, spoken=((2.0, 5.0), (7.0, 10.0)), seed=1, silence=None):
    """A recording with noise, tones for words, and digital silence where asked."""
    rng = np.random.default_rng(seed)
    audio = rng.standard_normal(int(seconds * S)) * 10 ** (noise_dbfs / 20)
    for first, last in spoken:
        t = np.arange(int((last - first) * S)) / S
        audio[int(first * S) : int(last * S)] += 0.1 * np.sin(2 * np.pi * 300 * t)
    if silence is not None:
        audio[int(silence[0] * S) : int(silence[1] * S)] = 0.0
    return audio.astype(np.float32)[:, None], [SpeechSpan(int(a * S), int((b - a) * S), 1.0) for a, b in spoken]


class Stage:
    """One track of takes, its energies and speech."""

    def __init__(self, *takes, starts, gains=None):
        self.sources, self.speech, clips = {}, {}, []
        for index, ((audio, spans), at_s) in enumerate(zip(takes, starts, strict=True)):
            key = f"take {index} {id(self)}"
            self.sources[key], self.speech[key] = MemorySource(key, audio), spans
            gain = 0.0 if gains is None else gains[index]
            clips.append(Clip(str(index), key, int(at_s * S), 0, len(audio), gain))
        self.plan = Plan("t", "25", (Track("1", "voice", Role.DIALOGUE, clips=tuple(clips)),))
        self.energies = {
            key: (one.read(0, one.length_samples // HOP * HOP).astype(float) ** 2).reshape(-1, HOP).sum(axis=1)
            for key, one in self.sources.items()
        }

    @property
    def found(self):
        return covers_of_track(self.plan.tracks[0], self.energies, self.speech)

    def covered(self):
        plan, sources = self.plan, dict(self.sources)
        for index, cover in enumerate(self.found.covers):
            stretch, length = cover.stretch, covered_samples(cover.gap)
            quiet = sources[stretch.model.source_key].read(stretch.span.start_sample, stretch.span.length_samples)
            key = f"tone {index} {id(self)}"
            sources[key] = MemorySource(key, repeated_tone(quiet, length))
            plan = with_cover(plan, cover, key, 0, f"new-{index}")
        return plan, sources

    def floors_db(self, plan, sources, places_s):
        audio = render_stems(plan, sources, plan.span)[Role.DIALOGUE][:, 0]
        return [10 * np.log10((audio[int(at * S) : int(at * S) + S // 10] ** 2).mean() * 2 + 1e-20) for at in places_s]


def jumps(floors):
    return np.abs(np.diff(floors)).max()


def test_gaps_between_noisy_takes_are_covered_at_the_level_of_both_edges():
    stage = Stage(take(-58.0), take(-50.0, seed=2), starts=(0.0, 15.0))
    places = (11.5, 12.3, 13.4, 14.6, 15.4)
    assert jumps(stage.floors_db(stage.plan, stage.sources, places)) > 80.0
    plan, sources = stage.covered()
    assert jumps(stage.floors_db(plan, sources, places)) < 4.0
    assert len(plan.tracks[0].clips) == 3 and plan.tracks[0].clips[:2] == stage.plan.tracks[0].clips


def test_the_gains_of_clips_count():
    stage = Stage(take(-58.0), take(-58.0, seed=2), starts=(0.0, 15.0), gains=(6.0, -3.0))
    plan, sources = stage.covered()
    assert jumps(stage.floors_db(plan, sources, (11.5, 12.3, 13.4, 14.6, 15.4))) < 4.0


def test_digital_silence_inside_a_clip_is_covered():
    stage = Stage(take(-55.0, silence=(5.1, 6.9)), starts=(0.0,))
    places = (1.8, 5.3, 6.0, 6.7, 10.4)
    assert jumps(stage.floors_db(stage.plan, stage.sources, places)) > 80.0
    plan, sources = stage.covered()
    assert jumps(stage.floors_db(plan, sources, places)) < 3.0


def test_a_jump_of_the_floor_at_a_cut_becomes_a_slope_either_way():
    for levels in ((-50.0, -64.0), (-64.0, -50.0)):
        stage = Stage(take(levels[0]), take(levels[1], seed=2), starts=(0.0, 12.0))
        places = tuple(np.arange(10.2, 13.9, 0.1))
        assert jumps(stage.floors_db(stage.plan, stage.sources, places)) > 10.0
        plan, sources = stage.covered()
        assert jumps(stage.floors_db(plan, sources, places)) < 6.0


def test_words_are_left_as_they_are():
    stage = Stage(take(-58.0), take(-50.0, seed=2), starts=(0.0, 15.0))
    plan, sources = stage.covered()
    for at in (3.0, 8.0, 18.0, 23.0):
        span = SampleSpan(int(at * S), S)
        before = render_stems(stage.plan, stage.sources, span)[Role.DIALOGUE]
        assert np.array_equal(render_stems(plan, sources, span)[Role.DIALOGUE], before)


def test_done_again_it_finds_nothing_new():
    stage = Stage(take(-58.0, silence=(5.1, 6.9)), take(-50.0, seed=2), starts=(0.0, 15.0))
    plan, sources = stage.covered()
    energies = stage.energies | {
        key: (one.read(0, one.length_samples // HOP * HOP).astype(float) ** 2).reshape(-1, HOP).sum(axis=1)
        for key, one in sources.items()
    }
    assert covers_of_track(plan.tracks[0], energies, stage.speech).covers == ()


def test_gaps_between_scenes_even_takes_and_clean_recordings_are_left():
    assert Stage(take(-58.0), take(-58.0, seed=2), starts=(0.0, 25.0)).found.covers == ()
    assert Stage(take(-58.0), take(-57.0, seed=2), starts=(0.0, 12.0)).found.covers == ()
    assert Stage(take(-95.0), take(-95.0, seed=2), starts=(0.0, 15.0)).found.covers == ()


def test_talk_without_a_pause_is_counted_and_said():
    talk = ((0.0, 12.0),)
    stage = Stage(take(-50.0, spoken=talk), take(-50.0, spoken=talk, seed=2), starts=(0.0, 15.0))
    assert stage.found.covers == () and stage.found.n_without_tone == 1
    with pytest.raises(EditRefused, match="no_room_tone"):
        cover_of(gap_at(stage.plan, "1", 13 * S), stage.energies, stage.speech)


def test_clips_out_of_the_mix_are_not_looked_at():
    stage = Stage(take(-58.0), take(-50.0, seed=2), starts=(0.0, 15.0))
    track = stage.plan.tracks[0]
    out = replace(track, clips=(track.clips[0], replace(track.clips[1], is_out=True)))
    assert covers_of_track(out, stage.energies, stage.speech).covers == ()
