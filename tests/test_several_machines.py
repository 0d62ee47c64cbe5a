"""Pages on one machine, workers on two others: no folder in common, media in a store that a stand-in for S3 serves.

Each has a folder of its own and an address of the services that is not the loopback's usual one; moto is the store.
"""

import hashlib
import importlib
import io
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.parse
import zipfile
from contextlib import contextmanager
from pathlib import Path

import boto3
import pytest

ROOT = Path(__file__).parents[1]
torture = importlib.import_module("torture")
ADDRESS = "127.0.0.2"
KEYS = {"AWS_ACCESS_KEY_ID": "here", "AWS_SECRET_ACCESS_KEY": "made-up", "AWS_DEFAULT_REGION": "us-east-1"}
LENGTH_S = 40


def free_port(address="127.0.0.1"):
    with socket.socket() as probe:
        probe.bind((address, 0))
        return probe.getsockname()[1]


@contextmanager
def kept(command, environment, until, log):
    """A command while the context lasts, from the line on that says it is ready."""
    with log.open("wb") as errors:
        process = subprocess.Popen(
            command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        try:
            said = []
            for line in process.stdout:
                said.append(line)
                if until in line:
                    break
            else:
                pytest.fail(f"{command} did not start: {''.join(said)}")
            yield process
        finally:
            errors.write("".join(said).encode())
            process.send_signal(signal.SIGTERM)
            process.wait(60)


@pytest.fixture(scope="module")
def store():
    """The environment in which everybody finds the store."""
    endpoint = f"http://127.0.0.1:{free_port()}"
    command = [sys.executable, "-m", "moto.server", "-p", str(urllib.parse.urlsplit(endpoint).port)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        environment = {"RECITANT_MEDIA_STORE": "s3://takes/studio", "RECITANT_MEDIA_ENDPOINT": endpoint, **KEYS}
        client = boto3.client(
            "s3",
            endpoint_url=endpoint,
            region_name=KEYS["AWS_DEFAULT_REGION"],
            aws_access_key_id=KEYS["AWS_ACCESS_KEY_ID"],
            aws_secret_access_key=KEYS["AWS_SECRET_ACCESS_KEY"],
        )
        ends_at = time.monotonic() + 30
        while socket.socket().connect_ex(("127.0.0.1", urllib.parse.urlsplit(endpoint).port)):
            assert time.monotonic() < ends_at, "the store did not start"
            time.sleep(0.1)
        client.create_bucket(Bucket="takes")
        yield environment
    finally:
        server.terminate()
        server.wait(20)


def environment_of(folder, **more):
    plain = {name: value for name, value in os.environ.items() if not name.startswith(("RECITANT_", "DJANGO_", "AWS_"))}
    return plain | {"RECITANT_FOLDER": str(folder)} | more


@pytest.fixture(scope="module")
def machines(store, tmp_path_factory):
    """Base address of the pages, their account, and the folders of pages, measuring and long."""
    root = tmp_path_factory.mktemp("machines")
    folders = {name: root / name for name in ("pages", "measuring", "long")}
    command, port = [sys.executable, str(ROOT / "recitant")], free_port()
    services = {
        "RECITANT_SERVICES_AT": ADDRESS,
        "RECITANT_DB_PORT": str(free_port(ADDRESS)),
        "RECITANT_REDIS_PORT": str(free_port(ADDRESS)),
        "RECITANT_SPREAD_S": "16",
    }
    pages = environment_of(folders["pages"], **services, **store)
    start = [*command, "start", "--no-demo", "--no-words", "--port", str(port), "--workers", "intake"]
    with kept(start, pages, "Ctrl-C stops it", root / "pages.log"):
        told = subprocess.run([*command, "worker-settings"], env=pages, capture_output=True, text=True, check=True)
        settings = dict(line.split("=", 1) for line in told.stdout.splitlines())
        assert settings["RECITANT_DB_HOST"] == ADDRESS and settings["RECITANT_MEDIA_STORE"] == "s3://takes/studio"
        assert settings["RECITANT_SPREAD_S"] == "16"
        work = [*command, "work", "--no-words", "--queues"]
        measuring = environment_of(folders["measuring"], **settings)
        long = environment_of(folders["long"], **settings)
        with (
            kept([*work, "measuring", "delivering"], measuring, "Ctrl-C stops it", root / "measuring.log"),
            kept([*work, "delivering"], long, "Ctrl-C stops it", root / "long.log"),
        ):
            account = json.loads((folders["pages"] / "demo-account.json").read_text())
            yield f"http://127.0.0.1:{port}", account, folders


def until(found, seconds=120):
    ends_at = time.monotonic() + seconds
    while time.monotonic() < ends_at:
        answer = found()
        if answer:
            return answer
        time.sleep(0.3)
    pytest.fail("it did not come to pass")


def test_what_is_taken_in_on_one_machine_is_measured_and_handed_over_by_others(machines):
    base, account, folders = machines
    person = torture.Person(base, account)
    person.sign_in()
    person.post("/", {"title": "Far away", "frame_rate": "25", "spec_id": "online-14"})
    number = max(int(found) for found in re.findall(r"/programmes/(\d+)/intake", person.get("/").decode()))
    for role, freq_hz in (("dialogue", 330.0), ("music", 440.0)):
        person.send_file(number, f"{role}.wav", torture.tone(freq_hz, LENGTH_S), role)
    until(lambda: len(json.loads(person.get(f"/programmes/{number}/arrange/state"))["clips"]) == 2)
    # Exact figures: only the machine for measuring has a worker that finds them.
    until(lambda: _measured(json.loads(person.get(f"/programmes/{number}/state"))))
    assert list(folders["measuring"].glob("media/conformed/*/*/audio.f32"))
    assert not list(folders["long"].glob("media/conformed/*/*/audio.f32"))
    person.post(f"/programmes/{number}/hand-over", {})
    link = until(lambda: re.search(r"/programmes/\d+/deliveries/\d+/everything\.zip", _page(person, number)))[0]
    with zipfile.ZipFile(io.BytesIO(person.get(link))) as found:
        lines = [line.split("  ") for line in found.read("checksums.sha256").decode().splitlines()]
        assert len(lines) >= 1
        for digest, name in lines:
            assert hashlib.sha256(found.read(name)).hexdigest() == digest
    # Whoever wrote it has it; the pages fetched what was asked for, and nobody keeps parts that are written.
    assert (
        sum(bool(list(folders[name].glob("media/deliveries/*/*/report.html"))) for name in ("measuring", "long")) == 1
    )
    assert not list(folders["pages"].glob("media/spread/*/*"))


def _measured(state):
    return state["clearance"]["is_exact"]


def _page(person, number):
    return person.get(f"/programmes/{number}/hand-over").decode()


def test_a_worker_that_was_told_nothing_says_what_it_needs(tmp_path):
    command = [sys.executable, str(ROOT / "recitant"), "work"]
    done = subprocess.run(command, env=environment_of(tmp_path), capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "RECITANT_DB_HOST" in done.stderr + done.stdout and "worker-settings" in done.stderr + done.stdout
