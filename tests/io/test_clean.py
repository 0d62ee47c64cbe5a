"""Cleaning before raising: offered by measurement, light, and what it does to noise, to phrases and to the words."""

import json

import numpy as np
import pytest
import soundfile
import soxr
from pystoi import stoi

from oracles.ear_judge import floor_under_words
from recitant_core.balance.steps.clean import MOST_AMOUNT_DB, cleaning_of
from recitant_core.processors.chain import through_chain
from recitant_core.units.clock import SampleSpan
from recitant_io.hearing.speech import speech_spans
from signals import MemorySource, ear

RATE = ear.RATE


def spans(source):
    return [one.span for one in speech_spans(source, np.zeros(0))]


@pytest.fixture(scope="module")
def both(tmp_path_factory):
    """The noisy narrator balanced without and with cleaning: folder and actions of each."""
    found = {}
    for name, more in (("as it is", ()), ("cleaned", ("--clean",))):
        out = ear.delivered(ear.noisy_speech(), tmp_path_factory.mktemp("noisy"), *more)
        actions = {one["step"]: one for one in json.loads((out / "report.json").read_text())["actions"]}
        found[name] = (out, actions)
    return found


def narration(out):
    return soundfile.read(out / "stem-narration-ebu-r128.wav", dtype="float32", always_2d=True)[0]


def test_it_is_offered_and_not_made_until_somebody_chooses_it(both):
    _, actions = both["as it is"]
    (offer,) = actions["clean"]["changes"]
    assert not offer["is_done"] and 0.0 < offer["amount_db"] <= MOST_AMOUNT_DB and abs(offer["mains_hz"] - 50.0) < 0.2
    (press,) = actions["clean"]["acts"][0]
    assert press["edit"]["kind"] == "chain" and [p["kind"] for p in press["edit"]["chain"]] == [
        "hum",
        "noise",
        "high-pass",
    ]
    assert "could be cleaned with a high-pass, a hum filter" in actions["clean"]["changed_words"][0]


def test_noise_in_pauses_comes_down_and_fewer_phrases_are_held(both):
    case = ear.noisy_speech()
    before, after = (floor_under_words(case, narration(both[name][0])) for name in ("as it is", "cleaned"))
    assert after <= before - 8.0
    held = [both[name][1]["even-out"]["measured"]["held_by_noise"] for name in ("as it is", "cleaned")]
    assert held[0] >= 3 and held[1] <= held[0]
    assert both["cleaned"][1]["clean"]["changes"][0]["is_done"]


def test_words_are_understood_no_less():
    """Extended STOI against the clean recording (pystoi; Jensen and Taal 2016)."""
    clean, noisy = (ear.noisy_speech(is_noisy).stems["narration"] for is_noisy in (False, True))
    source = MemorySource("noisy", noisy.astype(np.float32))
    made = through_chain(cleaning_of(source, spans(source)).chain, noisy.astype(np.float32), 0)
    low = [soxr.resample(one[:, 0], RATE, 10_000) for one in (clean, noisy, made)]
    as_it_is, cleaned = (float(stoi(low[0], one, 10_000, extended=True)) for one in low[1:])
    assert cleaned >= as_it_is - 0.002


def test_a_clean_recording_and_one_with_hardly_a_word_are_left():
    quiet = ear.noisy_speech(with_noise=False).stems["narration"]
    source = MemorySource("quiet", (quiet + 1e-5).astype(np.float32))
    assert cleaning_of(source, spans(source)) is None
    assert cleaning_of(source, [SampleSpan(0, RATE)]) is None
