"""Guessing what a recording is: by what is heard, and by name where the ear is in doubt."""

import numpy as np
import pytest

from recitant_core.intake.evidence import gather
from recitant_core.intake.roles import active_share, guess_role, tonal_share
from recitant_core.units.roles import ROLES, Role
from recitant_text.findings import role_reasons
from signals import MemorySource, programme, sine

RATE_HZ = 48_000


def evidence(audio):
    return gather(MemorySource("k", np.ascontiguousarray(audio, dtype=np.float32)))


def music(seconds):
    """Notes, one after the other, three at a time."""
    rng = np.random.default_rng(1)
    t = np.arange(RATE_HZ) / RATE_HZ
    bars = [
        sum(np.sin(2 * np.pi * f * k * t) / k for f in rng.choice([147, 175, 220, 262, 294], 3) for k in (1, 2, 3))
        for _ in range(seconds)
    ]
    return np.repeat((np.concatenate(bars) * 0.05)[:, None], 2, axis=1)


def room(seconds):
    return np.random.default_rng(2).standard_normal((seconds * RATE_HZ, 2)) * 0.01


def hits(seconds):
    out = np.zeros((seconds * RATE_HZ, 2))
    rng = np.random.default_rng(3)
    for at in range(RATE_HZ, len(out) - RATE_HZ, 3 * RATE_HZ):
        out[at : at + 4_000] += rng.standard_normal((4_000, 2)) * np.exp(-np.arange(4_000) / 500)[:, None] * 0.3
    return out


@pytest.mark.parametrize(
    ("audio", "share", "role"),
    [
        (music(30), 0.0, Role.MUSIC),
        (room(30), 0.02, Role.ATMOSPHERE),
        (hits(30), 0.0, Role.EFFECTS),
        (sine(-20, 1.0), 0.0, Role.EFFECTS),
        (programme(1, 20.0), 0.6, Role.DIALOGUE),
    ],
)
def test_a_recording_is_known_by_what_is_heard(audio, share, role):
    guess = guess_role("untitled 1.wav", evidence(audio), share)
    assert guess.role is role
    assert guess.reasons and guess.confidence > 0.3


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("SFX_door_02.wav", Role.EFFECTS),
        ("Score cue 4.wav", Role.MUSIC),
        ("amb-street.wav", Role.ATMOSPHERE),
        ("Boom take 3.wav", Role.DIALOGUE),
    ],
)
def test_a_role_word_in_the_name_wins_and_what_the_sound_suggests_is_said_too(name, role):
    guess = guess_role(name, evidence(sine(-20, 8.0, 200.0)), 0.2)
    assert guess.role is role and guess.reasons[0][0] == "name"
    spoken = guess_role("Effects stem.wav", evidence(programme(1, 20.0)), 0.6)
    assert spoken.role is Role.EFFECTS
    assert role_reasons(spoken.reasons)[:2] == ["its name says “effect”", "though it sounds like dialogue"]
    assert "60 % of it is speech" in role_reasons(spoken.reasons)[2]


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("Sting 3", Role.MUSIC),
        ("atmos ext", Role.ATMOSPHERE),
        ("VO_final_2", Role.NARRATION),
        ("effects stem", Role.EFFECTS),
    ],
)
def test_words_of_the_trade_are_known(name, role):
    assert guess_role(name, evidence(room(30)), 0.4).role is role


def test_between_two_words_the_sound_decides():
    assert guess_role("interview room", evidence(programme(1, 20.0)), 0.6).role is Role.DIALOGUE
    assert guess_role("interview room", evidence(room(30)), 0.0).role is Role.ATMOSPHERE


def test_a_film_with_speech_in_it_is_production_sound():
    guess = guess_role("Hammer and pour, cut 3.mov", evidence(hits(30)), 0.05, is_film=True)
    assert guess.role is Role.DIALOGUE and "film’s sound" in role_reasons(guess.reasons)[0]
    assert guess_role("cut 3.mov", evidence(music(30)), 0.0, is_film=True).role is Role.MUSIC


def test_a_word_inside_a_word_is_no_reason():
    guess = guess_role("bedroom fxfx avoid.wav", evidence(sine(-20, 2.0)), 0.0)
    assert all(code != "name" for code, _ in guess.reasons)


def test_silence_and_scraps_do_not_break_it():
    for audio in (np.zeros((100, 1)), np.zeros((RATE_HZ * 20, 2)), sine(-20, 0.05)):
        found = evidence(audio)
        assert 0.0 <= active_share(found) <= 1.0 and 0.0 <= tonal_share(found) <= 1.0
        assert guess_role("x", found, 0.0).role in ROLES
