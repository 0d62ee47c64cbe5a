"""How long a delivery waits behind two transcriptions: ./recitant bench waits. Writes docs/benchmarks-waits.md.

Starts an application of its own in a folder of its own, with two interviews of ten minutes and three spots. The
interviews are heard for words; meanwhile the spots are handed over. Timed is what a person waits from the press until
the delivery runs, and until its files are there. Not collected by the tests.
"""

import importlib
import io
import json
import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import soundfile
import soxr

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "scripts"))
services, torture = importlib.import_module("services"), importlib.import_module("torture")

FOLDER = ROOT / "var" / "waits"
PAGE = ROOT / "docs" / "benchmarks-waits.md"
S = 48_000
MINUTES = 10
ASKED_S = 5.0
N_DELIVERIES = 3
PATIENCE_S = 600.0
HEAD = """# A delivery behind two transcriptions

Written by `./recitant bench waits`: an application of its own; two interviews of ten minutes are heard for words while
spots of half a minute are handed over. Counted from the press, as the Work page shows it.

| delivery | runs after (asked 5 s) | files after | transcription meanwhile | met |
| --- | --- | --- | --- | --- |
"""


def interview(begins_s):
    """Ten minutes of recorded speech from another place each, a WAV file."""
    speech, rate_hz = soundfile.read(ROOT / "tests" / "data" / "prompts-en.ogg", dtype="float32", always_2d=True)
    mono = soxr.resample(speech.mean(axis=1), rate_hz, S)
    whole = np.resize(np.roll(mono, -begins_s * S), MINUTES * 60 * S)
    file = io.BytesIO()
    soundfile.write(file, whole, S, format="WAV", subtype="PCM_16")
    return file.getvalue()


def until(question, what):
    """The answer of a question as soon as there is one, and the seconds until then."""
    began = time.monotonic()
    while time.monotonic() - began < PATIENCE_S:
        if answer := question():
            return answer, time.monotonic() - began
        time.sleep(0.1)
    raise SystemExit(f"{what} did not come to pass")


class Somebody:
    """A person who sends, has heard, and hands over."""

    def __init__(self, base):
        self._person = torture.Person(base, json.loads((FOLDER / "demo-account.json").read_text()))
        self._person.sign_in()

    def programme(self, title, files):
        """A new programme with files brought in; its number."""
        self._person.post("/", {"title": title, "frame_rate": "25", "spec_id": "online-14"})
        number = max(int(n) for n in re.findall(r"/programmes/(\d+)/intake", self._person.get("/").decode()))
        for role, data in files.items():
            self._person.send_file(number, f"{title} {role}.wav", data, role)
        until(lambda: len(self._state(number, "arrange/state")["clips"]) == len(files), f"{title} on the timeline")
        return number

    def hear(self, number):
        """Have a programme heard for words, as soon as the model is there."""

        def asked():
            try:
                return self._person.send("POST", f"/programmes/{number}/words/work", {"kind": "hear", "language": "en"})
            except OSError:
                return None

        until(asked, "the words model")

    def hand_over(self, number):
        """Press it."""
        self._person.post(f"/programmes/{number}/hand-over", {})

    def work(self, heading):
        """Text of a part of the Work page."""
        page = self._person.get("/work").decode()
        part = re.search(rf"<h2>{heading}</h2>(.*?)</section>", page, re.S)
        return "" if part is None else part[1]

    def delivered(self, number):
        """Numbers of the deliveries of a programme whose files the page offers."""
        page = self._person.get(f"/programmes/{number}/hand-over").decode()
        return set(re.findall(r"/deliveries/(\d+)/everything\.zip", page))

    def _state(self, number, what):
        return json.loads(self._person.get(f"/programmes/{number}/{what}"))


def measured(base):
    """Rows of the page."""
    somebody, rows = Somebody(base), []
    sounds = {role: torture.tone(hz, 30) for role, hz in (("dialogue", 330.0), ("music", 440.0))}
    spots = [somebody.programme(f"Spot {number}", sounds) for number in range(1, N_DELIVERIES + 1)]
    for begins_s, title in ((0, "First interview"), (7, "Second interview")):
        somebody.hear(somebody.programme(title, {"dialogue": interview(begins_s)}))
    until(lambda: "ranscription" in somebody.work("Running"), "a transcription at work")
    for number, spot in enumerate(spots, 1):
        rows.append(handed_over(somebody, spot, number))
        print(rows[-1], flush=True)
    return rows


def handed_over(somebody, spot, number):
    """The row of one delivery."""
    both = somebody.work("Running") + somebody.work("Waiting")
    n_transcriptions = len(set(re.findall(r"Transcription of (\w+ interview)", both)))
    before, began = somebody.delivered(spot), time.monotonic()
    somebody.hand_over(spot)

    def is_done():
        return bool(somebody.delivered(spot) - before)

    until(lambda: "elivery" in somebody.work("Running") or is_done(), "a delivery at work")
    runs_s = time.monotonic() - began
    until(is_done, "a delivery")
    done_s = time.monotonic() - began
    is_met = runs_s <= ASKED_S and n_transcriptions == 2
    told = f"{n_transcriptions} of 2 under way | {'yes' if is_met else 'no'}"
    return f"| {number} | {runs_s:.1f} s | {done_s:.1f} s | {told} |"


def main():
    """Measure and write the page; 1 where a delivery waited too long."""
    services.empty(FOLDER)
    port = services.free_port()
    command = [sys.executable, str(ROOT / "recitant"), "start", "--no-demo", "--port", str(port)]
    with FOLDER.with_suffix(".log").open("wb") as log:
        environment = {**os.environ, "RECITANT_FOLDER": str(FOLDER)}
        start = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=log, text=True)
        try:
            if not any("Ctrl-C stops it" in line for line in start.stdout):
                raise SystemExit(f"the application did not start; see {log.name}")
            until(lambda: "everything is ready" in Path(log.name).read_text(), "the rest of the start")
            rows = measured(f"http://127.0.0.1:{port}")
        finally:
            start.send_signal(signal.SIGTERM)
            start.wait(60)
    PAGE.write_text(HEAD + "\n".join(rows) + "\n")
    return int(any(row.endswith("| no |") for row in rows))


if __name__ == "__main__":
    sys.exit(main())
