"""Stems that a workspace defines: made, used on every page, delivered under their names, offered no longer."""

import pytest

from recitant_web.accounts.models import Membership, Workspace
from recitant_web.balance.queries import desk_state
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Stem, Track
from recitant_web.level.queries import level_state
from recitant_web.programme.models import Programme, Source

pytestmark = pytest.mark.django_db


@pytest.fixture
def stems(signed_in, account):
    """Posts to the page of the workspace's stems."""

    def post(status=302, **data):
        answer = signed_in.post("/stems", {"workspace": account[1].pk, **data})
        assert answer.status_code == status, answer.content
        return answer.content.decode()

    return post


def test_stems_are_made_and_refused_in_words(stems, signed_in, account):
    stems(kind="effects", name="Foley")
    stems(kind="narration", name=" Erzähler 2 ")
    assert Workspace.objects.get(pk=account[1].pk).stems == ["effects:foley", "narration:erzahler-2"]
    page = signed_in.get("/stems").content.decode()
    assert "Foley" in page and ">Fo</span>" in page and "as effects" in page
    for wrong in ({"kind": "foley", "name": "x"}, {"kind": "music", "name": "…"}, {"kind": "music", "name": "a" * 14}):
        assert "up to 13 letters" in stems(422, **wrong)
    assert "already" in stems(422, kind="music", name="foley") and "already" in stems(422, kind="music", name="Effects")
    stems(remove="effects:foley")
    assert "effects:foley" not in Workspace.objects.get(pk=account[1].pk).stems


def test_another_workspace_is_nobodys_business(signed_in, account, django_user_model):
    other = Workspace.objects.create(name="Others")
    Membership.objects.create(workspace=other, user=django_user_model.objects.create_user("stranger"))
    assert signed_in.post("/stems", {"workspace": other.pk, "kind": "music", "name": "x"}).status_code == 404
    assert signed_in.post("/stems", {"workspace": "x", "kind": "music", "name": "x"}).status_code == 404


def test_a_track_goes_to_a_stem_of_ones_own_and_every_page_knows_it(stems, edit, film, signed_in, hand_over):
    bang = Track.objects.get(name="bang")
    assert "page Stems" in edit("track-set", 409, id=str(bang.pk), role="effects:foley")["sentence"]
    stems(kind="effects", name="Foley")
    edit("track-set", id=str(bang.pk), role="effects:foley")
    edit("gain", target="stem", id="effects:foley", gain_db=-3)
    assert Stem.objects.get(role="effects:foley").gain_db == -3.0
    edit("duck-add", target="stem", id="effects:foley", start="")
    edit("chain", target="stem", ids=["effects:foley"], chain=[{"kind": "gain", "values": {"gain_db": 1.0}}])
    plan = plan_of(Programme.objects.get(pk=film.pk))
    assert [role.value for role in plan.roles] == ["dialogue", "music", "effects:foley"]
    stave = desk_state(film)["staves"][-1]
    assert (stave["role"], stave["name"], stave["letter"]) == ("effects:foley", "Foley", "Fo")
    assert level_state(film)["stems"][-1]["name"] == "Foley stem"
    for page in ("intake", "arrange", "level", "balance", "hand-over"):
        assert "Foley" in signed_in.get(f"/programmes/{film.pk}/{page}").content.decode(), page
    hand_over(film, {"online-14": "mix,stems"})
    files = film.deliveries.get().report["deliveries"][0]["files"]
    assert "stem-effects-foley-online-14.wav" in [file["file"] for file in files]
    # What is offered no longer is left as it is.
    stems(remove="effects:foley")
    assert signed_in.get(f"/programmes/{film.pk}/arrange").status_code == 200
    edit("track-set", id=str(bang.pk), pan=0.5)
    for _ in range(5):
        edit("undo")
    assert Track.objects.get(pk=bang.pk).role == "effects"


def test_a_recording_is_said_to_be_of_a_stem_of_ones_own(stems, edit, film, signed_in):
    stems(kind="effects", name="Foley")
    source = Source.objects.get(name="bang.wav")
    answer = signed_in.post(f"/programmes/{film.pk}/roles", {"ids": source.pk, "role": "effects:foley"})
    assert answer.status_code == 200 and ">Fo</span>" in answer.content.decode()
    assert Track.objects.get(name="bang").role == "effects:foley"
