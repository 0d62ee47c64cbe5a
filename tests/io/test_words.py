"""Sentences: every state and code has one that says what is wrong and what to do."""

import re
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest

from recitant_core.balance.first_balance_values import FirstBalance, Step
from recitant_core.balance.plausibility import Doubt
from recitant_core.delivery.fitting.fit import Fit, FitState, Trial
from recitant_core.delivery.fitting.peaks import PeakCure
from recitant_core.delivery.fitting.predict import predict
from recitant_core.delivery.judging.judge import judge
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.errors import PlanError, RecitantError
from recitant_core.measure.meter import Readings
from recitant_core.processors.analysis import CHAIN_PRESETS
from recitant_core.processors.kinds import KINDS
from recitant_core.processors.model import Processor, checked_processor
from recitant_core.timeline.model import Master, Plan
from recitant_core.units.channels import STEREO
from recitant_text.chains import effort_words, markdown_table, order_words
from recitant_text.compared import compared_sentence
from recitant_text.first_balance import balanced_facts, balanced_text
from recitant_text.fits import fit_sentence, peak_words, prediction_sentence
from recitant_text.notices import _NOTICES, notice
from recitant_text.processors import KIND_LABELS, STARTING_POINT_LABELS, parameter_label
from recitant_text.report import decoded_sentence, limit_text, report_html
from recitant_text.sentences import _SENTENCES, gain_text, sentence, signed

ROOT = Path(__file__).parents[2]
SRC = ROOT / "src"
SPEC = spec_by_id("ebu-r128-s1")
READINGS = Readings(-23.0, 8.0, -15.0, -17.0, -1.2, -1.5)
TRIAL = Trial(Master(4.0, -1.1), READINGS, None, 3.2, 0.021, -2.0)
BEFORE = Trial(Master(), replace(READINGS, range_lu=9.5), None, 0.0, 0.0, -6.0)


def _fit(state, **more):
    return Fit(SPEC, state, replace(TRIAL, **more), BEFORE, 9.0, 14.0)


@pytest.mark.parametrize(
    ("state", "words"),
    [
        (
            FitState.REACHED,
            "+4.0 dB and limiting of up to 3.2 dB for 2.1 % of the time, range 1.5 LU smaller bring it to",
        ),
        (FitState.TOO_MUCH_LIMITING, "more than 14.0 dB of limiting, past the 12 dB allowed"),
        (FitState.SHORT_TERM_OVER, "1.0 LU over the limit of −18.0"),
        (FitState.SILENT, "silent"),
        (FitState.TOO_SHORT, "shorter than 0.4 s"),
    ],
)
def test_a_fit_says_what_it_does_or_why_not(state, words):
    assert words in fit_sentence(_fit(state))


def test_no_limiter_is_said():
    assert "no limiting needed" in fit_sentence(_fit(FitState.REACHED, master=Master(-2.0)))


@pytest.mark.parametrize(
    ("readings", "words"),
    [
        (Readings(None, None, None, None, -9.0, -9.0), "silent or shorter"),
        (replace(READINGS, true_peak_dbtp=float("-inf"), max_short_term_lufs=-21.0), "still being measured"),
        (replace(READINGS, max_short_term_lufs=-17.0), "1.0 LU over their limit"),
        (replace(READINGS, true_peak_dbtp=14.0, max_short_term_lufs=-21.0), "more limiting than the 12 dB"),
        (replace(READINGS, true_peak_dbtp=0.9, max_short_term_lufs=-21.0), "about 2.0 dB"),
        (replace(READINGS, true_peak_dbtp=-3.0, max_short_term_lufs=-21.0), "no limiting needed"),
    ],
)
def test_a_prediction_says_what_is_known(readings, words):
    assert words in prediction_sentence(predict(readings, SPEC, STEREO))


def test_every_code_that_is_raised_has_a_sentence():
    raised = set()
    for path in SRC.rglob("*.py"):
        for name in (
            "UnreadableMedia",
            "UnsupportedLayout",
            "PlanError",
            "UnknownSpec",
            "EditRefused",
            "StaleRevision",
        ):
            raised |= set(re.findall(rf"{name}\(\s*\"(\w+)\"", path.read_text()))
        raised |= set(re.findall(r"(?:StorageFull|Cancelled)\(\s*\"(\w+)\"", path.read_text()))
    assert len(raised) > 20
    assert raised <= set(_SENTENCES)


def test_an_unknown_code_still_gets_words():
    assert sentence(RecitantError("never_heard_of")) == "This could not be done (never_heard_of)."
    assert sentence(RecitantError("damaged", at_s=None)).startswith("The file is damaged")


@pytest.mark.parametrize(
    ("value", "text"), [(-23.04, "−23.0"), (-0.04, "0.0"), (None, "–"), (float("-inf"), "silent"), (7, "7.0")]
)
def test_figures_carry_a_true_minus(value, text):
    assert signed(value) == text


def test_gains_show_their_sign_and_limits_their_side():
    assert [gain_text(g) for g in (3.0, 0.0, -2.5)] == ["+3.0", "0.0", "−2.5"]
    assert limit_text(-23.5, -22.5) == "−23.5 to −22.5"
    assert limit_text(None, None) == "–"


PLAYED = {
    "integrated_lufs": -14.4,
    "true_peak_dbtp": -0.6,
    "clipped_samples": 3,
    "shift_samples": 0,
    "level_lost_lu": 0.45,
    "passes": False,
    "ceiling_lowered_db": 0.7,
    "gain_changed_db": 0.0,
}


def test_a_report_shows_what_fails_and_escapes_what_people_typed():
    from recitant_core.delivery.judging.figures import readings_data
    from recitant_text.checks import verdict_shown

    verdict = judge(replace(READINGS, integrated_lufs=-20.0), SPEC)
    delivery = {
        "name": SPEC.name,
        "source": SPEC.source,
        "note": "",
        "passes": verdict.is_passed,
        "squashed": False,
        "explanation": "because",
        "gain_db": 4.0,
        "figures": verdict_shown(verdict),
        "missed": [{"word": "film", "file": "film<1>.mp4", "sentence": "because."}],
        "history": None,
        "heard": [],
        "heard_as_balanced": [],
        "looks": [{"check": "over", "file": "<mix>.wav", "state": "wrong", "value": 3, "at_s": 61.25}],
        "files": [
            {"file": "mix.wav", "role": None, "bit_depth": 24, "kind": "mix", "codec": "wav", "sha256": "a" * 64}
            | {"decoded": None, "rate_hz": 48_000},
            {"file": "<mix>.mp3", "role": None, "bit_depth": None, "kind": "mix", "codec": "mp3", "sha256": "b" * 64}
            | {"decoded": PLAYED, "rate_hz": 48_000},
        ],
    }
    title = "<script>alert(1)</script>"
    report = {
        "title": title,
        "duration_s": 61.0,
        "frame_rate": "25",
        "before": readings_data(READINGS),
        "out_of_mix": ["Guide <track>"],
        "deliveries": [delivery],
    }
    page = report_html(report)
    assert title not in page and "&lt;script&gt;" in page
    assert "▲ 2.50 over" in page and "✓ passes" in page and "1 min 01.0 s" in page
    assert "in no file: Guide &lt;track&gt;." in page
    assert "&lt;mix&gt;.mp3" in page and "0.45 LU quieter than what went in" in page and "aaaaaaaaaaaaaaaa<" in page
    assert "film&lt;1&gt;.mp4 could not be made: because." in page
    assert "3 samples at full scale" in page and "1:01.2" in page
    assert "limited 0.70 dB lower" in page and "3 samples beyond full scale" in page and "it does not pass" in page
    squashed = report_html(report | {"deliveries": [delivery | {"passes": True, "squashed": True}]})
    assert "◆ passes, but squashed" in squashed


def test_the_page_of_processors_holds_every_value():
    page = (ROOT / "docs" / "standards" / "processors.md").read_text()
    for line in markdown_table():
        assert line in page


@pytest.mark.parametrize(
    ("kinds", "word"),
    [
        (("compressor", "noise"), "noise reduction comes before"),
        (("reverb", "gate"), "usually comes last"),
        (("noise", "compressor"), ""),
    ],
)
def test_a_quiet_word_where_an_order_goes_wrong(kinds, word):
    found = order_words(tuple(Processor(kind) for kind in kinds))
    assert (word in found[0]) if word else (found == [])


def test_how_hard_a_processor_works():
    compressor, gate = Processor("compressor"), Processor("gate")
    assert effort_words(compressor, 0.38, 9.0, is_speech=True).endswith("38 % of the speech: a lot")
    assert "never reached" in effort_words(compressor, 0.0, 0.0, is_speech=True)
    assert "cuts into words" in effort_words(gate, 0.2, 30.0, is_speech=True)


def test_every_notice_can_be_told():
    told = {
        name: notice(name, file="a.wav", number=3, title="t", least="1", most="2", most_mb="64") for name in _NOTICES
    }
    assert all(text and "{" not in text for text in told.values())
    assert told["take_file"] == "Narration take 3.wav"


def test_every_processor_value_and_starting_point_has_a_label():
    assert set(KIND_LABELS) == set(KINDS)
    assert set(STARTING_POINT_LABELS) == set(CHAIN_PRESETS)
    labels = {(k.name, p.name): parameter_label(k.name, p.name) for k in KINDS.values() for p in k.parameters}
    # No unit and no underscore is left in a label, and no two values of a kind share one but in its bands.
    assert not [one for one in labels.values() if not one or "_" in one or one.endswith((" db", " hz", " ms"))]
    for kind in KINDS.values():
        if kind.name != "equaliser":
            own = [labels[kind.name, p.name] for p in kind.parameters]
            assert len(own) == len(set(own))
    assert labels["equaliser", "band3_shape"] == "band 3" and labels["equaliser", "band3_freq_hz"] == "frequency"


def test_values_of_processors_are_refused_by_their_label():
    with pytest.raises(PlanError) as caught:
        checked_processor({"kind": "compressor", "values": {"range_db": 3}}, "chain[0]")
    assert "Compressor" in sentence(caught.value)
    with pytest.raises(PlanError) as caught:
        checked_processor({"kind": "gate", "values": {"range_db": 300}}, "chain[0]")
    assert sentence(caught.value).startswith("most reduction lies between 0 and 90 dB")


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"shift_samples": 5}, "5 samples late"),
        ({"shift_samples": -5}, "5 samples early"),
        ({"level_lost_lu": -0.2}, "0.20 LU louder than what went in"),
        ({"gain_changed_db": 0.8}, "gain +0.8 dB"),
        ({"integrated_lufs": None, "level_lost_lu": None}, "– LUFS, true peak −0.6 dBTP"),
    ],
)
def test_what_a_copy_plays_back_as_is_said(changes, words):
    assert words in decoded_sentence(PLAYED | changes)
    assert "does not pass" not in decoded_sentence(PLAYED | changes | {"passes": True})


def test_two_deliveries_are_compared_by_what_differs():
    before = {"passes": True, "integrated_lufs": -23.0, "range_lu": 8.0, "true_peak_dbtp": -3.0}
    now = before | {"range_lu": 7.4, "true_peak_dbtp": -1.1, "passes": False}
    assert compared_sentence(before, before, []) == "the same figures."
    assert compared_sentence(now, before, ["music to −3 dB"]) == (
        "range 0.6 LU smaller, true peak 1.9 dB higher, it does not pass any more. Edits in between: music to −3 dB."
    )
    assert "Edits in between: 2 more, then 3; 4; 5; 6; 7." in compared_sentence(now, before, list("1234567"))


def test_the_headline_of_a_first_balance_is_the_worst_of_what_is_true():
    plan = Plan("", "25", ())

    def headline(share, close=0, dialogue_lufs=None, doubt=None):
        far = {} if dialogue_lufs is None else {"is_dialogue_far": True, "dialogue_lufs": dialogue_lufs}
        steps = (
            Step("check", {"close": close, "clear_share": share}, (), plan),
            Step("fit", {"target_lufs": -16.0, **far}, (), plan),
        )
        done = FirstBalance(plan, steps, (), {}, SimpleNamespace(clear_share=share))
        return balanced_text(balanced_facts(done, doubt))

    assert headline(1.0) == "Balanced. Speech is clear everywhere."
    assert headline(0.96, 2) == "Balanced. 2 close passages to review."
    assert headline(0.96, 2, -19.4) == "Balanced, but dialogue is 3.4 LU under the target."
    assert headline(0.62, 1, -19.4) == "Speech is clear for only 62 % of its time; 1 close passage to review."
    assert headline(None) == "Balanced. There is no speech in it."
    doubted = headline(0.62, 1, doubt=Doubt("all-excluded", 1.0))
    assert doubted == "Balanced, but check the programme: Every clip is excluded from the mix."


def test_what_peaks_too_high_is_named_with_its_gain():
    assert (
        peak_words(PeakCure("7", 13 * 48_000, 3.5, 0), "Hammer")
        == "“Hammer” at 0:13 peaks highest: −3.5 dB on it would do."
    )
    assert peak_words(PeakCure("7", 0, 3.5, 1), "Hammer").endswith("One more clip peaks too high as well.")
