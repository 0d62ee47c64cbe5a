"""A programme at one revision, as one request sees it: what is looked up or computed is looked up or computed once."""

from dataclasses import replace
from functools import cached_property

import numpy as np

from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import fit_key
from recitant_core.measure.clearance import least_clearance_lu, speech_mask
from recitant_core.measure.clip_level import spoken_blocks
from recitant_core.measure.loudness import anchored_lufs, gating_block_powers
from recitant_core.measure.meter import Readings, readings_from
from recitant_core.render.estimate import duck_gains_db, given_way_db
from recitant_core.render.scene import LoudnessScene, talk_clearance_lu
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import SpeechOfSources, Talk, spoken, talk_in_programme
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role
from recitant_web.desk.ducking import scene_now
from recitant_web.desk.energies import known_energies, missing_chains
from recitant_web.desk.mapping.plans import key_of_programme, plan_key, plan_of
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.desk.models import FitResult, Verdict
from recitant_web.listening.stored import mix_summary, rendered_stems
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import spec_of
from recitant_web.shared.caches import Cache

Moment = tuple[int, int, int, int]
_scenes: Cache[LoudnessScene] = Cache("scenes", 256_000_000)


class Snapshot:
    """A programme with its plan; everything else is found when it is first asked for."""

    def __init__(self, programme: Programme, plan: Plan | None = None) -> None:
        """
        Args:
            programme: brought up to date where others have moved on.
            plan: heard or measured instead of the programme's own.
        """
        self.programme = programme
        self.plan = plan_of(programme) if plan is None else plan

    @cached_property
    def key(self) -> str:
        """Hash of all that makes the sound: equal keys, equal bits."""
        return key_of_programme(self.programme) if self.plan is plan_of(self.programme) else plan_key(self.plan)

    @cached_property
    def spec(self) -> Spec:
        """The specification it is balanced for."""
        return spec_of(self.programme)

    def fit_key(self, spec: Spec) -> str:
        """A name for a fit to exactly these figures, and to who speaks when where that counts."""
        return fit_key(spec, self.talk.spans)

    @cached_property
    def speech(self) -> SpeechOfSources:
        """Corrected speech of every recording."""
        return speech_of(self.programme)

    @cached_property
    def talk(self) -> Talk:
        """Stretches in which somebody speaks."""
        return talk_in_programme(self.plan, self.speech)

    @cached_property
    def energies(self) -> dict[str, FloatArray]:
        """10 ms energies of recordings and of tracks through chains; see desk.energies."""
        return known_energies(self.plan)

    @cached_property
    def moment(self) -> Moment:
        """Identity of the estimates: programme, revision, a hash of its speech, segments of chains still missing."""
        speaking = hash(tuple((k, spoken(spans)) for k, spans in sorted(self.speech.items())))
        # Chains that were rendered meanwhile make another scene.
        return self.programme.pk, self.programme.revision, speaking, missing_chains(self.plan)

    @cached_property
    def scene(self) -> LoudnessScene:
        """Powers of words and of everything else, estimated; kept for the newest revisions."""
        found = _scenes.get(self.moment)
        if found is None or found.plan is not self.plan:
            found = _scenes.put(self.moment, scene_now(self.programme, self.plan))
        return found

    @cached_property
    def lowered_db(self) -> dict[str, FloatArray]:
        """Gain in dB at each hop of every track that gives way, by its id, float64 (hops,) each."""
        plan = self.plan
        if not plan.ducks:
            return {}
        gains = duck_gains_db(plan, self.scene.tracks)
        lowered = {track.track_id: given_way_db(plan, track, gains) for track in plan.tracks}
        return {track_id: gain_db for track_id, gain_db in lowered.items() if gain_db is not None}

    @cached_property
    def stems(self) -> dict[Role, FloatArray] | None:
        """10 ms energies of the stems as rendered, float64 (hops,) each; None until they were."""
        return rendered_stems(self.key)

    @cached_property
    def summary(self) -> MixSummary | None:
        """Peaks and energies of the mix as rendered, its dialogue where somebody speaks; None until it was."""
        found = mix_summary(self.key)
        if found is None or not self.talk.spans:
            return found
        is_speech = speech_mask(self.talk.spans, len(found.energy))
        return replace(found, speech_blocks=spoken_blocks(found.speech_blocks, is_speech))

    @cached_property
    def verdict(self) -> Verdict | None:
        """Exact figures of the mix; None until it was measured."""
        return Verdict.objects.filter(programme=self.programme, plan_key=self.key).first()

    @cached_property
    def fits(self) -> dict[str, FitResult]:
        """Exact fits, by key of the specification."""
        return {fit.spec_id: fit for fit in FitResult.objects.filter(programme=self.programme, plan_key=self.key)}

    @cached_property
    def clearance_lu(self) -> float | None:
        """Under which speech never falls: exact where the stems were rendered, else estimated."""
        if self.stems is not None:
            return talk_clearance_lu(self.stems, self.talk)
        return least_clearance_lu(self.scene.own_clearance)

    @cached_property
    def mix_energy(self) -> FloatArray:
        """Estimated 10 ms energies of the mix with the programme gain, float64 (hops,)."""
        total = sum(self.scene.stems.values(), np.zeros(len(self.scene.is_speech)))
        return np.asarray(total * 10.0 ** (self.plan.programme_gain_db / 10.0))

    @cached_property
    def readings(self) -> tuple[Readings, float | None]:
        """Readings of the mix and loudness of its dialogue: exact where it was measured, else without peaks."""
        if self.verdict is not None:
            # Marks of speech move the dialogue of a mix whose sound stays.
            found = self.summary
            dialogue = self.verdict.figures["dialogue_lufs"]
            if found is not None:
                dialogue = anchored_lufs(gating_block_powers(found.energy), found.speech_blocks)
            return readings_from_data(self.verdict.figures), dialogue
        stems, total = self.scene.stems, self.mix_energy
        dialogue = None
        speech = [energy for role, energy in stems.items() if role.is_speech]
        if speech:
            blocks = gating_block_powers(sum(speech[1:], speech[0]))
            if self.talk.spans:
                blocks = spoken_blocks(blocks, self.scene.is_speech)
            dialogue = anchored_lufs(gating_block_powers(total), blocks)
        # Peaks cannot be known from energies; they come with the exact figures.
        return readings_from(total, 0.0, 0.0), dialogue


def readings_from_data(data: dict[str, float | None]) -> Readings:
    """Readings as they were stored; what has no value there is silent."""
    silence = float("-inf")
    true_peak, sample_peak = data["true_peak_dbtp"], data["sample_peak_dbfs"]
    return Readings(
        data["integrated_lufs"],
        data["range_lu"],
        data["max_momentary_lufs"],
        data["max_short_term_lufs"],
        silence if true_peak is None else true_peak,
        silence if sample_peak is None else sample_peak,
    )
