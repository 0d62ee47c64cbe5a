"""Who may do what with a programme: every address of one asks for a right, and a role that lacks it is refused."""

import inspect

import pytest
from django.urls import get_resolver

from recitant_web.accounts import rights
from recitant_web.accounts.models import Membership
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db
# Asks by itself, since it opens deleted programmes too.
BY_ITSELF = {"keep"}


def views_of_programmes(patterns=None):
    """Every view whose address names a programme, by the name of the address."""
    found = {}
    for one in get_resolver().url_patterns if patterns is None else patterns:
        if hasattr(one, "url_patterns"):
            found |= views_of_programmes(one.url_patterns)
        elif "programme_id" in one.pattern.converters:
            found[one.name] = one.callback
    return found


def test_every_view_of_a_programme_asks_for_a_right():
    found = views_of_programmes()
    assert len(found) > 50
    rights_asked = {name: getattr(view, "right", None) for name, view in found.items()}
    assert {name for name, right in rights_asked.items() if right is None} == BY_ITSELF
    assert set(rights_asked.values()) - {None} <= rights.RIGHTS[rights.OWNER]


def test_views_that_only_read_ask_for_no_more_than_to_see():
    for name, view in views_of_programmes().items():
        if name not in BY_ITSELF:
            written = inspect.getsource(inspect.unwrap(view))
            is_read = "@require_safe" in written or "@reads" in written
            assert not is_read or view.right == "see", name


@pytest.fixture
def listener(account, monkeypatch):
    """The account, in a role that sees and listens only."""
    monkeypatch.setitem(rights.RIGHTS, "listener", frozenset({"see"}))
    Membership.objects.filter(user=account[0]).update(role="listener")
    return account[0]


@pytest.mark.parametrize("page", ["intake", "arrange", "words", "level", "balance", "hand-over"])
def test_a_role_that_sees_opens_every_page(signed_in, film, listener, page):
    assert signed_in.get(f"/programmes/{film.pk}/{page}").status_code == 200


@pytest.mark.parametrize(
    ("address", "form"),
    [
        ("arrange/edits", {}),
        ("hand-over", {}),
        ("sheet", {"add": "ebu-r128"}),
        ("keep", {"what": "rename", "title": "Another"}),
        ("keep", {"what": "delete"}),
        ("remove", {"recording": "1"}),
    ],
)
def test_a_role_that_sees_changes_nothing(signed_in, film, listener, address, form):
    answer = signed_in.post(f"/programmes/{film.pk}/{address}", form, headers={"accept": "application/json"})
    assert answer.status_code == 403 and "role in this workspace" in answer.json()["sentence"]
    after = Programme.objects.get(pk=film.pk)
    assert (after.title, after.revision, after.deleted_at) == (film.title, film.revision, None)
    assert not film.deliveries.exists()


def test_a_role_that_is_not_known_sees_nothing(signed_in, film, account):
    Membership.objects.filter(user=account[0]).update(role="nobody")
    assert signed_in.get(f"/programmes/{film.pk}/balance").status_code == 404
    assert film.title.encode() not in signed_in.get("/").content


def test_everybody_is_an_owner_so_far(account):
    assert set(Membership.objects.values_list("role", flat=True)) == {rights.OWNER}
