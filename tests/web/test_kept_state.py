"""Data of an older release opens as before: kept rows of revision bc9ba34 give the same plan and history."""

import json
from pathlib import Path

import numpy as np
import pytest
from celery import current_app
from django.core import serializers

from recitant_core.interchange.plan_json import plan_to_data
from recitant_core.units.channels import layout_from_count
from recitant_io.store.conform import conform_blocks
from recitant_web.desk.mapping.plans import plan_key, plan_of
from recitant_web.desk.models import Edit, EditState, Verdict
from recitant_web.jobs.models import Job
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.queries import conformed_folder
from signals import programme, sine

pytestmark = pytest.mark.django_db
KEPT = json.loads((Path(__file__).parents[1] / "data" / "state-bc9ba34.json").read_text())
RECORDINGS = {  # what conftest.make_programme brings in
    "voice.wav": programme(21, 6.0, 1),
    "score.wav": programme(22, 8.0) * np.float32(1.6),
    "bang.wav": sine(-38, 1.0, 300.0, n_channels=1),
}


def as_migrated(row):
    """A row as migrations leave it: sentences as facts (tests/web/test_migrations.py)."""
    fields = dict(row["fields"])
    if row["model"] in ("jobs.job", "programme.source"):
        sentence = fields.pop("sentence")
        fields["message"] = {"text": sentence} if sentence else {}
    elif row["model"] == "desk.fitresult":
        fields["facts"] = {"text": fields.pop("sentence")}
    elif row["model"] == "desk.edit":
        fields["label"] = {"code": "as-written", "text": fields["label"]}
        fields["said"] = {"text": fields["said"]} if fields["said"] else {}
    return row | {"fields": fields}


@pytest.fixture
def kept(media, jobs_run_at_once):
    """The programme of the dump, with its recordings conformed under the hashes that its rows name."""
    for row in serializers.deserialize("python", [as_migrated(row) for row in KEPT["rows"]]):
        row.save()
    for source in Source.objects.all():
        audio = RECORDINGS[source.name]
        layout = layout_from_count(audio.shape[1])
        conform_blocks([audio], layout, conformed_folder(source.sha256), lambda _done: None)
    return Programme.objects.get(pk=KEPT["programme"])


def data_of(programme_):
    plan = plan_of(programme_)
    return plan_to_data(plan, {c.source_key: c.source_key for t in plan.tracks for c in t.clips})


def test_rows_give_the_plan_they_gave(kept):
    assert kept.revision == KEPT["revision"]
    assert data_of(kept) == KEPT["plan"]
    assert plan_key(plan_of(kept)) == KEPT["plan_key"]
    assert Verdict.objects.filter(programme=kept, plan_key=KEPT["plan_key"]).exists()


def test_every_page_opens(kept, client):
    from django.contrib.auth.models import User

    client.force_login(User.objects.get(username="ines"))
    for page in ("intake", "arrange", "level", "balance", "hand-over", "state", "level/state", "arrange/state"):
        assert client.get(f"/programmes/{kept.pk}/{page}").status_code == 200, page
    state = client.get(f"/programmes/{kept.pk}/state").json()
    assert (state["undo"], state["redo"]) == ("split at 00:00:03:00", "deleted 2 clips") and state["is_exact"]


def test_the_whole_history_goes_back_and_forth(kept, client, django_capture_on_commit_callbacks):
    from django.contrib.auth.models import User

    client.force_login(User.objects.get(username="ines"))

    def edit(**data):
        kept.refresh_from_db()
        body = json.dumps({"revision": kept.revision, **data})
        with django_capture_on_commit_callbacks(execute=True):
            answer = client.post(f"/programmes/{kept.pk}/arrange/edits", body, "application/json")
        assert answer.status_code == 200, answer.content
        kept.refresh_from_db()

    newest = Edit.objects.filter(state=EditState.DONE).latest("pk").pk
    edit(kind="go-to", edit_id=0)
    assert data_of(kept)["tracks"] == []
    edit(kind="go-to", edit_id=newest)
    assert data_of(kept) == KEPT["plan"]
    edit(kind="version-return", id=kept.versions.get().pk)
    assert len([c for t in data_of(kept)["tracks"] for c in t["clips"]]) == 3
    edit(kind="undo")
    assert data_of(kept) == KEPT["plan"]


def test_queued_jobs_find_their_task(kept):
    waiting = Job.objects.filter(state="waiting").values_list("kind", flat=True)
    assert "desk.examine" in waiting
    current_app.loader.import_default_modules()
    names = ("desk.examine", "desk.first_balance", "desk.vary", "programme.ingest", "programme.listen")
    assert set(names) <= set(current_app.tasks)


def test_ambience_becomes_atmosphere_in_rows_steps_and_versions_and_back(kept):
    from importlib import import_module

    from django.apps import apps

    from recitant_web.desk.models import Duck, Stem, Track, Version

    track = kept.tracks.first()
    Track.objects.filter(pk=track.pk).update(role="ambience")
    Stem.objects.get_or_create(programme=kept, role="ambience")
    Duck.objects.create(programme=kept, stem="ambience")
    step = {"table": "track", "id": track.pk, "set": {"role": ["music", "ambience"], "name": ["ambience", "x"]}}
    gone = {"table": "stem", "id": 9, "delete": {"role": "ambience", "gain_db": 0.0}}
    edit = Edit.objects.create(programme=kept, label={"code": "as-written", "text": "r"}, changes=[step, gone])
    rows = {"track": {str(track.pk): {"role": "ambience", "name": "ambience"}}}
    version = Version.objects.create(programme=kept, name="v", revision=1, rows=rows)
    renamed = import_module("recitant_web.desk.migrations.0008_atmosphere").renamed
    renamed("ambience", "atmosphere")(apps, None)
    assert Track.objects.get(pk=track.pk).role == "atmosphere" and Duck.objects.filter(stem="atmosphere").exists()
    edit.refresh_from_db()
    version.refresh_from_db()
    # A name that happens to be the word stays what somebody called it.
    assert edit.changes[0]["set"] == {"role": ["music", "atmosphere"], "name": ["ambience", "x"]}
    assert edit.changes[1]["delete"]["role"] == "atmosphere"
    assert version.rows["track"][str(track.pk)] == {"role": "atmosphere", "name": "ambience"}
    renamed("atmosphere", "ambience")(apps, None)
    edit.refresh_from_db()
    assert edit.changes == [step, gone] and not Stem.objects.filter(role="atmosphere").exists()
