"""Stems of one's own: a name behind a kind, with a fader and a file of its own, treated as its kind is."""

import copy
import pickle
from dataclasses import replace

import numpy as np
import pytest

from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.gain.duck_rule import levels_rule
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.render.ducking_update import follow
from recitant_core.render.estimate import stem_energies
from recitant_core.render.mix import render_mix, render_stems
from recitant_core.render.scene import scene_of
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import ROLES, Role, is_role
from signals import MemorySource, programme

FOLEY, ADR = Role("effects:foley"), Role("dialogue:adr")
SOURCES = {name: MemorySource(name, programme(seed, 8.0, 1)) for seed, name in enumerate(("voice", "hits", "steps"))}


def plan_of(first=Role.DIALOGUE, second=Role.EFFECTS, third=FOLEY, ducks=()):
    tracks = [
        Track(str(i), name, role, -3.0, clips=(Clip(name, name, 0, 0, 8 * 48_000),))
        for i, (name, role) in enumerate(zip(SOURCES, (first, second, third), strict=True))
    ]
    return Plan("t", "25", tuple(tracks), {third: -6.0}, ducks=ducks)


def test_a_role_is_its_text_and_knows_its_kind():
    assert FOLEY is Role("effects:foley") and FOLEY == "effects:foley" and FOLEY.value == "effects:foley"
    assert FOLEY.kind is Role.EFFECTS and Role.EFFECTS.kind is Role.EFFECTS and ADR.is_speech and not FOLEY.is_speech
    assert (FOLEY.label, FOLEY.letter, FOLEY.file_part) == ("Foley", "Fo", "effects-foley")
    assert (Role.MUSIC.label, Role.MUSIC.letter, Role.MUSIC.file_part) == ("Music", "M", "music")
    assert Role("music:end-titles").label == "End titles"
    assert Role("ambience") is Role.ATMOSPHERE
    for again in (copy.deepcopy(FOLEY), pickle.loads(pickle.dumps(FOLEY))):
        assert again is FOLEY
    for text in ("", "foley", "effects:", "effects:Foley", "effects:a b", "effects:-a", f"effects:{'a' * 14}", "x:y"):
        assert not is_role(text)
        with pytest.raises(ValueError, match="no role"):
            Role(text)


def test_stems_stand_behind_their_kind():
    assert plan_of(FOLEY, Role.DIALOGUE, ADR).roles == (Role.DIALOGUE, ADR, FOLEY)
    assert sorted(ROLES, key=lambda role: role.order) == list(ROLES)


def test_a_stem_of_ones_own_sounds_as_a_track_of_its_kind_would():
    own = plan_of()
    stems = render_stems(own, SOURCES, SampleSpan(0, 96_000))
    assert list(stems) == [Role.DIALOGUE, Role.EFFECTS, FOLEY]
    assert np.allclose(sum(stems.values()), render_mix(own, SOURCES, SampleSpan(0, 96_000)), atol=1e-6)
    # One fader a stem: that of the other effects leaves it alone.
    louder = render_stems(replace(own, stem_gains_db={Role.EFFECTS: 6.0}), SOURCES, SampleSpan(0, 96_000))
    assert np.allclose(louder[FOLEY], stems[FOLEY] * 10 ** (6 / 20), atol=1e-6)
    assert np.allclose(louder[Role.EFFECTS], stems[Role.EFFECTS] * 10 ** (6 / 20), atol=1e-6)


def test_it_is_placed_and_gives_way_as_its_kind_does():
    spec = spec_by_id("ebu-r128")
    assert spec.aim_lufs(FOLEY) == spec.aim_lufs(Role.EFFECTS) and levels_rule(FOLEY) == levels_rule(Role.EFFECTS)
    speech = {"voice": [SpeechSpan(48_000, 4 * 48_000, 0.9)]}
    energies = {name: np.full((800, 1), 40.0 if name == "voice" else 30.0) for name in SOURCES}

    def followed(first, third):
        plan = plan_of(first=first, third=third, ducks=(Duck("1", third, rule=levels_rule(third)),))
        return follow(scene_of(plan, energies, speech), speech, 7.0).ducks[0].points

    assert followed(Role.DIALOGUE, Role.ATMOSPHERE) != followed(Role.DIALOGUE, FOLEY) != ()
    assert followed(ADR, FOLEY) == followed(Role.DIALOGUE, FOLEY)  # to speech of every name
    assert set(stem_energies(plan_of(), energies)) == {Role.DIALOGUE, Role.EFFECTS, FOLEY}


def test_narration_of_ones_own_is_what_dialogue_gives_way_to():
    other = Role("narration:german")
    plan = plan_of(other, Role.DIALOGUE, Role.MUSIC, (Duck("1", Role.DIALOGUE),))
    assert [track.role for track in plan.key_tracks(plan.ducks[0])] == [other]


def test_plans_keep_stems_of_ones_own():
    plan = replace(plan_of(ducks=(Duck("0", FOLEY),)), stem_gains_db={FOLEY: -6.0, Role.MUSIC: 1.0})
    data = plan_to_data(plan, {name: f"{name}.wav" for name in SOURCES})
    assert list(data["stems"]) == ["music", "effects:foley"] and data["ducking"][0]["stem"] == "effects:foley"
    again = plan_from_data(data, {f"{name}.wav": source for name, source in SOURCES.items()})
    assert again.stem_gains_db == plan.stem_gains_db and again.tracks[2].role is FOLEY
