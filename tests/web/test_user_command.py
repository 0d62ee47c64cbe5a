"""Accounts from the command line."""

import io

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.core.management.base import CommandError

pytestmark = pytest.mark.django_db


@pytest.fixture
def user(monkeypatch):
    """Runs the command with a line on its standard input; what it said."""

    def run(*words, typed=""):
        out = io.StringIO()
        monkeypatch.setattr("sys.stdin", io.StringIO(f"{typed}\n"))
        call_command("user", *words, stdout=out)
        return out.getvalue()

    return run


def sign_in(client, name, password):
    """Whether they come in."""
    return client.post("/sign-in", {"username": name, "password": password}).status_code == 302


def test_somebody_new_signs_in_and_sees_a_workspace(user, client):
    assert "ada can sign in" in user("add", "ada", "--workspace", "Foundry Films", typed="a-long-enough-word")
    assert sign_in(client, "ada", "a-long-enough-word") and client.get("/").status_code == 200
    assert "ada: Foundry Films" in user("list")


def test_a_made_password_is_shown_once_and_works(user, client):
    password = user("add", "ada", "--generate").split("password, shown this once: ")[1].split()[0]
    assert sign_in(client, "ada", password)
    assert password not in user("list") and "no workspace" in user("list")


def test_another_password_ends_sessions_with_the_old_one(user, client, account):
    assert sign_in(client, "ines", "a-long-enough-word") and client.get("/").status_code == 200
    user("password", "ines", typed="another-long-word")
    assert client.get("/").status_code == 302 and not sign_in(client, "ines", "a-long-enough-word")


def test_another_password_lets_in_who_was_locked_out(user, client, account, settings):
    settings.AXES_ENABLED = True
    for _ in range(settings.AXES_FAILURE_LIMIT):
        sign_in(client, "ines", "wrong")
    assert not sign_in(client, "ines", "a-long-enough-word")
    user("password", "ines", typed="another-long-word")
    assert sign_in(client, "ines", "another-long-word")


def test_into_a_workspace_and_out_of_it(user, account, stranger):
    user("workspace", "otto", "Foundry Films")
    assert stranger.memberships.filter(workspace=account[1]).count() == 1
    user("workspace", "otto", "Foundry Films")  # twice is once
    assert "no longer belongs" in user("workspace", "otto", "Foundry Films", "--leave")
    assert stranger.memberships.filter(workspace=account[1]).count() == 0


@pytest.mark.parametrize(
    ("words", "typed", "why"),
    [
        (("add", "ines"), "a-long-enough-word", "already"),
        (("add", "ada"), "short", "too short"),
        (("add", "ada"), "password1", "too common"),
        (("add", "a b"), "a-long-enough-word", "valid username"),
        (("password", "nobody"), "a-long-enough-word", "no account nobody"),
        (("workspace", "ines", "Elsewhere", "--leave"), "", "does not belong"),
    ],
)
def test_what_cannot_be_done_is_said_and_changes_nothing(user, account, words, typed, why):
    before = User.objects.count()
    with pytest.raises(CommandError, match=why):
        user(*words, typed=typed)
    assert User.objects.count() == before
