"""A programme that is ready, for a signed-in user; callbacks after commit run at once."""

import json

import pytest

from conftest import make_programme


@pytest.fixture
def after_commit(django_capture_on_commit_callbacks):
    """What waits for the end of a transaction runs inside this."""
    return lambda: django_capture_on_commit_callbacks(execute=True)


@pytest.fixture
def film(account, media, jobs_run_at_once, after_commit):
    """A programme with three recordings."""
    with after_commit(), after_commit():
        made = make_programme(account[1])
    made.refresh_from_db()
    return made


@pytest.fixture
def signed_in(client, account):
    """A client of the workspace's user."""
    client.force_login(account[0])
    return client


@pytest.fixture
def hand_over(signed_in, after_commit):
    """Hands a programme over through its page."""

    def handed_over(film, sheet=None):
        """What the page answers; the sheet is given as lists of files by specification."""
        for spec_id, files in (sheet or {}).items():
            signed_in.post(f"/programmes/{film.pk}/sheet", {"spec": spec_id, "files": files})
        if sheet and film.spec_id not in sheet:
            signed_in.post(f"/programmes/{film.pk}/sheet", {"remove": film.spec_id})
        with after_commit(), after_commit():
            return signed_in.post(f"/programmes/{film.pk}/hand-over")

    return handed_over


@pytest.fixture
def edit(signed_in, film, after_commit):
    """Posts an edit of the film."""

    def post(kind, status=200, **more):
        film.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": film.revision, **more})
        with after_commit(), after_commit():
            answer = signed_in.post(
                f"/programmes/{film.pk}/arrange/edits", body, "application/json", headers={"accept": "application/json"}
            )
        assert answer.status_code == status, answer.content
        film.refresh_from_db()
        return answer.json()

    return post
