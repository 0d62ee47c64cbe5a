"""What sounds against what: speech that is to be understood and everything else, by 10 ms hops.

Held to: tests/core/test_ducking_update.py, tests/core/test_narration.py
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np

from recitant_core.gain.duck_rule import Room
from recitant_core.measure.clearance import (
    BoolArray,
    clearance_lu,
    clearance_of_words_lu,
    least_clearance_lu,
    speech_mask,
    window_clearance_lu,
    window_words_power,
    words_power,
)
from recitant_core.render.estimate import duck_gains_db, hops_of, lowered_energy, stems_of_tracks, track_energies
from recitant_core.timeline.model import Duck, Plan, Track
from recitant_core.timeline.speech import SpeechOfSources, Talk, narrated_over, speech_in_programme
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan
from recitant_core.units.remembered import Remembered, fingerprint
from recitant_core.units.roles import Role
from recitant_core.units.threads import in_order

BandEnergies = Callable[[str, float, float], FloatArray]
"""Energies in a band of a recording: its key, centre in Hz, width in octaves to float64 (hops, 1)."""


@dataclass(frozen=True, eq=False)
class LoudnessScene:
    """Powers of words and of everything else by 10 ms hops, before anything gives way."""

    plan: Plan
    tracks: dict[str, FloatArray]
    speech: tuple[SampleSpan, ...]
    """That is to be understood, in order."""
    is_speech: BoolArray
    is_over: BoolArray
    """Hops in which narration runs over dialogue: there the dialogue is among what speech is to stand clear of."""

    @cached_property
    def words(self) -> FloatArray:
        """Power of the words around each hop, float64 (hops,)."""
        key = (fingerprint(self.voices), fingerprint(self.is_speech))
        return _words.get_or_make(key, lambda: words_power(self.voices, self.is_speech))

    @cached_property
    def window_words(self) -> FloatArray:
        """Power of the speech in the 400 ms around each hop, 0 where that does not count, float64 (hops,)."""
        key = (fingerprint(self.voices), fingerprint(self.is_speech), "window")
        return _words.get_or_make(key, lambda: window_words_power(self.voices, self.is_speech))

    @cached_property
    def voices(self) -> FloatArray:
        """Energy of all speech that is to be understood, float64 (hops,), read-only."""
        everybody = self._together([t for t in self.plan.tracks if t.role.is_speech])
        if not self.is_over.any():
            return everybody
        narration = self._together([t for t in self.plan.tracks if t.role.kind is Role.NARRATION])
        heard: FloatArray = np.where(self.is_over, narration, everybody)
        heard.flags.writeable = False
        return heard

    @cached_property
    def stems(self) -> dict[Role, FloatArray]:
        """Energy of every stem of the plan, giving way, float64 (hops,) each."""
        return stems_of_tracks(self.plan, self.tracks)

    @cached_property
    def own_clearance(self) -> FloatArray:
        """Clearance at each hop as the plan's own ducks have it, float64 (hops,)."""
        return self.clearance(self.plan)

    def target(self, duck: Duck) -> FloatArray:
        """Energy of what a duck lowers, float64 (hops,); of dialogue only where narration runs over it."""
        energy = self.lowered_by(duck)
        return self._spoken_over(energy) if self.plan.role_of(duck).kind is Role.DIALOGUE else energy

    def lowered_by(self, duck: Duck) -> FloatArray:
        """Energy of what a duck lowers, before it does, float64 (hops,), read-only."""
        return self._together([t for t in self.plan.tracks if duck.acts_on(t)])

    def _spoken_over(self, dialogue: FloatArray) -> FloatArray:
        found: FloatArray = np.where(self.is_over, dialogue, 0.0)
        found.flags.writeable = False
        return found

    def _together(self, tracks: list[Track]) -> FloatArray:
        return lowered_energy(replace(self.plan, ducks=()), tracks, self.tracks, {})

    def rest(self, gains: Mapping[str, FloatArray], plan: Plan | None = None) -> FloatArray:
        """Energy of everything but speech that is to be understood, given way by these gains in dB, float64 (hops,)."""
        plan = plan or self.plan
        # Stem by stem: an edit of one leaves the sums of the others known.
        stems = [
            lowered_energy(plan, [t for t in plan.tracks if t.role is role], self.tracks, gains)
            for role in plan.roles
            if not role.is_speech
        ]
        if self.is_over.any():
            dialogue = [t for t in plan.tracks if t.role.kind is Role.DIALOGUE]
            stems.append(self._spoken_over(lowered_energy(plan, dialogue, self.tracks, gains)))
        return sum(stems, np.zeros(len(self.is_speech)))

    def clearance(self, plan: Plan) -> FloatArray:
        """Clearance at each hop with the ducks of a plan (tracks and clips as in this one), float64 (hops,)."""
        return clearance_of_words_lu(self.words, self.rest(duck_gains_db(plan, self.tracks), plan), self.is_speech)

    def window_clearance(self, plan: Plan) -> FloatArray:
        """Clearance of every window of speech that counts with the ducks of a plan, float64 (windows,)."""
        return window_clearance_lu(self.window_words, self.rest(duck_gains_db(plan, self.tracks), plan))


_words: Final = Remembered[FloatArray](32 << 20)
_masks: Final = Remembered[BoolArray](8 << 20)


def scene_of(plan: Plan, energies: Mapping[str, FloatArray], speech: SpeechOfSources) -> LoudnessScene:
    """Powers of words and of everything else, by hop.

    Args:
        energies: 10 ms energies of every recording that the plan names, by its key, float64 (hops,).
        speech: of every recording of dialogue.
    """
    spans, n_hops = speech_in_programme(plan, speech), hops_of(plan)
    over = narrated_over(plan, speech)
    is_speech = _masks.get_or_make((spans, n_hops), lambda: speech_mask(spans, n_hops))
    is_over = _masks.get_or_make((over, n_hops), lambda: speech_mask(over, n_hops))
    return LoudnessScene(plan, track_energies(plan, energies), spans, is_speech, is_over)


def rendered_clearance_lu(
    stems: Mapping[Role, FloatArray], is_speech: BoolArray, is_over: BoolArray | None = None
) -> FloatArray:
    """Clearance at each hop from the stems as they were rendered, float64 of the mask's length.

    Args:
        stems: 10 ms energies of each; a rendered programme may lack its last hop.
        is_over: hops in which narration runs over dialogue, bool (hops,); None for none.
    """
    voices, rest = _voices_and_rest(stems, len(is_speech), is_over)
    return clearance_lu(voices, rest, is_speech)


def rendered_window_clearance_lu(
    stems: Mapping[Role, FloatArray], is_speech: BoolArray, is_over: BoolArray | None = None
) -> FloatArray:
    """Clearance of every window of speech that counts, from the stems as they were rendered: float64 (windows,).

    Args:
        stems, is_over: see rendered_clearance_lu.
    """
    voices, rest = _voices_and_rest(stems, len(is_speech), is_over)
    return window_clearance_lu(window_words_power(voices, is_speech), rest)


def _voices_and_rest(
    stems: Mapping[Role, FloatArray], n_hops: int, is_over: BoolArray | None
) -> tuple[FloatArray, FloatArray]:
    voices, rest = np.zeros(n_hops), np.zeros(n_hops)
    for role, energy in stems.items():
        n = min(len(energy), n_hops)
        if role.kind is Role.DIALOGUE and is_over is not None:
            voices[:n] += np.where(is_over[:n], 0.0, energy[:n])
            rest[:n] += np.where(is_over[:n], energy[:n], 0.0)
        else:
            total = voices if role.is_speech else rest
            total[:n] += energy[:n]
    return voices, rest


def talk_clearance_lu(stems: Mapping[Role, FloatArray], talk: Talk) -> float | None:
    """The clearance under which no passage of speech falls, from the stems as they were rendered.

    Args:
        stems: 10 ms energies of each, float64 (hops,).
        talk: where somebody speaks.

    Returns:
        LU, to a hundredth; None where nobody speaks over anything.
    """
    n = min((len(energy) for energy in stems.values()), default=0)
    found = rendered_clearance_lu(stems, speech_mask(talk.spans, n), speech_mask(talk.over, n))
    return least_clearance_lu(found)


def in_band(plan: Plan, scene: LoudnessScene, room: Room, bands: BandEnergies) -> LoudnessScene:
    """The scene in the band of a room; chains are left out of it."""
    keys = {clip.sound_key: clip.source_key for track in plan.tracks for clip in track.clips}
    recordings = list(dict.fromkeys(keys.values()))
    energies = dict(zip(recordings, in_order(lambda key: bands(key, *room.band), recordings), strict=True))
    found = {sound: energies[key] for sound, key in keys.items()}
    return LoudnessScene(plan, track_energies(plan, found), scene.speech, scene.is_speech, scene.is_over)
