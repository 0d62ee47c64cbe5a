"""States of pages as patches: put together they are the whole state, whatever was edited; figures follow; 304."""

import json
import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from patching import patched
from recitant_web.desk.models import Clip, Duck, Track
from recitant_web.programme.models import Source
from recitant_web.shared.caches import clear_caches
from recitant_web.shared.patches import patch_between

SECOND = 48_000
SPEECH = [[SECOND, 2 * SECOND, 0.9]]
PAGES = {"level": ("level", "level/state", "level/edits"), "balance": ("balance", "state", "edits")}
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-5, 5) | st.text("abc", max_size=3),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from("abcde"), inner, max_size=4),
    max_leaves=12,
)
ROWS = st.lists(
    st.fixed_dictionaries({"id": st.integers(0, 6).map(str), "gain": st.integers(0, 2)}, optional={"name": VALUES}),
    max_size=6,
    unique_by=lambda row: row["id"],
)
STATES = st.fixed_dictionaries(
    {"rows": ROWS}, optional={"a": VALUES, "b": VALUES, "inner": st.fixed_dictionaries({"more": ROWS})}
)


@settings(max_examples=300)
@given(STATES, STATES)
def test_a_state_and_a_patch_make_the_other_state(before, after):
    kept = json.dumps(before)
    patch = json.loads(json.dumps(patch_between(before, after)))
    assert patched(before, patch) == after
    assert (patch == {}) == (before == after)
    assert json.dumps(before) == kept


def test_what_did_not_change_is_not_in_a_patch():
    rows = [{"id": str(i), "gain": 0.0, "name": "a long name of a clip"} for i in range(1_000)]
    after = [*rows[:7], {**rows[7], "gain": -1.0}, *rows[8:]]
    assert patch_between({"clips": rows, "x": 1}, {"clips": after, "x": 1}) == {
        "in": {"clips": {"in": {"7": {"set": {"gain": -1.0}}}}}
    }


class Page:
    """A page that holds a state and puts patches into it, as static/js/lib/api.js does."""

    def __init__(self, client, film, name):
        self.client, self.film = client, film
        page, state, edits = PAGES[name]
        self.state_url, self.edits_url = f"/programmes/{film.pk}/{state}", f"/programmes/{film.pk}/{edits}"
        html = client.get(f"/programmes/{film.pk}/{page}").content.decode()
        self.tag = re.search(r'data-tag="(\w+)"', html)[1]
        self.state = json.loads(re.search(r'id="state" type="application/json">(.*?)</script>', html)[1])

    def whole(self):
        return self.client.get(self.state_url).json()

    def ask(self):
        return self.take(self.client.get(self.state_url, headers={"Recitant-Have": self.tag}))

    def take(self, answer):
        if answer.status_code == 304:
            return answer
        assert answer.status_code == 200, answer.content
        found = answer.json()
        self.tag = found["tag"]
        self.state = found["state"] if "state" in found else patched(self.state, found["patch"])
        return answer


@pytest.fixture(params=sorted(PAGES))
def page(request, signed_in, film, after_commit):
    Source.objects.filter(programme=film, role="dialogue").update(speech=SPEECH, is_listened=True)
    found = Page(signed_in, film, request.param)

    def edit(kind, **data):
        film.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": film.revision, **data})
        headers = {"Recitant-Have": found.tag, "accept": "application/json"}
        with after_commit(), after_commit():
            return found.take(signed_in.post(found.edits_url, body, "application/json", headers=headers))

    found.edit = edit
    return found


@pytest.mark.django_db
def test_whatever_is_edited_the_page_holds_the_whole_state(page):
    voice, score, bang = (str(Clip.objects.get(name=name).pk) for name in ("voice", "score", "bang"))
    music = str(Track.objects.get(name="score").pk)
    assert page.state == page.whole()
    steps = [
        {"kind": "level", "ids": [voice], "by_db": -3.0},
        {"kind": "duck-add", "target": "stem", "id": "music"},
        {"kind": "duck-point-add", "id": "DUCK", "at_sample": SECOND},
        {"kind": "curve", "ids": [score], "points": [[0, "0"], [SECOND, "−2,5"]]},
        {
            "kind": "ride",
            "target": "track",
            "id": music,
            "mode": "set",
            "points": [[0, "0"], [SECOND, -3]],
            "is_first": False,
        },
        {"kind": "gain", "target": "stem", "id": "music", "gain_db": "-6"},
        {"kind": "gain", "target": "track", "id": music, "gain_db": "2"},
        {"kind": "speech", "id": voice, "from_sample": 0, "to_sample": SECOND // 2, "is_speech": True},
        {"kind": "chain", "target": "clip", "ids": [score], "chain": [{"kind": "high-pass"}]},
        {"kind": "move", "ids": [bang], "by_samples": SECOND},
        {"kind": "split", "ids": [score], "at_sample": 3 * SECOND},
        {"kind": "delete", "ids": [bang]},
        {"kind": "spec", "spec_id": "online-14"},
        {"kind": "undo"},
        {"kind": "undo"},
        {"kind": "redo"},
    ]
    for step in steps:
        duck = {"id": str(Duck.objects.get().pk)} if step.get("id") == "DUCK" else {}
        page.edit(**step | duck)
        page.ask()
        assert page.state == page.whole(), step
    assert page.ask().status_code == 304


@pytest.mark.django_db
def test_figures_follow_an_edit(page):
    before = page.state
    page.edit("level", ids=[str(Clip.objects.get(name="score").pk)], by_db=-9.0)
    assert page.state["revision"] > before["revision"]
    assert page.state["figures_of"] == before["revision"] and page.state["findings"] == before["findings"]
    page.ask()
    assert page.state["figures_of"] == page.state["revision"] and page.state["findings"] != before["findings"]


@pytest.mark.django_db
def test_an_answer_is_small_and_a_state_that_is_not_kept_is_sent_whole(page):
    clip = str(Clip.objects.get(name="voice").pk)
    whole = len(page.client.get(page.state_url).content)
    assert len(page.edit("level", ids=[clip], by_db=-1.0).content) < whole / 4
    clear_caches()
    assert "state" in page.edit("level", ids=[clip], by_db=-1.0).json()
    page.ask()
    assert page.state == page.whole()


@pytest.mark.django_db
def test_a_tag_of_another_page_is_unknown(page, signed_in, film):
    other = Page(signed_in, film, "level" if page.edits_url.endswith(f"{film.pk}/edits") else "balance")
    page.tag = other.tag
    assert "state" in page.ask().json() and page.state == page.whole()
