"""A programme that is ready, for a signed-in user; callbacks after commit run at once."""

import json

import pytest


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
