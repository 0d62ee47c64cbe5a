"""People at once: each hears a second of sound every second and edits now and then; how long they wait.

Starts an application of its own in a folder of its own, with programmes of 24 clips. Bounded: half a minute for each
number of people. They share this machine's cores with what they measure. Standard library only.
"""

import argparse
import http.client
import json
import os
import random
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from machine import ROOT, CannotGoOn, say
from services import empty
from torture import TROUBLE, Person, tone

N_CLIPS: Final = 24
_FILES: Final = (("narration", 220.0), ("dialogue", 330.0), ("music", 440.0), ("effects", 550.0))
_TAKE_S: Final = 30
_READY_S: Final = 300.0
_LIMIT_S: Final = 60.0


@dataclass
class Waited:
    """Seconds that answers took, by kind."""

    block_s: list[float] = field(default_factory=list)
    edit_s: list[float] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)
    n_conflicts: int = 0
    """Edits on a revision that somebody else had moved on from: done again by the page."""


class Load:
    """An application with programmes, and people at it."""

    def __init__(self, folder: Path, n_programmes: int) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])
        self.folder, self.n_programmes = folder, n_programmes
        self.base = f"http://127.0.0.1:{self.port}"
        self.programmes: list[int] = []
        self._account: dict[str, str] = {}

    def __enter__(self) -> "Load":
        empty(self.folder)
        environment = {**os.environ, "RECITANT_FOLDER": str(self.folder)}
        command = [sys.executable, str(ROOT / "recitant"), "start", "--no-demo", "--no-words", "--port", str(self.port)]
        log = self.folder.with_suffix(".log").open("wb")
        self._start = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=log, text=True)
        assert self._start.stdout is not None
        if not any("Ctrl-C stops it" in line for line in self._start.stdout):
            raise CannotGoOn(f"the application did not start; see {log.name}")
        self._account = json.loads((self.folder / "demo-account.json").read_text())
        self._prepare(Person(self.base, self._account))
        return self

    def __exit__(self, *_error: object) -> None:
        self._start.send_signal(signal.SIGTERM)
        self._start.wait(60)

    def run(
        self,
        n_people: int,
        seconds: float,
        edit_share: float,
        look: Callable[[Waited], None] = lambda _waited: None,
        every_s: float = 30.0,
    ) -> Waited:
        """So many people for so long; what they waited.

        Args:
            look: called every so many seconds with what they waited so far.
        """
        waited, is_over = Waited(), threading.Event()
        # Signing in is made slow on purpose: all have done it before the clock starts.
        are_in = threading.Barrier(n_people + 1, timeout=_READY_S)
        people = []
        for number in range(n_people):
            person = Listener(self.base, self._account, self.programmes[number % len(self.programmes)], number)
            people.append(threading.Thread(target=person.work, args=(waited, are_in, is_over, edit_share)))
        for one in people:
            one.start()
        are_in.wait()
        ends_at = time.monotonic() + seconds
        while (left_s := ends_at - time.monotonic()) > 0:
            time.sleep(min(every_s, left_s))
            look(waited)
        is_over.set()
        for one in people:
            one.join()
        return waited

    def _prepare(self, person: Person) -> None:
        person.sign_in()
        person.post("/", {"title": "Load 1", "frame_rate": "25", "spec_id": "online-14"})
        first = max(int(found) for found in re.findall(r"/programmes/(\d+)/intake", person.get("/").decode()))
        for role, freq_hz in _FILES:
            person.send_file(first, f"{role}.wav", tone(freq_hz, _TAKE_S), role)
        self._wait(person, first, len(_FILES))
        self._split(person, first)
        for _ in range(self.n_programmes - 1):
            person.press(f"/programmes/{first}/keep", {"what": "duplicate"})
        found = sorted({int(one) for one in re.findall(r"/programmes/(\d+)/intake", person.get("/").decode())})
        self.programmes = found[-self.n_programmes :]

    def _wait(self, person: Person, number: int, n_clips: int) -> None:
        ends_at = time.monotonic() + _READY_S
        while time.monotonic() < ends_at:
            state = json.loads(person.get(f"/programmes/{number}/arrange/state"))
            if len(state["clips"]) >= n_clips:
                return
            time.sleep(0.5)
        raise CannotGoOn("the recordings of the trial were not taken in")

    def _split(self, person: Person, number: int) -> None:
        for step in range(1, N_CLIPS // len(_FILES)):
            state = json.loads(person.get(f"/programmes/{number}/arrange/state"))
            at_sample = step * _TAKE_S * 48_000 * len(_FILES) // N_CLIPS
            ids = [clip["id"] for clip in state["clips"]]
            edit = {"kind": "split", "revision": state["revision"], "ids": ids, "at_sample": at_sample}
            person.send("POST", f"/programmes/{number}/arrange/edits", edit)


class Crowd:
    """Somebody of another workspace who orders many deliveries and then sends many files, without a pause."""

    def __init__(self, load: Load, n_deliveries: int, n_files: int) -> None:
        command = [sys.executable, str(ROOT / "recitant"), "user", "add", "crowd", "--workspace", "Crowd", "--generate"]
        environment = {**os.environ, "RECITANT_FOLDER": str(load.folder)}
        made = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
        password = re.search(r"shown this once: (\S+)", made.stdout)
        if password is None:
            raise CannotGoOn(f"no account was made: {made.stdout}")
        self._person = Person(load.base, {"name": "crowd", "password": password[1]})
        self._person.sign_in()
        self._person.post("/", {"title": "Crowd", "frame_rate": "25", "spec_id": "online-14"})
        listed = self._person.get("/").decode()
        self._number = max(int(found) for found in re.findall(r"/programmes/(\d+)/intake", listed))
        self._person.send_file(self._number, "music.wav", tone(220.0, _TAKE_S), "music")
        while not json.loads(self._person.get(f"/programmes/{self._number}/arrange/state"))["clips"]:
            time.sleep(0.5)
        self._n_deliveries, self._n_files = n_deliveries, n_files
        self.n_ordered = self.n_sent = 0

    def work(self) -> None:
        """Order and send all of it, until the application ends; each order is of another state."""
        with suppress(*TROUBLE):
            for _ in range(self._n_deliveries):
                self._order()
            for count in range(self._n_files):
                name, data = f"file {count}.wav", tone(200.0 + count, 2)
                self._person.send_file(self._number, name, data, "effects")
                self.n_sent += 1

    def _order(self) -> None:
        state = json.loads(self._person.get(f"/programmes/{self._number}/arrange/state"))
        edit = {"kind": "level", "revision": state["revision"], "ids": [state["clips"][0]["id"]], "by_db": -0.01}
        self._person.send("POST", f"/programmes/{self._number}/edits", edit)
        self._person.press(f"/programmes/{self._number}/hand-over", {})
        self.n_ordered += 1


class Listener:
    """Somebody at a programme."""

    def __init__(self, base: str, account: dict[str, str], programme: int, number: int) -> None:
        self._person = Person(base, account)
        self._programme = programme
        self._chance = random.Random(number)
        self._host = base.removeprefix("http://")

    def work(self, waited: Waited, are_in: threading.Barrier, is_over: threading.Event, edit_share: float) -> None:
        """Hear and edit until it is over."""
        self._person.sign_in()
        headers = {"Cookie": self._person.cookies(), "X-CSRFToken": self._person.token}
        line = http.client.HTTPConnection(self._host, timeout=_LIMIT_S)
        state = json.loads(self._person.get(f"/programmes/{self._programme}/arrange/state"))
        revision, clips = state["revision"], [clip["id"] for clip in state["clips"]]
        at_s = self._chance.randrange(_TAKE_S)
        are_in.wait()
        time.sleep(self._chance.random())
        due = time.monotonic()
        while not is_over.is_set():
            path = f"/programmes/{self._programme}/sound?start={at_s * 48_000}&length=48000&stems=1"
            self._ask(line, "GET", path, headers, waited.block_s, waited)
            at_s = (at_s + 1) % _TAKE_S
            if self._chance.random() < edit_share / (1.0 - edit_share):
                edit = {"kind": "level", "revision": revision, "ids": [self._chance.choice(clips)], "by_db": 0.5}
                revision = self._edit(line, edit, headers, waited)
            due = max(due + 1.0, time.monotonic())
            is_over.wait(due - time.monotonic())
        line.close()

    def _edit(self, line: Any, edit: dict[str, Any], headers: dict[str, str], waited: Waited) -> int:
        known = headers | {"Content-Type": "application/json", "Accept": "application/json"}
        path = f"/programmes/{self._programme}/edits"
        status, body = self._ask(line, "POST", path, known, waited.edit_s, waited, json.dumps(edit))
        if status == 409:
            waited.n_conflicts += 1
            state = json.loads(self._ask(line, "GET", f"/programmes/{self._programme}/state", headers, [], waited)[1])
            return int(state["revision"])
        return int(json.loads(body)["revision"]) if status == 200 else int(edit["revision"])

    def _ask(
        self,
        line: Any,
        method: str,
        path: str,
        headers: dict[str, str],
        into: list[float],
        waited: Waited,
        body: str | None = None,
    ) -> tuple[int, bytes]:
        began = time.monotonic()
        try:
            line.request(method, path, body, headers)
            answer = line.getresponse()
            data = answer.read()
        except (OSError, http.client.HTTPException) as error:
            waited.errors.append(repr(error))
            line.close()
            return 0, b""
        into.append(time.monotonic() - began)
        if answer.status not in (200, 409):
            waited.errors.append(f"{method} {path}: {answer.status}")
        return answer.status, data


def at_share(values: list[float], share: float) -> float:
    """The value under which that share of the values lies; 0 of none."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))] if ordered else 0.0


def main(arguments: list[str]) -> int:
    """Measure; 0 where nobody got an error."""
    parser = argparse.ArgumentParser(prog="recitant load", description="How long people wait when many work at once.")
    parser.add_argument("--people", type=int, nargs="+", default=[1, 10, 50])
    parser.add_argument("--programmes", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=30.0)
    parser.add_argument("--deliveries", type=int, default=0, help="that somebody of another workspace orders beside")
    parser.add_argument("--files", type=int, default=0, help="that the same person sends after that")
    parser.add_argument("--edits", type=float, default=0.15, help="share of requests that are edits")
    chosen = parser.parse_args(arguments)
    n_errors = 0
    with Load(ROOT / "var" / "load", chosen.programmes) as load:
        say("warming up")
        load.run(min(chosen.people), 5.0, chosen.edits)
        print("| people | blocks | block p50, p95 | edits | edit p50, p95 | conflicts | errors |", flush=True)
        print("| --- | --- | --- | --- | --- | --- | --- |")
        crowd = Crowd(load, chosen.deliveries, chosen.files) if chosen.deliveries or chosen.files else None
        if crowd is not None:
            threading.Thread(target=crowd.work, daemon=True).start()
        for n_people in chosen.people:
            found = load.run(n_people, chosen.seconds, chosen.edits)
            n_errors += len(found.errors)
            blocks = f"{at_share(found.block_s, 0.5):.3f}, {at_share(found.block_s, 0.95):.3f} s"
            edits = f"{at_share(found.edit_s, 0.5):.3f}, {at_share(found.edit_s, 0.95):.3f} s"
            counts = f"{found.n_conflicts} | {len(found.errors)}"
            print(
                f"| {n_people} | {len(found.block_s)} | {blocks} | {len(found.edit_s)} | {edits} | {counts} |",
                flush=True,
            )
            for words in found.errors[:3]:
                say(words)
        if crowd is not None:
            say(f"beside: {crowd.n_ordered} deliveries ordered, {crowd.n_sent} files sent")
    return 1 if n_errors else 0
