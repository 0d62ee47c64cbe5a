"""Every address, every method: as nobody, a stranger, of no workspace, a member; without a token; with nonsense."""

import json
import sys
from urllib.parse import urlencode

import pytest
from django.contrib.auth.models import User
from django.core.signals import got_request_exception
from django.test import Client
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from hostile.addresses import METHODS, PUBLIC, every_route, field_names, filled, numbers_of
from recitant_web.jobs import actions as jobs

pytestmark = pytest.mark.django_db
_WITHOUT_PROGRAMME = {
    "programmes", "batch", "room", "specifications", "password", "stems", "sign-out", "sign-in", "health", "ready",
    "metrics", "work",
}  # fmt: skip
"""Pages that everybody has for themselves."""


@pytest.fixture
def addresses(film, account):
    """Name and address of every page of a programme."""
    numbers = numbers_of(film, account[1])
    return [(name, filled(route, numbers)) for name, route in every_route()]


def ask(client, method, address, **more):
    """An answer, never an exception."""
    client.raise_request_exception = False
    return client.generic(method, address, **more)


def test_the_walk_knows_every_address(addresses):
    assert len(addresses) > 75 and len({name for name, _ in addresses}) == len(addresses)


def test_nobody_comes_past_the_sign_in(client, addresses):
    for name, address in addresses:
        for method in METHODS:
            answer = ask(client, method, address)
            if name in PUBLIC:
                assert answer.status_code < 500, (method, address)
            elif name == "sign-out":
                assert answer.status_code in (302, 405) or method == "OPTIONS"
            else:
                assert answer.status_code == 302 and answer["Location"].startswith("/sign-in"), (method, address)


@pytest.mark.parametrize("who", ["a stranger", "somebody of no workspace"])
def test_others_do_not_learn_whether_a_programme_is_there(client, addresses, stranger, who):
    client.force_login(stranger if who == "a stranger" else User.objects.create_user("guest", password="x"))
    for name, address in addresses:
        for method in METHODS:
            answer = ask(client, method, address)
            if name in _WITHOUT_PROGRAMME:
                assert answer.status_code < 500, (method, address)
                assert b"Test film" not in answer.content
            else:
                assert answer.status_code in (404, 405), (method, address, answer.status_code)
            if name == "sign-out" and method in ("GET", "POST"):
                client.force_login(stranger)


def test_no_method_brings_a_member_an_answer_of_500_and_heads_are_answered(signed_in, addresses):
    for name, address in addresses:
        if name == "sign-out":
            continue
        answers = {method: ask(signed_in, method, address) for method in METHODS}
        assert all(answer.status_code < 500 for answer in answers.values()), (address, answers)
        if answers["GET"].status_code == 200:
            assert answers["HEAD"].status_code == 200 and not answers["HEAD"].content, address


def test_without_a_token_nothing_can_be_changed(account, addresses, film):
    client = Client(enforce_csrf_checks=True)
    client.force_login(account[0])
    revision = film.revision
    for _, address in addresses:
        for method in ("POST", "PUT", "PATCH", "DELETE"):
            answer = ask(client, method, address)
            assert answer.status_code in (403, 405), (method, address, answer.status_code)
    film.refresh_from_db()
    assert film.revision == revision


# Nonsense. Names of fields are those that the views ask for; values are what has broken programs before.

_VALUES = st.one_of(
    st.sampled_from(
        [
            "",
            "-1",
            "0",
            "1",
            "9" * 30,
            "1e400",
            "NaN",
            "inf",
            "null",
            "true",
            "[]",
            "{}",
            "../..",
            "\x00",
            "１",
            "a,b",
            "x" * 5_000,
            "ebu-r128",
            "dialogue",
            "undo",
        ]
    ),
    st.text(st.characters(exclude_categories=["Cs"]), max_size=30),
    st.integers().map(str),
)
_FORMS = st.dictionaries(st.sampled_from(field_names()), _VALUES, max_size=8)
_KEYS = st.sampled_from(
    [*field_names(), "kind", "revision", "ids", "at_sample", "instead", "chain", "points", "size_bytes", "fingerprint"]
)
_DATA = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), _VALUES),
    lambda inner: st.one_of(st.lists(inner, max_size=4), st.dictionaries(_KEYS, inner, max_size=6)),
    max_leaves=12,
)
_BROKEN = st.sampled_from(
    [b"", b"null", b"[]", b"[" * 1_000 + b"]" * 1_000, b'{"a":' * 1_000 + b"1" + b"}" * 1_000, b'"\\udc80"',
     b'{"name": "\\udc80", "size_bytes": 1, "fingerprint": "f"}', b'{"size_bytes": 1e400}', b"\xff\xfe", b"{"]
)  # fmt: skip


@st.composite
def requests(draw):
    """Method, content and its kind."""
    method = draw(st.sampled_from(["GET", "POST", "PUT", "DELETE"]))
    query = draw(_FORMS)
    kind = draw(st.sampled_from(["json", "broken json", "form", "urlencoded", "form to a json door"]))
    if kind == "json":
        return method, query, json.dumps(draw(_DATA)).encode(), "application/json"
    if kind == "broken json":
        return method, query, draw(_BROKEN), "application/json"
    form = draw(_FORMS)
    if kind == "urlencoded":
        return method, query, urlencode(form).encode(), "application/x-www-form-urlencoded"
    lines = "".join(f'--b\r\nContent-Disposition: form-data; name="{n}"\r\n\r\n{v}\r\n' for n, v in form.items())
    return method, query, f"{lines}--b--\r\n".encode("utf-8", "replace"), "multipart/form-data; boundary=b"


@settings(
    max_examples=4,
    derandomize=True,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(found=st.lists(requests(), min_size=25, max_size=25), accepts_json=st.booleans())
def test_nonsense_is_answered_at_every_door(signed_in, addresses, monkeypatch, found, accepts_json):
    # What is sent to a worker is tried elsewhere.
    monkeypatch.setattr(jobs, "_send", lambda *_: None)
    raised = []

    def note(request, **_more):
        raised.append((request.method, request.path, repr(sys.exc_info()[1])[:300]))

    got_request_exception.connect(note)
    try:
        headers = {"accept": "application/json"} if accepts_json else {}
        for number, (method, query, body, kind) in enumerate(found):
            for name, address in addresses[number % 3 :: 3]:
                if name in ("sign-out", "password", "remove"):
                    continue
                more = {"QUERY_STRING": urlencode(query), "headers": headers}
                ask(signed_in, method, address, data=body, content_type=kind, **more)
    finally:
        got_request_exception.disconnect(note)
    assert raised == []


# What broke once.


def _edits(film):
    revision = film.revision
    yield from ({"kind": kind, "revision": revision} for kind in ("version-save", "version-return", "vary"))
    yield from (
        {"kind": "vary", "revision": revision, "id": "x", "speed": value} for value in (0, -1, "inf", 1e308, "NaN")
    )
    yield from (
        {"kind": "gain", "revision": value, "id": "1", "gain_db": 0} for value in (1e400, -1e400, "inf", 10**40)
    )
    yield {"kind": "split", "revision": revision, "ids": ["1"], "at_sample": -1}
    yield {"kind": "rename", "revision": revision, "ids": ["1"], "name": "\udc80"}
    yield [{"kind": "undo"}]


def test_edits_that_broke_once_are_refused(signed_in, film):
    for edit in _edits(film):
        text = json.dumps(edit).replace("Infinity", "1e400")
        for body in (text, "[" * 1_000 + text + "]" * 1_000):
            for page in ("edits", "arrange/edits", "level/edits", "words/edits"):
                answer = ask(
                    signed_in, "POST", f"/programmes/{film.pk}/{page}", data=body, content_type="application/json",
                    headers={"accept": "application/json"},
                )  # fmt: skip
                assert answer.status_code in (400, 409, 422) or edit.get("kind") == "version-save", (
                    edit,
                    answer.content,
                )


@pytest.mark.parametrize(
    "odd",
    [
        '"size_bytes": 1e400',
        '"size_bytes": -5',
        '"size_bytes": 99999999999999999999',
        '"fingerprint": "\\udc80"',
        '"name": "\\udc80"',
        '"pile": 99999999999999999999',
        '"pile_place": 1e400',
        '"role": ["dialogue"]',
    ],
)
def test_wishes_to_send_a_file_that_broke_once_are_refused(signed_in, film, odd):
    body = f'{{"name": "a.wav", "size_bytes": 5, "fingerprint": "f", {odd}}}'  # of two values of a name the last counts
    answer = ask(signed_in, "POST", f"/programmes/{film.pk}/uploads", data=body, content_type="application/json")
    assert answer.status_code in (400, 404, 422)


def test_a_list_where_a_place_of_a_sound_belongs_is_answered(signed_in, addresses):
    place = dict(addresses)["library-place"]
    for body in ("[]", "[1, 2]", '{"at_sample": "x", "revision": 1}', '{"at_sample": 1e400, "revision": 1}'):
        answer = ask(signed_in, "POST", place, data=body, content_type="application/json")
        assert answer.status_code == 422 and "place" in answer.json()["sentence"]


def test_a_form_at_a_door_for_json_is_answered(signed_in, film):
    answer = Client(enforce_csrf_checks=False)
    answer = signed_in.post(
        f"/programmes/{film.pk}/arrange/edits", {"kind": "undo"}, headers={"accept": "application/json"}
    )
    assert answer.status_code == 400 and answer.json()["sentence"]


def test_a_slow_line_holds_no_transaction(signed_in, film, monkeypatch):
    """A piece is read whole before the row of its upload is locked."""
    from recitant_web.programme import actions

    upload = actions.begin_upload(film, "", "a.wav", 10, "f")
    began = []
    atomic = actions.transaction.atomic
    monkeypatch.setattr(actions.transaction, "atomic", lambda *more: began.append(len(seen)) or atomic(*more))
    seen = []

    def line():
        for piece in (b"01234", b"56789"):
            seen.append(piece)
            yield piece

    after, source = actions.receive_piece(upload, 0, line())
    assert began[0] == 2 and after.received_bytes == 10 and source is not None


def test_more_than_was_announced_leaves_what_was_there(film, media):
    from recitant_core.errors import UnreadableMedia
    from recitant_web.programme import actions

    upload = actions.begin_upload(film, "", "a.wav", 10, "f")
    upload, _ = actions.receive_piece(upload, 0, [b"01234"])
    with pytest.raises(UnreadableMedia):
        actions.receive_piece(upload, 5, [b"56789", b"x"])
    assert (media / upload.file).read_bytes() == b"01234"
    upload.refresh_from_db()
    assert upload.received_bytes == 5
