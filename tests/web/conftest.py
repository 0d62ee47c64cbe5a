"""A programme that is ready, for a signed-in user; callbacks after commit run at once."""

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
