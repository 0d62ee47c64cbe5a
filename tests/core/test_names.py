"""Names of delivered files."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.delivery.specification.names import FIELDS, MOST_BYTES, file_name, require_apart, require_pattern
from recitant_core.errors import PlanError

FACTS = {"title": "Casting the Tenor", "version": "v3", "spec": "ebu-r128", "role": "mix", "lang": "deu"}


@pytest.mark.parametrize(
    ("pattern", "name"),
    [
        ("{title}_{version}_{spec}_{role}_{lang}", "Casting_the_Tenor_v3_ebu-r128_mix_deu.wav"),
        ("{role}", "mix.wav"),
        ("{title} {date}", "Casting_the_Tenor.wav"),
    ],
)
def test_a_pattern_is_filled_in(pattern, name):
    require_pattern(pattern)
    assert file_name(pattern, FACTS, ".wav") == name


@pytest.mark.parametrize(
    ("pattern", "code"),
    [
        ("{titel}", "names_unknown_field"),
        ("{title", "names_brace"),
        ("title}", "names_brace"),
        ("../{title}", "names_character"),
        ("..", "names_character"),
        ("a/b", "names_character"),
        ("a\\b", "names_character"),
        (".{title}", "names_character"),
        ("{title}\n", "names_character"),
        ("{0.__class__}", "names_unknown_field"),
    ],
)
def test_a_pattern_that_gives_no_name_is_refused(pattern, code):
    with pytest.raises(PlanError, match=code):
        require_pattern(pattern)


def test_nothing_and_too_much_are_refused():
    with pytest.raises(PlanError, match="names_empty"):
        file_name("{version}", {"version": ""}, ".wav")
    with pytest.raises(PlanError, match="names_too_long"):
        file_name("{title}", {"title": "x" * MOST_BYTES}, ".wav")


@given(st.sampled_from(FIELDS), st.text(max_size=60))
def test_no_title_leads_out_of_the_folder(field, text):
    try:
        name = file_name(f"a{{{field}}}", {field: text}, ".wav")
    except PlanError as error:
        assert error.code == "names_too_long"
        return
    assert not set(name) & set('/\\:*?"<>|\0\n') and name.startswith("a") and name not in (".", "..")


def test_names_that_differ_in_capitals_alone_are_one():
    require_apart(["a.wav", "b.wav"], ["report.json"])
    for names in (["a.wav", "A.WAV"], ["a.wav", "Report.JSON"]):
        with pytest.raises(PlanError, match="names_collide"):
            require_apart(names, ["report.json"])
