"""Energies, speech and findings of a plan on disk, and the curves of its rules."""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from recitant_core.balance.first_balance_values import Material
from recitant_core.delivery.specification.model import Spec
from recitant_core.intake.checks import findings_of
from recitant_core.intake.evidence import gather
from recitant_core.intake.findings import Finding
from recitant_core.measure.clearance import DEFAULT_ASKED_LU
from recitant_core.ports import SampleSource
from recitant_core.processors.model import active
from recitant_core.render.ducking_update import follow
from recitant_core.render.estimate import chained_track_key, track_energies
from recitant_core.render.scene import scene_of
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Plan
from recitant_core.timeline.speech import Talk, talk_in_programme
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_io.hearing.speech import speech_spans
from recitant_io.plan.plan_file import LoadedPlan
from recitant_io.store.bands import band_energies
from recitant_io.store.chained import TimeBudget, chained_energy, chained_track_energy
from recitant_io.store.hop_energies import source_hop_energies


def dialogue_speech(loaded: LoadedPlan, energies: Mapping[str, FloatArray]) -> dict[str, list[SpeechSpan]]:
    """Speech of every recording that lies on a track of narration or dialogue, by its key."""
    keys = {c.source_key for track in loaded.plan.tracks if track.role.is_speech for c in track.clips}
    return {key: speech_spans(loaded.sources[key], energies[key][:, 0]) for key in sorted(keys)}


def talk_of(loaded: LoadedPlan) -> Talk:
    """Stretches of a plan in which somebody speaks."""
    keys = {c.source_key for track in loaded.plan.tracks if track.role.is_speech for c in track.clips}
    energies = {key: source_hop_energies(loaded.sources[key]) for key in keys}
    return talk_in_programme(loaded.plan, dialogue_speech(loaded, energies))


def plan_energies(loaded: LoadedPlan) -> dict[str, FloatArray]:
    """10 ms energies of every recording of a plan, plain and through chains of its clips, and of chained tracks."""
    plan, whole = loaded.plan, TimeBudget(None)
    energies = {key: source_hop_energies(source) for key, source in loaded.sources.items()}
    clips: dict[str, list[Clip]] = {}
    for track in plan.tracks:
        for clip in track.clips:
            clips.setdefault(clip.sound_key, []).append(clip)
    for key, mine in clips.items():
        if key not in energies:
            source = loaded.sources[mine[0].source_key]
            energies[key] = chained_energy(None, source, mine, energies[source.key], whole)
    return energies | chained_tracks(None, plan, loaded.sources, energies, whole)


def chained_tracks(
    folder: Path | None,
    plan: Plan,
    sources: Mapping[str, SampleSource],
    energies: dict[str, FloatArray],
    budget: TimeBudget,
) -> dict[str, FloatArray]:
    """Energies of every track that has a chain, through it and before its fader, by chained_track_key."""
    through_chains = [track for track in plan.tracks if active(track.chain) and track.in_mix]
    if not through_chains:
        return {}
    tracks = tuple(replace(t, gain_db=0.0, chain=()) if t in through_chains else t for t in plan.tracks)
    estimated = track_energies(replace(plan, tracks=tracks, stem_gains_db={}, stem_rides={}, stem_trims={}), energies)
    return {
        chained_track_key(track.track_id): chained_track_energy(
            folder, track, plan.layout, sources, estimated[track.track_id], budget
        )
        for track in through_chains
    }


def material_of(loaded: LoadedPlan, spec: Spec, asked_lu: float = DEFAULT_ASKED_LU) -> Material:
    """Everything the first balance needs of a plan on disk."""
    energies = plan_energies(loaded)
    speech = dialogue_speech(loaded, energies)
    findings: dict[str, list[Finding]] = {}
    for key, source in loaded.sources.items():
        findings[key] = findings_of(gather(source), speech.get(key, []), source, "", RATE_HZ)
    bands = band_energies(loaded.sources)

    def energies_of(plan: Plan) -> dict[str, FloatArray]:
        return plan_energies(replace(loaded, plan=plan))

    return Material(
        loaded.plan, loaded.sources, energies, speech, findings, spec, asked_lu, bands=bands, energies_of=energies_of
    )


def with_rules_followed(loaded: LoadedPlan, asked_lu: float = DEFAULT_ASKED_LU) -> LoadedPlan:
    """A plan whose rules have no points yet, with the points that they make."""
    waiting = {duck.duck_id for duck in loaded.plan.ducks if not duck.points and not duck.rule.is_frozen}
    if not waiting:
        return loaded
    energies = plan_energies(loaded)
    speech = dialogue_speech(loaded, energies)
    made = follow(scene_of(loaded.plan, energies, speech), speech, asked_lu, band_energies(loaded.sources))
    # What stands in the plan with points stays as it stands.
    ducks = tuple(
        new if new.duck_id in waiting else old for new, old in zip(made.ducks, loaded.plan.ducks, strict=True)
    )
    return replace(loaded, plan=replace(loaded.plan, ducks=ducks))
