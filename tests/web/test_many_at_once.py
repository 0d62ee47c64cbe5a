"""What spares work where many ask at once, and that nobody is let in, or kept out, by it."""

import contextlib
import threading
import time

import MySQLdb
import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import connection
from django.db.utils import OperationalError
from django.http import HttpResponse, UnreadablePostError
from django.test import RequestFactory

from recitant_web.accounts import middleware, sessions
from recitant_web.shared import turns as turns_module
from recitant_web.shared.turns import N_TURNS, Turns

pytestmark = pytest.mark.django_db


class Counting:
    """A view that waits, and counts how many are in it."""

    def __init__(self):
        self.n_now = self.n_most = self.n_all = 0
        self._lock = threading.Lock()

    def __call__(self, _request):
        with self._lock:
            self.n_now, self.n_all = self.n_now + 1, self.n_all + 1
            self.n_most = max(self.n_most, self.n_now)
        time.sleep(0.05)
        with self._lock:
            self.n_now -= 1
        return HttpResponse()


def ask_at_once(turns, requests):
    threads = [threading.Thread(target=turns, args=(request,)) for request in requests]
    for one in threads:
        one.start()
    for one in threads:
        one.join()


def test_two_compute_at_a_time_and_everybody_gets_a_turn(monkeypatch):
    monkeypatch.setattr(turns_module, "PATIENCE_S", 60.0)
    view = Counting()
    ask_at_once(Turns(view), [RequestFactory().get("/") for _ in range(12)])
    assert view.n_most == N_TURNS and view.n_all == 12


def test_who_waits_for_a_row_holds_up_nobody_for_long(monkeypatch):
    monkeypatch.setattr(turns_module, "PATIENCE_S", 0.05)
    is_over, answered = threading.Event(), []

    def view(request):
        if request.path == "/held":
            is_over.wait(30)
        answered.append(request.path)
        return HttpResponse()

    turns = Turns(view)
    held = [threading.Thread(target=turns, args=(RequestFactory().get("/held"),)) for _ in range(N_TURNS)]
    for one in held:
        one.start()
    turns(RequestFactory().get("/other"))
    assert answered == ["/other"]
    is_over.set()
    for one in held:
        one.join()
    # A bounded semaphore refuses a turn that is given back twice: each was given back once.
    assert all(turns._turns.acquire(blocking=False) for _ in range(N_TURNS))
    assert not turns._turns.acquire(blocking=False)


def test_who_sends_a_large_file_holds_up_nobody(settings):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1_000
    view = Counting()
    large = [RequestFactory().post("/", b"x" * 2_000, "application/octet-stream") for _ in range(6)]
    ask_at_once(Turns(view), large)
    assert view.n_most > N_TURNS


def test_a_slow_line_is_read_before_its_turn_and_a_broken_one_gives_it_back():
    inside = []
    turns = Turns(lambda _request: inside.append(1) or HttpResponse())

    class Broken:
        def read(self, *_size):
            assert not inside
            raise UnreadablePostError("gone")

        def close(self):
            pass

    for _ in range(3 * N_TURNS):
        request = RequestFactory().post("/", b"abc", "application/json")
        request._stream = Broken()
        assert turns(request).status_code == 400
    assert turns(RequestFactory().get("/")).status_code == 200


def test_a_failing_view_gives_its_turn_back():
    def fail(_request):
        raise LookupError

    turns = Turns(fail)
    for _ in range(2 * N_TURNS):
        with pytest.raises(LookupError):
            turns(RequestFactory().get("/"))


def test_a_page_asked_for_again_reads_session_and_person_once(signed_in, django_assert_max_num_queries):
    signed_in.get("/health")
    signed_in.get("/")
    with django_assert_max_num_queries(30) as found:
        signed_in.get("/")
    statements = [one["sql"] for one in found.captured_queries]
    assert not any("django_session" in one or "FROM `auth_user`" in one for one in statements), statements


def test_who_signed_out_is_out_at_once_even_with_the_old_cookie(signed_in):
    assert signed_in.get("/").status_code == 200
    cookies = dict(signed_in.cookies)
    signed_in.post("/sign-out")
    signed_in.cookies.update(cookies)
    assert signed_in.get("/").status_code == 302


def test_a_new_password_here_counts_at_once(signed_in, account):
    assert signed_in.get("/").status_code == 200
    person = User.objects.get(pk=account[0].pk)
    person.set_password("another-long-word")
    person.save()
    assert signed_in.get("/").status_code == 302


@pytest.mark.parametrize(
    "take_away",
    [
        lambda: User.objects.update(is_active=False),
        lambda: User.objects.update(password="!"),
        lambda: Session.objects.all().delete(),
    ],
)
def test_what_another_process_took_away_is_gone_after_two_seconds(signed_in, take_away, monkeypatch):
    now_s = [100.0]
    for module in (sessions, middleware):
        monkeypatch.setattr(module.time, "monotonic", lambda: now_s[0])
    assert signed_in.get("/").status_code == 200
    take_away()
    now_s[0] += sessions.FRESH_S
    assert signed_in.get("/").status_code == 302


def test_what_a_view_changes_in_its_session_stays_its_own_until_it_is_saved(signed_in):
    one = signed_in.session
    one["a"] = [1]
    one.save()
    other = sessions.SessionStore(one.session_key)
    other["a"].append(2)
    assert sessions.SessionStore(one.session_key)["a"] == [1]
    other.save()
    assert sessions.SessionStore(one.session_key)["a"] == [1, 2]


@pytest.mark.django_db(transaction=True)
def test_a_connection_that_was_cut_is_noticed_after_its_first_error():
    connection.ensure_connection()
    assert connection.is_usable()
    with contextlib.suppress(MySQLdb.OperationalError):
        connection.connection.kill(connection.connection.thread_id())
    with pytest.raises(OperationalError):
        User.objects.count()
    connection.close_if_unusable_or_obsolete()
    assert User.objects.count() >= 0
