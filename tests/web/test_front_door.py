"""The door to the street: guessing passwords, what browsers may load, settings behind a proxy, figures and the log."""

import json
import logging
import os
import subprocess
import sys
from pathlib import Path

import pytest

from recitant_web.accounts.models import Membership
from recitant_web.accounts.queries import address_of

pytestmark = pytest.mark.django_db
ROOT = Path(__file__).parents[2]


def sign_in(client, password, name="ines"):
    return client.post("/sign-in", {"username": name, "password": password})


def test_who_guesses_waits_and_others_do_not(client, account, stranger, settings):
    settings.AXES_ENABLED = True
    for _ in range(settings.AXES_FAILURE_LIMIT - 1):
        assert sign_in(client, "wrong").status_code == 200
    locked = sign_in(client, "wrong")
    assert locked.status_code == 429 and "15 minutes" in locked.content.decode()
    # The right word does not help any more, somebody else comes in, and so does the same name from elsewhere.
    assert sign_in(client, "a-long-enough-word").status_code == 429
    assert sign_in(client, "a-long-enough-word", "otto").status_code == 302
    client.logout()
    elsewhere = client.post(
        "/sign-in", {"username": "ines", "password": "a-long-enough-word"}, REMOTE_ADDR="198.51.100.7"
    )
    assert elsewhere.status_code == 302


def test_sign_ins_and_rights_stand_in_the_log(client, account, stranger, caplog):
    with caplog.at_level(logging.INFO, "recitant.rights"):
        sign_in(client, "wrong")
        sign_in(client, "a-long-enough-word")
        client.post("/sign-out")
        Membership.objects.create(user=stranger, workspace=account[1]).delete()
    told = "\n".join(caplog.messages)
    assert "'ines' could not sign in from 127.0.0.1" in told and "ines signed in from 127.0.0.1" in told
    assert "ines signed out" in told and "belongs to workspace" in told and "no longer belongs" in told
    assert "wrong" not in told and "a-long-enough-word" not in told


def test_pages_load_nothing_from_elsewhere_and_run_nothing_inline(signed_in, film):
    answer = signed_in.get(f"/programmes/{film.pk}/balance")
    policy = answer["Content-Security-Policy"]
    assert "default-src 'self'" in policy and "frame-ancestors 'none'" in policy and "unsafe" not in policy
    assert "allowEval" in answer.content.decode()


def test_no_page_carries_styles_or_scripts_of_its_own():
    for path in (ROOT / "src/recitant_web/templates").rglob("*.html"):
        text = path.read_text()
        assert ' style="' not in text and "onclick=" not in text and "hx-on" not in text, path.name
        assert "<script>" not in text and "<style" not in text, path.name


def test_behind_a_proxy_visitors_are_told_apart_and_cannot_choose_an_address(client, account, settings, rf):
    request = rf.get("/", headers={"x-forwarded-for": "203.0.113.9, 198.51.100.7"})
    assert address_of(request) == "127.0.0.1"  # no proxy: whatever it says, it comes from there
    settings.N_PROXIES = 1
    assert address_of(request) == "198.51.100.7"
    settings.N_PROXIES = 2
    assert address_of(request) == "203.0.113.9" and address_of(rf.get("/")) == "127.0.0.1"
    settings.N_PROXIES, settings.AXES_ENABLED = 1, True
    for number in range(settings.AXES_FAILURE_LIMIT):
        made_up = f"203.0.113.{number}, 198.51.100.7"
        client.post("/sign-in", {"username": "ines", "password": "x"}, headers={"x-forwarded-for": made_up})
    right = {"username": "ines", "password": "a-long-enough-word"}
    assert client.post("/sign-in", right, headers={"x-forwarded-for": "198.51.100.7"}).status_code == 429
    assert client.post("/sign-in", right, headers={"x-forwarded-for": "198.51.100.8"}).status_code == 302


_SHOWN = (
    "ALLOWED_HOSTS",
    "CSRF_TRUSTED_ORIGINS",
    "SECURE_HSTS_SECONDS",
    "SESSION_COOKIE_SECURE",
    "CSRF_COOKIE_SECURE",
    "SECURE_SSL_REDIRECT",
)


def settings_with(**environment):
    """Settings of a process of their own with these variables."""
    shown = f"json.dumps({{name: getattr(base, name, None) for name in {_SHOWN}}})"
    program = f"import json; from recitant_web.config.settings import base; print({shown})"
    known = {"PYTHONPATH": str(ROOT / "src"), "RECITANT_SECRET_KEY": "x", "PATH": os.environ["PATH"]}
    ran = subprocess.run(
        [sys.executable, "-c", program], env={**known, **environment}, capture_output=True, text=True, check=False
    )
    return json.loads(ran.stdout) if ran.returncode == 0 else ran.stderr


def test_a_public_address_switches_on_what_belongs_behind_a_proxy():
    here = settings_with()
    assert not here["SESSION_COOKIE_SECURE"] and here["CSRF_TRUSTED_ORIGINS"] is None
    public = settings_with(RECITANT_PUBLIC_URL="https://mix.example.org")
    assert "mix.example.org" in public["ALLOWED_HOSTS"] and public["CSRF_TRUSTED_ORIGINS"] == [
        "https://mix.example.org"
    ]
    assert public["SESSION_COOKIE_SECURE"] and public["CSRF_COOKIE_SECURE"] and public["SECURE_HSTS_SECONDS"] > 0
    plain = settings_with(RECITANT_PUBLIC_URL="http://mix.example.org:8080")
    assert not plain["SESSION_COOKIE_SECURE"] and plain["CSRF_TRUSTED_ORIGINS"] == ["http://mix.example.org:8080"]
    assert "must begin with http" in settings_with(RECITANT_PUBLIC_URL="mix.example.org")


def test_figures_are_for_this_machine_or_for_who_has_the_token(client, film, settings):
    client.get("/health")
    figures = client.get("/metrics").content.decode()
    assert 'recitant_requests_seconds_count{method="GET",status="200",view="health"}' in figures
    client.generic("MADE-UP", "/health")
    assert "MADE-UP" not in client.get("/metrics").content.decode()
    assert "recitant_cache_bytes{" in figures and 'recitant_jobs{kind="programme.ingest",state="done"} 3.0' in figures
    assert client.get("/metrics", headers={"x-forwarded-for": "198.51.100.7"}).status_code == 403
    assert client.get("/metrics", REMOTE_ADDR="198.51.100.7").status_code == 403
    settings.METRICS_TOKEN = "a-token"
    assert client.get("/metrics").status_code == 403
    assert client.get("/metrics", headers={"authorization": "Bearer a-token"}).status_code == 200


def test_a_request_has_one_number_in_the_log_and_in_its_answer(client, caplog):
    given = client.get("/nowhere", headers={"x-request-id": "0123456789abcdef"})
    assert given["X-Request-ID"] == "0123456789abcdef"
    made = client.get("/nowhere", headers={"x-request-id": 'odd "and\tlong'})
    assert made["X-Request-ID"] != 'odd "and\tlong' and len(made["X-Request-ID"]) == 32
    program = """
import logging, logging.config
from recitant_web.config.settings import base
from recitant_web.shared import watching
logging.config.dictConfig(base.LOGGING)
watching._request_id.set("the-number")
logging.getLogger("x").warning("told")
"""
    environment = {
        "PYTHONPATH": str(ROOT / "src"),
        "RECITANT_SECRET_KEY": "x",
        "PATH": os.environ["PATH"],
        "RECITANT_LOG": "json",
    }
    environment["DJANGO_SETTINGS_MODULE"] = "recitant_web.config.settings.base"
    ran = subprocess.run([sys.executable, "-c", program], env=environment, capture_output=True, text=True, check=True)
    line = json.loads(ran.stderr)
    assert line["request_id"] == "the-number" and line["message"] == "told" and line["levelname"] == "WARNING"
