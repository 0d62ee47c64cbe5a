"""Rows of an earlier release keep their sentences when codes and facts take their place."""

import pytest
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from recitant_text.findings import finding_shown
from recitant_text.fits import fit_text, verdict_words
from recitant_text.messages import message_text
from recitant_text.steps import label_text

BEFORE = [("desk", "0015_ties"), ("jobs", "0004_line"), ("programme", "0014_words"), ("accounts", "0003_words")]
REMEDY = {"code": "use-first", "is_safe": True, "routing": "first", "words": "Use the left one"}
FINDING = {"code": "hum", "severity": "warning", "title": "Mains hum", "places": [], "remedies": [REMEDY]}


@pytest.fixture
def earlier(transactional_db):
    """Tables as they were; goes to those of now when it is called."""
    executor = MigrationExecutor(connection)
    newest = executor.loader.graph.leaf_nodes()
    executor.migrate(BEFORE)
    apps = executor.loader.project_state(BEFORE).apps

    def go_on():
        MigrationExecutor(connection).migrate(newest)

    try:
        yield apps, go_on
    finally:
        go_on()


def test_sentences_become_facts(earlier):
    apps, go_on = earlier
    workspace = apps.get_model("accounts", "Workspace").objects.create(name="Foundry")
    film = apps.get_model("programme", "Programme").objects.create(workspace=workspace, title="Film", frame_rate="25")
    Job, Source = apps.get_model("jobs", "Job"), apps.get_model("programme", "Source")
    ended = Job.objects.create(workspace=workspace, kind="programme.ingest", state="done", sentence="“voice” is ready.")
    waiting = Job.objects.create(workspace=workspace, kind="programme.ingest")
    with_facts = FINDING | {"facts": {"mains_hz": 50, "dbfs": -41.0}, "sentence": "Steady hum."}
    without = FINDING | {"sentence": "Hum, as it was said once."}
    source = Source.objects.create(
        programme=film, name="a.wav", state="refused", sentence="It is none.", findings=[with_facts, without]
    )
    Edit = apps.get_model("desk", "Edit")
    said = Edit.objects.create(
        programme=film, label="+3.0 dB on a \\ “b”", said="Ducking followed: 1 dip moved.", changes=[]
    )
    quiet = Edit.objects.create(programme=film, label="split at 00:00:03:00", changes=[])
    FitResult, Programme = apps.get_model("desk", "FitResult"), apps.get_model("programme", "Programme")
    fitted = FitResult.objects.create(
        programme=film, plan_key="k", spec_id="s", gain_db=2.0, is_reached=True, sentence="+2.0 dB brings it there."
    )
    Programme.objects.filter(pk=film.pk).update(
        judged={"revision": 3, "state": "passes", "words": "passes with −2.0 dB"}
    )
    loud = Programme.objects.create(
        workspace=workspace, title="Loud", frame_rate="25", judged={"state": "fails", "words": "−20.4 LUFS"}
    )
    go_on()

    from recitant_web.accounts.models import Membership
    from recitant_web.desk.edits.posted import followed_text
    from recitant_web.desk.models import Edit as EditNow
    from recitant_web.desk.models import FitResult as FitNow
    from recitant_web.jobs.models import Job as JobNow
    from recitant_web.programme.models import Programme as ProgrammeNow
    from recitant_web.programme.models import Source as SourceNow

    assert fit_text(FitNow.objects.get(pk=fitted.pk).facts) == "+2.0 dB brings it there."
    assert verdict_words(ProgrammeNow.objects.get(pk=film.pk).judged) == "passes with −2.0 dB"
    assert verdict_words(ProgrammeNow.objects.get(pk=loud.pk).judged) == "−20.4 LUFS"

    assert JobNow.objects.get(pk=ended.pk).sentence == "“voice” is ready."
    assert JobNow.objects.get(pk=waiting.pk).message == {}
    now = SourceNow.objects.get(pk=source.pk)
    assert message_text(now.message) == "It is none."
    shown = [finding_shown(one) for one in now.findings]
    assert shown[0]["sentence"] == "Steady hum of 50 Hz and multiples, −41.0 dBFS together."
    assert shown[1]["sentence"] == "Hum, as it was said once."
    assert [one["title"] for one in shown] == ["Mains hum", "Mains hum"]
    assert shown[0]["remedies"][0]["words"] == "Use the left one" and "words" not in now.findings[0]["remedies"][0]
    first, second = EditNow.objects.get(pk=said.pk), EditNow.objects.get(pk=quiet.pk)
    assert label_text(first.label) == "+3.0 dB on a \\ “b”"
    assert followed_text(first.said) == "Ducking followed: 1 dip moved." and followed_text(second.said) == ""
    assert not Membership.objects.exclude(role="owner").exists()
