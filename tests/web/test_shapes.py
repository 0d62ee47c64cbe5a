"""The shape of every answer that scripts read: which keys it has and of which kind, as recorded in shapes.json.

A key that goes or changes its kind breaks a page without any error here. Where that is meant, the scripts that read it
are changed with it, and ``RECITANT_RECORD_SHAPES=1 ./recitant test tests/web/test_shapes.py`` records the new shape.
"""

import json
import os
import re
from pathlib import Path

import pytest

from conftest import make_spoken
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.models import Source

pytestmark = pytest.mark.django_db
SECOND = 48_000
RECORDED = Path(__file__).with_name("shapes.json")
SCRIPTS = Path(__file__).parents[2] / "src" / "recitant_web" / "static" / "js"
READERS = ("arrange", "balance", "level", "words")
UNREAD = {
    "is_accepted",  # by which passages are sorted
    "is_made",  # of a rule, which is sent as plan files have it
}
IDS = re.compile(r"^\d+$|^[0-9a-f]{64}$")
EDITS = [
    ("gain", {"target": "stem", "id": "music", "gain_db": "-6"}),
    ("duck-add", {"target": "stem", "id": "music"}),
    ("chain", {"target": "clip", "ids": ["score"], "chain": [{"kind": "high-pass"}]}),
    ("chain", {"target": "track", "ids": ["TRACK"], "chain": [{"kind": "compressor"}]}),
    ("ride", {"target": "track", "id": "TRACK", "mode": "set", "points": [[0, 0], [SECOND, -3]], "is_first": False}),
    ("curve", {"ids": ["score"], "points": [[0, 0], [SECOND, -2.5]]}),
    ("fade", {"ids": ["score"], "edge": "in", "length_samples": SECOND}),
    ("marker-add", {"marker": "note", "at_sample": SECOND, "text": "strike"}),
    ("speech", {"id": "voice", "from_sample": 0, "to_sample": SECOND // 2, "is_speech": True}),
    ("caption-add", {"start_sample": SECOND, "end_sample": 3 * SECOND, "text": "You do not pour a bell"}),
    ("version-save", {"name": "before the pour"}),
    ("level", {"ids": ["bang"], "by_db": -1}),
]


@pytest.fixture
def answers(signed_in, film, after_commit):
    """Every JSON answer of a programme that has a little of everything, by name."""
    Source.objects.filter(programme=film, role="dialogue").update(speech=[[SECOND, 2 * SECOND, 0.9]], is_listened=True)
    make_spoken(film)
    clips = {clip.name: str(clip.pk) for clip in Clip.objects.filter(track__programme=film)}
    track = str(Track.objects.get(programme=film, name="score").pk)
    url = f"/programmes/{film.pk}"

    def post(place, data):
        with after_commit(), after_commit():
            answer = signed_in.post(
                f"{url}/{place}", json.dumps(data), "application/json", headers={"accept": "application/json"}
            )
        assert answer.status_code == 200, (place, data, answer.content)
        return answer.json()

    edited = {}
    for kind, data in EDITS:
        film.refresh_from_db()
        named = {name: [clips.get(one, track) for one in v] if name == "ids" else v for name, v in data.items()}
        if named.get("id") in (*clips, "TRACK"):
            named["id"] = clips.get(named["id"], track)
        edited = post("arrange/edits", {"kind": kind, "revision": film.revision, **named})

    def get(place):
        answer = signed_in.get(f"{url}/{place}", headers={"accept": "application/json"})
        assert answer.status_code == 200, (place, answer.content)
        return answer.json()

    voice = clips["voice"]
    return {
        "arrange edit": edited,
        "arrange state": get("arrange/state"),
        "arrange history": get("arrange/history"),
        "balance state": get("state"),
        "balance level path": get(f"level-path?clip={voice}&at={2 * SECOND}"),
        "balance contours": get(f"contours?from=0&to={8 * SECOND}&columns=40"),
        "level state": get("level/state"),
        "level view": post("level/view", {"target": "clip", "id": clips["score"], "chain": [{"kind": "compressor"}]}),
        "level even": post(
            "level/even", {"ids": [voice], "options": {"goal": -23, "strength_percent": 100, "most_change_db": 12}}
        ),
        "words state": get("words/state"),
    }


def shape_of(value):
    """A value as its keys and kinds; a list as the kinds of its rows together; keys that are ids as one."""
    if isinstance(value, dict):
        if value and all(IDS.match(key) for key in value):
            return {"*": merged([shape_of(one) for one in value.values()])}
        return {key: shape_of(one) for key, one in sorted(value.items())}
    if isinstance(value, list):
        return [merged([shape_of(one) for one in value])]
    return {type(None): "null", bool: "boolean", str: "text"}.get(type(value), "number")


def merged(shapes):
    """One shape of several rows: keys of all of them, kinds of each."""
    objects = [one for one in shapes if isinstance(one, dict)]
    lists = [row for one in shapes if isinstance(one, list) for row in one]
    plain = sorted({kind for one in shapes if isinstance(one, str) for kind in one.split("|")})
    found = ["|".join(plain)] if plain else []
    if lists or any(isinstance(one, list) for one in shapes):
        found.append([merged(lists)])
    if objects:
        found.append(
            {
                key: merged([one[key] for one in objects if key in one])
                for key in sorted({k for o in objects for k in o})
            }
        )
    return found[0] if len(found) == 1 else found


def test_answers_have_the_shape_that_was_recorded(answers):
    found = {name: shape_of(answer) for name, answer in answers.items()}
    if os.environ.get("RECITANT_RECORD_SHAPES"):
        RECORDED.write_text(json.dumps(found, indent=1) + "\n")
    recorded = json.loads(RECORDED.read_text())
    assert sorted(found) == sorted(recorded)
    for name, shape in recorded.items():
        assert found[name] == shape, f"{name}: see the head of this file"


def keys_of(shape):
    """Every key of a shape, wherever it stands."""
    if isinstance(shape, dict):
        return {key for key in shape if key != "*"}.union(*map(keys_of, shape.values()))
    return set().union(*map(keys_of, shape)) if isinstance(shape, list) else set()


@pytest.mark.parametrize("page", READERS)
def test_every_key_of_a_state_is_read_by_a_script(page):
    scripts = [*(SCRIPTS / "lib").glob("*.js"), *(SCRIPTS / page).rglob("*.js")]
    read = set(re.findall(r"\w+", " ".join(path.read_text() for path in scripts)))
    assert sorted(keys_of(json.loads(RECORDED.read_text())[f"{page} state"]) - read - UNREAD) == []
