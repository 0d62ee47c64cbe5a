"""A working day's job by what a person can do: twenty files, a recorder file and a film to two masters, stems and the
film; three stems to one. ./recitant bench job fails where a frame is off.

Counts presses and time until the files stand there, on a live server with its workers. Writes docs/benchmarks-job.md.
"""

import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from django.db import connections

from browser.conftest import chromium, page  # noqa: F401  fixtures
from conftest import wav_bytes
from recitant_io.media.decode import open_here
from recitant_web.config.celery import app
from recitant_web.delivery.models import Delivery
from recitant_web.shared.media import media_path
from signals.films import film

pytestmark = pytest.mark.django_db(transaction=True)
PAGE = Path(__file__).resolve().parents[2] / "docs" / "benchmarks-job.md"
DATA = Path(__file__).resolve().parents[1] / "data"
QUEUES = ("intake", "measuring", "delivering", "long")
MINUTES = 3
S = 48_000
HEAD = """# A job by hand

Made by `./recitant bench job`: a script that presses what a person can press, on a live server with its workers.
Recorded speech, music and fire, three minutes a file, six of them with planted faults.

| what | asked | reached | met |
| --- | --- | --- | --- |
"""
ROWS: list[tuple[str, str, str, bool]] = []


@pytest.fixture
def jobs_run_at_once(monkeypatch):
    """As by the workers of one machine: a thread for each queue, as long work makes way for what another one does."""
    from recitant_web.jobs import actions
    from recitant_web.jobs.line import queue_of

    def run(job_id, kind):
        try:
            app.tasks[kind](job_id=job_id)
        finally:
            connections.close_all()

    app.loader.import_default_modules()
    with ExitStack() as stack:
        workers = {queue: stack.enter_context(ThreadPoolExecutor(1)) for queue in QUEUES}
        monkeypatch.setattr(actions, "_send", lambda job_id, kind: workers[queue_of(kind)].submit(run, job_id, kind))
        yield


def recording(name):
    """A recording of the tests' data, mono at 48 kHz, peaks at -6 dBFS."""
    audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
    mono = soxr.resample(audio.mean(axis=1), rate_hz, S)
    return (0.5 * mono / np.abs(mono).max()).astype(np.float32)


def as_long(audio, seed):
    """Three minutes of a recording over and over, from another place each time, with pauses between."""
    rng = np.random.default_rng(seed)
    parts, n = [], 0
    while n < MINUTES * 60 * S:
        part = np.roll(audio, int(rng.integers(len(audio))))
        parts += [part, np.zeros(int(rng.integers(S, 3 * S)), np.float32)]
        n += sum(map(len, parts[-2:]))
    return np.concatenate(parts)[: MINUTES * 60 * S]


def pile():
    """Twenty recordings as they come from a shoot, with the faults of real ones."""
    voice, music, fire = recording("prompts-en.ogg"), recording("music-calm.ogg"), recording("fire-ambience.ogg")
    faults = {
        1: lambda a: np.stack([a, np.zeros_like(a)], axis=1),  # on one side only
        2: lambda a: a + np.float32(0.04),  # a DC offset
        3: lambda a: np.clip(4.0 * a, -0.7, 0.7),  # clipped
        4: lambda a: a * np.float32(0.02),  # far too low
        5: lambda a: np.stack([a, -a], axis=1),  # reverse polarity
        6: lambda a: a + 0.02 * np.sin(2 * np.pi * 50 * np.arange(len(a)) / S),  # hum
    }
    files = {}
    for n in range(1, 13):
        made = as_long(voice, n)
        files[f"interview {n:02}.wav"] = faults.get(n, lambda a: a)(made)
    for n in range(1, 4):
        files[f"score {n}.wav"] = np.repeat(as_long(music, n)[:, None], 2, axis=1)
        files[f"foley {n}.wav"] = as_long(np.repeat(fire[: S // 2], 1), 20 + n) * np.float32(0.6)
    for n in range(1, 3):
        files[f"street atmosphere {n}.wav"] = as_long(fire, 30 + n) * np.float32(0.1)
    return {
        name: wav_bytes(np.asarray(audio, np.float32).reshape(len(audio), -1), "PCM_16")
        for name, audio in files.items()
    }


class Person:
    """Presses what there is to press, and counts."""

    def __init__(self, browser_page):
        self.page = browser_page
        self.n_presses = 0

    def press(self, selector, timeout_ms=20_000):
        self.n_presses += 1
        self.page.click(selector, timeout=timeout_ms)

    def choose_files(self, paths):
        self.n_presses += 2  # the button, and the files chosen in the system's dialog
        self.page.set_input_files("#files", paths)


def delivered(person):
    """From the Balance page to mixes and stems for two specifications, and the film: what the page says of them."""
    page = person.page  # noqa: F811  no fixture here
    person.press("nav >> text=Balance")
    page.wait_for_selector("#desk[data-ready]")
    person.press("[data-do=first-balance]")
    person.press("#first-balance button.go")
    page.wait_for_selector("[data-do=first-balance]:has-text('Balancing')", timeout=30_000)
    page.wait_for_selector("[data-do=first-balance]:has-text('First balance')", timeout=600_000)
    person.press("nav >> text=Hand over")
    person.n_presses += 1
    page.select_option("select[name=add]", "online-14")
    person.press(".sheet-foot >> text=Add")
    page.wait_for_function("document.querySelectorAll('.sheet-table tbody tr').length === 2")
    person.press(".dot[aria-label^='the film with this mix for EBU R 128']")
    page.wait_for_selector(".dot.wanted[aria-label^='the film with this mix for EBU R 128']")
    person.press("main .go-form .go")
    page.wait_for_selector(".delivery .files a", timeout=600_000)
    return page.locator(".delivery").first.inner_text()


def recorder_file():
    """A file of a field recorder: two microphones, its other channels silent."""
    voice = as_long(recording("prompts-en.ogg"), 40)[: 20 * S]
    silence = np.zeros_like(voice)
    audio = np.stack([0.6 * voice, 0.3 * voice, silence, silence], axis=1).astype(np.float32)
    return wav_bytes(audio, "PCM_24")


def offset_samples(found, wanted):
    """How much later a sound lies in another one, by correlation, in samples."""
    size = 1 << (len(found) + len(wanted)).bit_length()
    spectrum = np.fft.rfft(found, size) * np.conj(np.fft.rfft(wanted, size))
    at = int(np.argmax(np.fft.irfft(spectrum, size)))
    return at - size if at > size // 2 else at


def mono_of(path):
    """A file's sound, one channel at 48 kHz."""
    with open_here(path) as (facts, blocks):
        audio = np.concatenate([block.mean(axis=1) for block in blocks])
    assert facts.rate_hz == S
    return audio


def note(name, asked, reached, is_met):
    """Keep a figure and print it."""
    ROWS.append((name, asked, reached, is_met))
    print(f"{'met   ' if is_met else 'MISSED'}  {name}: {reached}  (asked: {asked})", flush=True)


def test_twenty_files_a_recorder_file_and_a_film(page, live_server, tmp_path):  # noqa: F811  the fixture
    paths = []
    for name, data in [*pile().items(), ("scene 7 take 1.wav", recorder_file())]:
        (tmp_path / name).write_bytes(data)
        paths.append(tmp_path / name)
    own = as_long(recording("reading.flac"), 50)[: 30 * S]
    film_path = film(tmp_path / "cut 4.mov", n_frames=30 * 25, own=np.repeat(own[:, None], 2, axis=1))
    person, began = Person(page), time.monotonic()
    page.fill("#id_title", "Twenty files")
    person.press("text=Make it")
    page.wait_for_selector("#intake[data-ready]")
    person.choose_files([*paths, film_path])
    person.press("#laying >> text=Bring them in")
    page.wait_for_function("document.querySelectorAll('tr[data-state=ready]').length === 23", timeout=600_000)
    intake_s = time.monotonic() - began
    chips = page.locator("td.found .chip:not(.good)").count()
    # Everything is laid out again by role, as somebody does who wants it tidy: the film's sound stays.
    person.press("nav >> text=Arrange")
    page.wait_for_selector("[data-ready=true]")
    person.n_presses += 1
    page.keyboard.press("Control+a")
    person.press("#lay-again")
    person.press("text=Lay them")
    page.wait_for_timeout(1_000)
    print(delivered(person))
    took_s = time.monotonic() - began
    note("twenty files, a recorder file and a film to two masters, stems and the film: presses", "30",
         str(person.n_presses), person.n_presses <= 30)  # fmt: skip
    note("the same: time, intake and hearing included", "under 6 min",
         f"{took_s:.0f} s ({intake_s:.0f} s of it intake)", took_s < 360)  # fmt: skip
    note("the same: findings shown", "six planted faults", str(chips), chips >= 6)
    made = Delivery.objects.get(programme__title="Twenty files")
    folder = media_path(made.folder)
    films = sorted(folder.glob("*.mov"))
    mix = mono_of(next(folder.glob("mix-ebu-r128.wav")))
    assert films, list(folder.iterdir())
    written = mono_of(films[0])
    off = offset_samples(written[: 30 * S], mix[: 30 * S])
    stem = mono_of(next(folder.glob("stem-dialogue-ebu-r128.wav")))[: 40 * S]
    laid = offset_samples(stem, own)
    note("the same: the film's sound against the mix, and its own sound against its picture", "0 and 0 samples",
         f"{off} and {laid} samples", off == 0 and laid == 0)  # fmt: skip
    assert off == 0 and laid == 0


def test_three_stems_to_one_master(page, live_server, tmp_path):  # noqa: F811  the fixture
    found = [
        name for name in pile().items() if name[0] in ("interview 08.wav", "score 1.wav", "street atmosphere 1.wav")
    ]
    paths = []
    for name, data in found:
        (tmp_path / name).write_bytes(data)
        paths.append(tmp_path / name)
    page.fill("#id_title", "Three stems")
    page.click("text=Make it")
    page.wait_for_selector("#intake[data-ready]")
    person, began = Person(page), time.monotonic()
    person.choose_files(paths)
    person.press("#laying >> text=Bring them in")
    page.wait_for_function("document.querySelectorAll('tr[data-state=ready]').length === 3", timeout=300_000)
    person.press("nav >> text=Hand over")
    person.press("main .go-form .go")
    page.wait_for_selector(".delivery .files a", timeout=150_000)
    took_s = time.monotonic() - began
    note("three stems to a master: presses", "6", str(person.n_presses), person.n_presses <= 6)
    note("the same: time", "-", f"{took_s:.0f} s", True)
    rows = "".join(
        f"| {name} | {asked} | {reached} | {'yes' if met else '**no**'} |\n" for name, asked, reached, met in ROWS
    )
    PAGE.write_text(HEAD + rows, encoding="utf-8")
