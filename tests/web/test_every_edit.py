"""Every kind of edit: nonsense is refused in words and changes nothing; long sessions come back step by step."""

import json
import random

import msgspec
import pytest
from django.forms.models import model_to_dict

from recitant_web.desk.edits import posted as doors
from recitant_web.desk.edits.registry import edit_classes
from recitant_web.desk.log import TABLES
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Clip, Edit, EditState, Marker, Track
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db
SECOND = 48_000
assert doors.EDITS  # reading it registers every kind
KINDS = {kind.__struct_config__.tag: kind for kind in edit_classes()}
NONSENSE = [None, True, -1, 1e30, "", "x", "１", "NaN", "-inf", "' OR 1=1", [], [None], ["x"], [[1]], {}, {"a": [1]}]


def rows_of(film):
    """Every row that an edit may change, by table and number."""
    kept = {}
    for table, model in TABLES.items():
        owner = {"clip": "track__programme", "programme": "pk", "word_mark": "source__programme"}.get(
            table, "programme"
        )
        rows = model.objects.filter(**{owner: film.pk})
        kept |= {(table, row.pk): model_to_dict(row) for row in rows}
    for name in ("revision", "judged", "changed_at"):  # of no edit
        kept["programme", film.pk].pop(name, None)
    return kept


@pytest.fixture
def desk(signed_in, film, after_commit):
    """Posts an edit as it stands; its status and its answer."""

    class Desk:
        def post(self, data):
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/arrange/edits",
                    json.dumps(data),
                    "application/json",
                    headers={"accept": "application/json"},
                )
            return answer.status_code, answer.json()

        def edit(self, kind, **data):
            revision = Programme.objects.get(pk=film.pk).revision
            return self.post({"kind": kind, "revision": revision, **data})

    found = Desk()
    found.film = film
    found.clips = [str(pk) for pk in Clip.objects.values_list("pk", flat=True)]
    found.tracks = [str(pk) for pk in Track.objects.values_list("pk", flat=True)]
    return found


# Nothing is there: every number of a row is one that does not exist.
GONE = dict.fromkeys(("id", "source_id", "track_id", "target_id", "to_id"), "999999")
GONE |= {"ids": ["999999"], "source_ids": ["999999"], "edit_id": 999_999, "target": "clip"}
# Some kinds need no row, or take what text there is: they are done, and taken back.
MAY_BE_DONE = {
    "clearance",
    "zones",
    "lock",
    "version-save",
    "marker-add",
    "chapters",
    "track-add",
    "spec",
    "step-back",
    "programme-gain",
    "programme-set",
    "lane-heights",
    "tracks-remove-empty",
    "caption-add",
    "caption-rules",
    "captions-sounds",
    "open-gap",
    "take-out",
    "close-gap",
}
STEPS = {"undo", "redo", "go-to"}


def test_nonsense_is_refused_in_words_and_changes_nothing(desk):
    assert len(KINDS) > 50
    before, n_edits = rows_of(desk.film), Edit.objects.count()
    for kind in sorted(set(KINDS) - STEPS):
        for body in [{}, GONE, *_each_field_wrong(kind, GONE)]:
            status, answer = desk.edit(kind, **body)
            if status == 200:
                assert kind in MAY_BE_DONE, (kind, body)
                while Edit.objects.filter(state=EditState.DONE).count() > n_edits:
                    assert desk.edit("undo")[0] == 200
            else:
                assert status in (400, 404, 409, 422) and len(answer["sentence"].split()) > 2, (kind, body, answer)
        assert rows_of(desk.film) == before, kind


def test_nonsense_about_what_is_there_is_done_or_refused_and_comes_back(desk):
    clip, track = desk.clips[0], desk.tracks[0]
    there = {"ids": [clip], "id": clip, "target_id": clip, "track_id": track, "target": "clip", "to_id": desk.clips[1]}
    there |= {"source_id": str(Clip.objects.get(pk=clip).source_id), "edge": "in", "shape": "smooth", "role": "music"}
    there |= {"at_sample": SECOND, "by_samples": 10, "length_samples": SECOND, "from_sample": 0, "to_sample": SECOND}
    there |= {
        "gain_db": -3,
        "by_db": -3,
        "points": [[0, 0]],
        "name": "n",
        "text": "t",
        "code": "raise-clip",
        "index": 0,
    }
    there |= {
        "start_sample": 0,
        "strength": 50,
        "most_db": 6,
        "open_lu": -4,
        "under_lu": -12,
        "chain": [],
        "marker": "note",
    }
    n_edits, refused = Edit.objects.count(), 0
    before = rows_of(desk.film)
    for kind in sorted(set(KINDS) - STEPS - {"version-return"}):
        data = (
            there | ({"id": track} if kind.startswith("track-") else {}) | ({"edge": "end"} if kind == "trim" else {})
        )
        for body in _each_field_wrong(kind, data):
            status, answer = desk.edit(kind, **body)
            assert status in (200, 400, 404, 409, 422), (kind, body, answer)
            refused += status != 200
            while Edit.objects.filter(state=EditState.DONE).count() > n_edits:
                assert desk.edit("undo")[0] == 200
        assert rows_of(desk.film) == before, kind
    assert refused > 500


def _each_field_wrong(kind, body):
    names = [field.encode_name for field in msgspec.structs.fields(KINDS[kind]) if field.name != "revision"]
    return [{**body, name: value} for name in names for value in NONSENSE]


def test_what_is_no_edit_is_refused(desk):
    for body in ({}, [], "x", None, 3, {"kind": "launch", "revision": 1}, {"kind": ["move"]}, {"kind": "undo"}):
        assert desk.post(body)[0] in (400, 404, 409, 422)
    assert Edit.objects.filter(state=EditState.DONE).count() == Edit.objects.count()


def _random_edit(desk, chance):
    clip = chance.choice(list(Clip.objects.filter(track__programme=desk.film)) or [None])
    track = chance.choice(list(Track.objects.filter(programme=desk.film)))
    marker = Marker.objects.filter(programme=desk.film).first()
    if clip is None:
        return "undo", {}
    one, at = str(clip.pk), clip.start_sample + chance.randrange(1, max(2, clip.length_samples))
    place = chance.randrange(0, 40 * SECOND)
    return chance.choice(
        [
            ("move", {"ids": [one], "by_samples": chance.randrange(-SECOND, 3 * SECOND)}),
            ("place", {"ids": [one], "at_sample": place}),
            (
                "trim",
                {"id": one, "edge": chance.choice(["start", "end"]), "by_samples": chance.randrange(-9_000, 9_000)},
            ),
            ("slip", {"id": one, "by_samples": chance.randrange(-9_000, 9_000)}),
            ("split", {"ids": [one], "at_sample": at}),
            ("paste", {"ids": [one], "at_sample": place}),
            ("delete", {"ids": [one], "close_gap": chance.random() < 0.5}),
            (
                "fade",
                {"ids": [one], "edge": chance.choice(["in", "out"]), "length_samples": chance.randrange(0, SECOND)},
            ),
            ("level", {"ids": [one], "by_db": chance.randrange(-6, 7)}),
            ("curve", {"ids": [one], "points": [[0, 0], [chance.randrange(1, SECOND), -chance.randrange(0, 20)]]}),
            ("group", {"ids": [one], "is_grouped": chance.random() < 0.5}),
            ("name", {"ids": [one], "name": f"name {chance.randrange(99)}"}),
            ("gain", {"target": "track", "id": str(track.pk), "gain_db": chance.randrange(-20, 7)}),
            ("chain", {"target": "track", "ids": [str(track.pk)], "chain": chance.choice([[], [{"kind": "gain"}]])}),
            ("track-set", {"id": str(track.pk), "pan": chance.randrange(-100, 101)}),
            ("track-add", {"role": "effects", "name": "more"}),
            ("track-order", {"id": str(track.pk), "to": chance.randrange(4)}),
            ("duck-add", {"target": "stem", "id": "music", "start": "talk over a bed"}),
            ("marker-add", {"marker": "note", "at_sample": place, "text": "here"}),
            ("marker-remove", {"id": str(marker.pk) if marker else "1"}),
            ("undo", {}),
            ("redo", {}),
        ]
    )


@pytest.mark.parametrize("seed", range(3))
def test_a_long_session_comes_back_step_by_step(desk, seed):
    chance = random.Random(seed)
    states = {}

    def newest():
        return Edit.objects.filter(state=EditState.DONE).order_by("-pk").values_list("pk", flat=True).first() or 0

    first = newest()
    states[first] = rows_of(desk.film)
    for _ in range(36):
        kind, data = _random_edit(desk, chance)
        status, answer = desk.edit(kind, **data)
        assert status in (200, 404, 409, 422), answer
        now = rows_of(desk.film)
        if kind in ("undo", "redo") or status != 200:
            assert now == states[newest()]  # a way back or forth ends where it was; a refusal changes nothing
        states[newest()] = now
        if status == 200:
            kept = plan_of(Programme.objects.get(pk=desk.film.pk))
            clear_caches()
            assert plan_of(Programme.objects.get(pk=desk.film.pk)) == kept  # as kept in memory, so in the rows
    while newest() > first:
        assert rows_of(desk.film) == states[newest()]
        assert desk.edit("undo")[0] == 200
    assert rows_of(desk.film) == states[first]


def test_a_step_is_not_taken_back_from_under_what_a_later_one_made(desk):
    clip = Clip.objects.get(name="bang")
    assert desk.edit("paste", ids=[str(clip.pk)], at_sample=5 * SECOND)[0] == 200
    brought = Edit.objects.get(label__name="bang")
    before = rows_of(desk.film)
    status, answer = desk.edit("step-back", edit_id=brought.pk)
    # Its track would go, and the pasted clip with it, which no undo would bring back.
    assert status == 409 and len(answer["sentence"].split()) > 4
    assert rows_of(desk.film) == before
    assert desk.edit("undo")[0] == 200 and desk.edit("step-back", edit_id=brought.pk)[0] == 200
    assert not Clip.objects.filter(name="bang").exists()
    assert desk.edit("undo")[0] == 200 and Clip.objects.filter(name="bang").exists()
