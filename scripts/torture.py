"""Kills processes at random while people edit, upload and hand over, and counts what became of it all.

Starts an application of its own in a folder of its own. Bounded: after so many kills the work stops, everything has
three minutes to end, and the figures are printed. Standard library only.
"""

import argparse
import http.client
import io
import json
import math
import os
import random
import re
import signal
import socket
import statistics
import struct
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import wave
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from machine import ROOT, CannotGoOn, say
from processes import held_by
from prove_start import NotProved, Visitor
from services import empty

_END_S: Final = 180.0
_PAUSE_S: Final = (0.5, 3.0)
_PIECE_BYTES: Final = 100_000
_VICTIMS: Final = {
    "web server": b"gunicorn",
    "worker": b"celery",
    "MariaDB": b"mariadbd",
    "Redis": b"redis-server",
}
TROUBLE: Final = (OSError, http.client.HTTPException, NotProved)


@dataclass
class Found:
    """What was done and what became of it."""

    kills: Counter[str] = field(default_factory=Counter)
    edits: list[str] = field(default_factory=list)
    """Texts of markers that the server said it has."""
    tried: int = 0
    uploads: list[str] = field(default_factory=list)
    """Names of files that were sent to their end."""
    deliveries: int = 0
    returns_s: list[float] = field(default_factory=list)
    """From each kill until pages, database and queue answered again."""


class Person(Visitor):
    """Somebody signed in, who tries again."""

    def __init__(self, base: str, account: dict[str, str]) -> None:
        super().__init__(base)
        self._account = account
        self.token = ""

    def sign_in(self) -> None:
        """Again, where the session is gone; later, where too many sign in at once."""
        fields = {"username": self._account["name"], "password": self._account["password"]}
        ends_at = time.monotonic() + _END_S
        while True:
            try:
                page = self.post("/sign-in", fields)
                break
            except NotProved as error:
                busy = isinstance(error.__cause__, urllib.error.HTTPError) and error.__cause__.code == 429
                if not busy or time.monotonic() > ends_at:
                    raise
                time.sleep(2.0)
        token = re.search(r'X-CSRFToken": "([^"]+)', page.decode())
        if token is None:
            raise NotProved("signing in brought no page")
        self.token = token[1]

    def send(self, method: str, path: str, data: Any, **headers: str) -> Any:
        """JSON or bytes sent, JSON back."""
        is_bytes = isinstance(data, bytes)
        kind = "application/octet-stream" if is_bytes else "application/json"
        known = {"X-CSRFToken": self.token, "Content-Type": kind, "Accept": "application/json"}
        body = data if is_bytes else json.dumps(data).encode()
        request = urllib.request.Request(self.base + path, body, known | headers, method=method)
        with self._opener.open(request, timeout=30) as answer:
            return json.loads(answer.read() or b"{}")

    def send_file(self, number: int, name: str, data: bytes, role: str) -> None:
        """A file sent into a programme piece by piece, from where an earlier try stopped."""
        wish = {"name": name, "size_bytes": len(data), "fingerprint": name, "role": role}
        begun = self.send("POST", f"/programmes/{number}/uploads", wish)
        at = int(begun["received"])
        while at < len(data):
            path = f"/programmes/{number}/uploads/{begun['token']}"
            piece = data[at : at + _PIECE_BYTES]
            at = int(self.send("PUT", path, piece, **{"Upload-Offset": str(at)})["received"])

    def press(self, path: str, fields: dict[str, str]) -> None:
        """A form posted to an address that has no page of its own."""
        data = urllib.parse.urlencode(fields).encode()
        self._open(urllib.request.Request(self.base + path, data, {"X-CSRFToken": self.token, "Referer": self.base}))

    def cookies(self) -> str:
        """As a header carries them."""
        return "; ".join(f"{cookie.name}={cookie.value}" for cookie in self._jar)


class Torture:
    """One run."""

    def __init__(self, folder: Path, n_kills: int, seed: int) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])
        self.folder, self.n_kills, self.found = folder, n_kills, Found()
        self.base = f"http://127.0.0.1:{self.port}"
        self._chance = random.Random(seed)
        self._is_over = threading.Event()
        self._start: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def run(self) -> list[str]:
        """Everything; what went wrong, in sentences."""
        empty(self.folder)
        self.start()
        self._wait_until_ready()
        account = json.loads((self.folder / "demo-account.json").read_text())
        person = Person(self.base, account)
        person.sign_in()
        numbers = [self._programme(person, f"Programme {number}") for number in (1, 2)]
        people = [threading.Thread(target=self._edit, args=(Person(self.base, account), n)) for n in numbers]
        people.append(threading.Thread(target=self._upload, args=(Person(self.base, account), numbers[0])))
        people.append(threading.Thread(target=self._deliver, args=(Person(self.base, account), numbers[0])))
        for one in people:
            one.start()
        try:
            self._kill_all()
        finally:
            self._is_over.set()
            for one in people:
                one.join()
        self._wait_until_ready()
        wrong = self._judge(person, numbers)
        assert self._start is not None
        self._start.send_signal(signal.SIGTERM)
        if self._start.wait(60) != 0:
            wrong.append("the start command did not stop cleanly")
        return wrong

    def start(self) -> None:
        """The start command, beside whatever it left behind."""
        environment = {**os.environ, "RECITANT_FOLDER": str(self.folder)}
        command = [sys.executable, str(ROOT / "recitant"), "start", "--no-demo", "--no-words", "--port", str(self.port)]
        with self.folder.with_suffix(".log").open("ab") as log:
            self._start = subprocess.Popen(command, env=environment, stdout=log, stderr=log, start_new_session=True)

    def _kill_all(self) -> None:
        for number in range(self.n_kills):
            time.sleep(self._chance.uniform(*_PAUSE_S))
            name = self._chance.choice([*_VICTIMS, "start command"])
            if name == "start command" and number % 4:  # takes longest to come back: less often
                name = "worker"
            self._kill(name)
            began = time.monotonic()
            self._wait_until_ready()
            self.found.returns_s.append(time.monotonic() - began)

    def _kill(self, name: str) -> None:
        assert self._start is not None
        if name == "start command":
            self._start.kill()
            self._start.wait()
            self.found.kills[name] += 1
            self.start()
            return
        processes = self._processes(_VICTIMS[name])
        if processes:
            os.kill(self._chance.choice(processes), signal.SIGKILL)
            self.found.kills[name] += 1

    def _processes(self, program: bytes) -> list[int]:
        found = []
        for process_id in held_by(self.folder):
            try:
                command = Path(f"/proc/{process_id}/cmdline").read_bytes()
            except FileNotFoundError:
                continue
            if program in command:
                found.append(process_id)
        return sorted(found)

    def _wait_until_ready(self) -> None:
        ends_at = time.monotonic() + _END_S
        while time.monotonic() < ends_at:
            try:
                with urllib.request.urlopen(f"{self.base}/ready", timeout=10) as answer:
                    if json.loads(answer.read()) == {"database": True, "queue": True}:
                        return
            except (OSError, http.client.HTTPException):
                pass
            time.sleep(0.1)
        raise CannotGoOn(f"the pages did not come back within {_END_S:.0f} s; see {self.folder}")

    def _programme(self, person: Person, title: str) -> int:
        person.post("/", {"title": title, "frame_rate": "25", "spec_id": "online-14"})
        page = person.get("/").decode()
        number = max(int(found) for found in re.findall(r"/programmes/(\d+)/intake", page))
        person.send_file(number, f"{title}.wav", tone(440.0), "dialogue")
        return number

    def _again(self, person: Person, work: Callable[[], None]) -> None:
        # Whoever is thrown out signs in and tries again, as with a page that is loaded anew.
        is_signed_in = False
        while not self._is_over.is_set():
            try:
                if not is_signed_in:
                    person.sign_in()
                is_signed_in = True
                work()
            except TROUBLE:
                is_signed_in = False
                time.sleep(0.3)

    def _edit(self, person: Person, number: int) -> None:
        def once() -> None:
            state = json.loads(person.get(f"/programmes/{number}/arrange/state"))
            for _ in range(20):
                with self._lock:
                    self.found.tried += 1
                    text = f"marker {self.found.tried}"
                edit = {"kind": "marker-add", "revision": state["revision"], "marker": "note", "at_sample": 48_000}
                person.send("POST", f"/programmes/{number}/arrange/edits", {**edit, "text": text})
                self.found.edits.append(text)
                state["revision"] += 1

        self._again(person, once)

    def _upload(self, person: Person, number: int) -> None:
        counted = 0

        def once() -> None:
            nonlocal counted
            name = f"take {counted}.wav"
            try:
                person.send_file(number, name, tone(100.25 + counted), "dialogue")
            except urllib.error.HTTPError as error:
                if error.code != 409:  # a piece that was there before the answer was lost: asked anew
                    raise
                return
            self.found.uploads.append(name)
            counted += 1

        self._again(person, once)

    def _deliver(self, person: Person, number: int) -> None:
        def once() -> None:
            person.post(f"/programmes/{number}/hand-over", {})
            self.found.deliveries += 1
            self._is_over.wait(4.0)

        self._again(person, once)

    def _judge(self, person: Person, numbers: list[int]) -> list[str]:
        person.sign_in()
        wrong = self._wait_for_jobs(person, numbers)
        texts = Counter[str]()
        for number in numbers:
            state = json.loads(person.get(f"/programmes/{number}/arrange/state"))
            texts += Counter(marker["text"] for marker in state["markers"])
        missing = [text for text in self.found.edits if not texts[text]]
        double = [text for text, count in texts.items() if count > 1]
        wrong += [f"{len(missing)} acknowledged edits are missing: {missing[:5]}"] if missing else []
        wrong += [f"{len(double)} edits are there twice: {double[:5]}"] if double else []
        page = person.get(f"/programmes/{numbers[0]}/sources").decode()
        lost = [name for name in self.found.uploads if name not in page]
        wrong += [f"{len(lost)} uploads are missing: {lost[:5]}"] if lost else []
        # One whose last answer was lost is sent again, and refused as the twin of what is there.
        refused = [words for words in re.findall(r"▲[^<]{0,120}", page) if "is the same file as" not in words]
        wrong += [f"{len(refused)} files were refused: {refused[:3]}"] if refused else []
        return wrong

    def _wait_for_jobs(self, person: Person, numbers: list[int]) -> list[str]:
        ends_at = time.monotonic() + _END_S
        while time.monotonic() < ends_at:
            figures = person.get("/metrics").decode()
            is_open = re.findall(r'recitant_jobs\{kind="([^"]+)",state="(waiting|working)"\} (\d+)', figures)
            if not is_open:
                crashed = re.findall(r'recitant_jobs\{kind="([^"]+)",state="crashed"\} (\S+)', figures)
                return [f"jobs crashed: {crashed}"] if crashed else []
            time.sleep(1.0)
        return [f"after {_END_S:.0f} s jobs are still open: {is_open} of programmes {numbers}"]


def tone(freq_hz: float, length_s: int = 6) -> bytes:
    """A WAV file of 24 bit, mono."""
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(3)
        out.setframerate(48_000)
        values = (round(1_500_000 * math.sin(2 * math.pi * freq_hz * k / 48_000)) for k in range(48_000 * length_s))
        out.writeframes(b"".join(struct.pack("<i", value)[:3] for value in values))
    return file.getvalue()


def main(arguments: list[str]) -> int:
    """Torture an application; 0 where nothing went wrong."""
    parser = argparse.ArgumentParser(prog="recitant torture", description="Kill processes at random while people work.")
    parser.add_argument("--kills", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args(arguments)
    torture = Torture(ROOT / "var" / "torture", chosen.kills, chosen.seed)
    began = time.monotonic()
    wrong = torture.run()
    found = torture.found
    kills = ", ".join(f"{name} {count}" for name, count in sorted(found.kills.items()))
    print(f"{sum(found.kills.values())} kills in {time.monotonic() - began:.0f} s ({kills})")
    print(f"{found.tried} edits tried, {len(found.edits)} acknowledged")
    print(f"{len(found.uploads)} uploads, {found.deliveries} orders to hand over")
    if not (found.edits and found.uploads and found.deliveries):
        wrong.append("nothing could be done meanwhile")
    middle_s = statistics.median(found.returns_s)
    print(f"pages, database and queue back after {middle_s:.1f} s in the middle, {max(found.returns_s):.1f} s at most")
    for sentence in wrong or ["nothing acknowledged is missing or double, everything ended"]:
        print(sentence)
    if not wrong:
        say("held")
    return 1 if wrong else 0
