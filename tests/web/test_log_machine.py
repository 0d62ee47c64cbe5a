"""The log of edits as a state machine: in whatever order, every step leads to the rows that it led to before.

The model is small: rows after each step in force, steps that were undone, rows kept by versions. What hypothesis finds
it shortens to the fewest presses.
"""

import pytest
from django.db import transaction
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule, run_state_machine_as_test

from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Clip, Duck, Edit, EditState, Marker, Track, Version
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import clear_caches
from web.test_every_edit import SECOND, desk, rows_of  # noqa: F401  the fixture is asked for by its name

pytestmark = pytest.mark.django_db

WHICH = st.integers(0, 20)
"""One of the rows that there are: a number beyond them begins again at the first."""
OFFSET = st.integers(-2 * SECOND, 2 * SECOND)
PLACE = st.integers(0, 30 * SECOND)
GAIN_DB = st.integers(-20, 6)
SHORT = st.integers(0, SECOND)
SET_BY_VERSIONS = {"stem", "marker", "track", "duck", "clip", "caption"}


def _machine(opened):
    """A class of machines over one programme; each begins with the programme as it was, and leaves it so."""

    class Log(RuleBasedStateMachine):
        def __init__(self):
            super().__init__()
            self.outer = transaction.atomic()
            self.outer.__enter__()
            clear_caches()
            self.film = opened.film
            self.done = [0, *self._edits(EditState.DONE)]
            self.undone = []
            self.rows = {self.done[-1]: rows_of(self.film)}
            self.versions = {}

        def teardown(self):
            transaction.set_rollback(True)
            self.outer.__exit__(None, None, None)
            clear_caches()

        def _edits(self, state):
            return list(
                Edit.objects.filter(programme=self.film, state=state).order_by("pk").values_list("pk", flat=True)
            )

        def _press(self, kind, **data):
            """Posts an edit; whether a step was made. What is refused changes nothing."""
            status, answer = opened.edit(kind, **data)
            if status != 200:
                assert status in (409, 422) and answer["sentence"], (kind, data, answer)
                assert rows_of(self.film) == self.rows[self.done[-1]]
                return False
            made = [pk for pk in self._edits(EditState.DONE) if pk not in self.done and pk not in self.undone]
            if made:
                assert len(made) == 1, (kind, data)
                self.done, self.undone = [*self.done, *made], []
                self.rows[made[0]] = rows_of(self.film)
            return bool(made)

        def _there(self, model):
            owner = "track__programme" if model is Clip else "programme"
            return list(model.objects.filter(**{owner: self.film}).order_by("pk").values_list("pk", flat=True))

        def _row(self, model, which):
            found = self._there(model)
            return str(found[which % len(found)]) if found else "999999"

        @rule(which=WHICH, by_samples=OFFSET)
        def move(self, which, by_samples):
            self._press("move", ids=[self._row(Clip, which)], by_samples=by_samples)

        @rule(which=WHICH, edge=st.sampled_from(["start", "end"]), by_samples=st.integers(-9_000, 9_000))
        def trim(self, which, edge, by_samples):
            self._press("trim", id=self._row(Clip, which), edge=edge, by_samples=by_samples)

        @rule(which=WHICH, at_sample=PLACE)
        def split(self, which, at_sample):
            self._press("split", ids=[self._row(Clip, which)], at_sample=at_sample)

        @rule(which=WHICH, at_sample=PLACE)
        def paste(self, which, at_sample):
            self._press("paste", ids=[self._row(Clip, which)], at_sample=at_sample)

        @rule(which=WHICH, close_gap=st.booleans())
        def delete(self, which, close_gap):
            self._press("delete", ids=[self._row(Clip, which)], close_gap=close_gap)

        @rule(which=WHICH, edge=st.sampled_from(["in", "out"]), length_samples=SHORT)
        def fade(self, which, edge, length_samples):
            self._press("fade", ids=[self._row(Clip, which)], edge=edge, length_samples=length_samples)

        @rule(which=WHICH, at_sample=SHORT, gain_db=GAIN_DB)
        def draw_curve(self, which, at_sample, gain_db):
            self._press("curve", ids=[self._row(Clip, which)], points=[[0, 0], [at_sample + 1, gain_db]])

        @rule(which=WHICH, model=st.sampled_from([Clip, Track]), gain_db=GAIN_DB)
        def set_gain(self, which, model, gain_db):
            self._press("gain", target=model.__name__.lower(), id=self._row(model, which), gain_db=gain_db)

        @rule(which=WHICH, pan=st.integers(-100, 100))
        def pan(self, which, pan):
            self._press("track-set", id=self._row(Track, which), pan=pan)

        @rule(name=st.sampled_from(["Ladle", "Pour"]), role=st.sampled_from(["effects", "music"]))
        def add_track(self, name, role):
            self._press("track-add", role=role, name=name)

        @rule(which=WHICH, to=st.integers(0, 5))
        def order_tracks(self, which, to):
            self._press("track-order", id=self._row(Track, which), to=to)

        @rule(which=WHICH)
        def set_chain(self, which):
            self._press("chain", target="track", ids=[self._row(Track, which)], chain=[{"kind": "gain"}])

        @precondition(lambda self: not self._there(Duck))
        @rule()
        def add_duck(self):
            self._press("duck-add", target="stem", id="music", start="talk over a bed")

        @precondition(lambda self: self._there(Duck))
        @rule(which=WHICH)
        def remove_duck(self, which):
            self._press("duck-remove", id=self._row(Duck, which))

        @rule(at_sample=PLACE)
        def add_marker(self, at_sample):
            self._press("marker-add", marker="note", at_sample=at_sample, text="strike")

        @precondition(lambda self: self._there(Marker))
        @rule(which=WHICH)
        def remove_marker(self, which):
            self._press("marker-remove", id=self._row(Marker, which))

        @rule(start_sample=PLACE)
        def add_caption(self, start_sample):
            self._press("caption-add", start_sample=start_sample, end_sample=start_sample + SECOND, text="The pour")

        @precondition(lambda self: len(self.done) > 2)
        @rule(which=WHICH)
        def step_back(self, which):
            at = which % (len(self.done) - 1) + 1
            newest = at == len(self.done) - 1
            before = self.rows.get(self.done[-2])
            made = self._press("step-back", edit_id=self.done[at])
            if made and newest and before is not None:
                assert _but_curves(rows_of(self.film)) == _but_curves(before)

        @precondition(lambda self: self.done[-2:-1] and self.done[-2] in self.rows)
        @rule()
        def undo(self):
            self._press("undo")
            self.undone.insert(0, self.done.pop())

        @precondition(lambda self: self.undone)
        @rule(n=st.integers(1, 4))
        def redo(self, n):
            for _ in range(min(n, len(self.undone))):
                self._press("redo")
                self.done.append(self.undone.pop(0))

        @precondition(lambda self: not self.undone)
        @rule()
        def redo_where_nothing_was_undone(self):
            assert opened.edit("redo")[0] == 409

        @rule(which=WHICH)
        def go_to(self, which):
            reached = [pk for pk in [*self.done, *self.undone] if pk in self.rows and pk]
            if reached:
                target = reached[which % len(reached)]
                assert not self._press("go-to", edit_id=target)
                steps = [*self.done, *self.undone]
                at = steps.index(target) + 1
                self.done, self.undone = steps[:at], steps[at:]

        @precondition(lambda self: len(self.versions) < 2)
        @rule()
        def save_version(self):
            assert not self._press("version-save", name="before the pour")
            self.versions[Version.objects.filter(programme=self.film).latest("pk").pk] = rows_of(self.film)

        @precondition(lambda self: self.versions)
        @rule(which=WHICH)
        def return_to_version(self, which):
            chosen = sorted(self.versions)[which % len(self.versions)]
            self._press("version-return", id=str(chosen))
            assert _of_versions(rows_of(self.film)) == _of_versions(self.versions[chosen])

        @rule(which=WHICH)
        def press_on_sight_of_an_older_state(self, which):
            revision = Programme.objects.get(pk=self.film.pk).revision - 1
            data = {"kind": "gain", "target": "clip", "id": self._row(Clip, which), "gain_db": -1, "revision": revision}
            assert opened.post(data)[0] == 409

        @invariant()
        def rows_are_those_of_the_newest_step(self):
            assert rows_of(self.film) == self.rows[self.done[-1]]
            assert self.done[1:] == self._edits(EditState.DONE)
            assert self.undone == self._edits(EditState.UNDONE)

        @invariant()
        def the_plan_that_is_kept_is_the_plan_of_the_rows(self):
            kept = plan_of(Programme.objects.get(pk=self.film.pk))
            clear_caches()
            assert plan_of(Programme.objects.get(pk=self.film.pk)) == kept

    return Log


def _of_versions(rows):
    return {key: row for key, row in rows.items() if key[0] in SET_BY_VERSIONS}


def _but_curves(rows):
    """Rows without what ducking remakes, and without settings rows of stems, which stay."""
    kept = {key: row for key, row in rows.items() if key[0] != "stem"}
    remade = ("points", "room_points")
    return {key: {name: v for name, v in row.items() if name not in remade} for key, row in kept.items()}


def test_every_step_leads_where_it_led_before(desk):  # noqa: F811
    run_state_machine_as_test(
        _machine(desk),
        settings=settings(
            max_examples=10,
            stateful_step_count=28,
            derandomize=True,
            suppress_health_check=list(HealthCheck),
        ),
    )
