"""Whether a programme moved on: answered by one statement, to those who may see it."""

import html
import re
from datetime import UTC, datetime

import pytest
from django.core.signing import Signer

from recitant_web.accounts.models import Membership, Workspace
from recitant_web.programme.following import following_key
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db


@pytest.fixture
def film(account):
    _, workspace = account
    return Programme.objects.create(workspace=workspace, title="Harbour", revision=7)


def asks(client, film, key, seen=7):
    return client.get(f"/programmes/{film.pk}/moved", {"key": key, "seen": seen})


@pytest.mark.parametrize("page", ["arrange", "level", "balance"])
def test_a_page_brings_an_address_that_answers(signed_in, film, page):
    found = re.search(r'data-moved="([^"]+)"', signed_in.get(f"/programmes/{film.pk}/{page}").content.decode())
    url = html.unescape(found[1])
    assert signed_in.get(f"{url}&seen=7").status_code == 304
    Programme.objects.filter(pk=film.pk).update(revision=8)
    answer = signed_in.get(f"{url}&seen=7")
    assert answer.json() == {"revision": 8} and answer["Cache-Control"] == "no-store"


def test_a_question_costs_one_statement(client, account, film, django_assert_num_queries):
    with django_assert_num_queries(1):
        assert asks(client, film, following_key(account[0].pk)).status_code == 304


@pytest.mark.parametrize("key", ["", "1", "1:nonsense", Signer(salt="another").sign(1), "\ud800x:y", "9" * 5_000])
def test_a_key_that_nobody_signed_is_refused(client, film, key):
    assert asks(client, film, key.encode("utf-8", "surrogatepass")).status_code == 404


def test_the_key_of_a_person_opens_only_what_the_person_may_see(client, account, film, django_user_model):
    user, workspace = account
    key = following_key(user.pk)
    other = Workspace.objects.create(name="Others")
    theirs = Programme.objects.create(workspace=other, title="Not yours", revision=7)
    assert asks(client, theirs, key).status_code == 404
    Membership.objects.create(workspace=other, user=user)
    assert asks(client, theirs, key).status_code == 304
    Membership.objects.filter(workspace=workspace, user=user).delete()
    assert asks(client, film, key).status_code == 404
    django_user_model.objects.filter(pk=user.pk).update(is_active=False)
    assert asks(client, theirs, key).status_code == 404


def test_a_deleted_programme_and_one_that_never_was_are_not_found(client, account, film):
    key = following_key(account[0].pk)
    Programme.objects.filter(pk=film.pk).update(deleted_at=datetime.now(UTC))
    assert asks(client, film, key).status_code == 404
    assert client.get("/programmes/999999999999999999/moved", {"key": key, "seen": 1}).status_code == 404
    assert client.post(f"/programmes/{film.pk}/moved", {"key": key}).status_code == 404
