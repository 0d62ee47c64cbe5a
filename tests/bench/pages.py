"""Measures the pages in a real browser on a live server: ./recitant bench pages. Writes docs/benchmarks-pages.md.

Not collected by the tests: these are figures of a machine, not right or wrong. The large programme holds 1,000 clips
on 24 tracks over 90 minutes, from six recordings of five minutes.
"""

import os
import platform
import time
from pathlib import Path

import numpy as np
import pytest

from browser.conftest import chromium, page  # noqa: F401  fixtures
from conftest import wav_bytes
from recitant_io.media.machine import collect_rarely
from recitant_web.desk.models import Clip
from recitant_web.desk.placing import lay_out
from signals import programme
from signals.films import film as make_film

pytestmark = pytest.mark.django_db(transaction=True)
PAGE = Path(__file__).resolve().parents[2] / "docs" / "benchmarks-pages.md"
SCRIPT = Path(__file__).with_name("pages.js").read_text(encoding="utf-8")
PRESSES = Path(__file__).with_name("presses.js").read_text(encoding="utf-8")
N_CLIPS, N_TRACKS, MINUTES = 1_000, 24, 90
SYNC_S = int(os.environ.get("RECITANT_SYNC_S", "600"))
ROWS: list[tuple[str, str, str, bool]] = []


def note(name, asked, reached, is_met):
    """Keep a figure and print it."""
    ROWS.append((name, asked, reached, is_met))
    print(f"{'met   ' if is_met else 'MISSED'}  {name}: {reached}  (asked: {asked})", flush=True)


@pytest.fixture
def no_jobs(monkeypatch):
    """Nothing is computed in the background: the pages are measured, not the worker."""
    from recitant_web.jobs import actions as jobs

    monkeypatch.setattr(jobs, "_send", lambda *_: None)


@pytest.fixture
def long_film(account, media, no_jobs):
    """A programme of the size that is asked about."""
    return film_of(account, N_CLIPS, N_TRACKS, MINUTES)


def film_of(account, n_clips, n_tracks, minutes):
    """A programme of so many clips, in places that hang on nothing but these numbers."""
    from recitant_web.programme.actions import bring_in, create_programme
    from recitant_web.programme.ingesting import ingest

    made = create_programme(account[1], "Ninety minutes", "25", "ebu-r128")
    sources = []
    for seed in range(6):
        audio = np.tile(programme(seed, 30.0, 1), (10, 1))
        audio[0] = seed / 1_000  # each a recording of its own
        data = wav_bytes(audio, "PCM_16")
        source = bring_in(made, "dialogue", f"source {seed}.wav", len(data), [data], is_placed=False)
        ingest(source.pk, lambda _share: None)
        source.refresh_from_db()
        sources.append(source)
    rng = np.random.default_rng(1)
    per_track = -(-n_clips // n_tracks)
    total = minutes * 60 * 48_000
    tracks = []
    for index in range(n_tracks):
        numbers = range(index * per_track, min(n_clips, (index + 1) * per_track))
        clips = [
            {
                "source": sources[int(rng.integers(6))],
                "name": f"clip {number}",
                "start_sample": (number - index * per_track) * total // per_track,
                "in_sample": int(rng.integers(0, 200 * 48_000)),
                "length_samples": int(rng.integers(3 * 48_000, 60 * 48_000)),
                "fade_in_samples": 480,
                "fade_out_samples": 480,
            }
            for number in numbers
        ]
        role = ("dialogue", "music", "effects", "atmosphere")[index % 4]
        tracks.append({"name": f"{role} {index}", "role": role, "gain_db": 0.0, "pan": 0.0, "clips": clips})
    lay_out(made, tracks)
    return made


def test_the_arrange_page(page, live_server, long_film):  # noqa: F811  the fixture
    usable = []
    for _ in range(4):
        began = time.perf_counter()
        page.goto(f"{live_server.url}/programmes/{long_film.pk}/arrange")
        page.wait_for_selector("#arrange[data-ready]")
        usable.append(time.perf_counter() - began)
    reached = f"{min(usable):.2f} to {max(usable):.2f} s"
    note("Arrange page usable: 1,000 clips, 24 tracks, 90 min", "under 2 s", reached, max(usable) < 2.0)
    page.wait_for_timeout(2_500)
    page.evaluate(SCRIPT)
    names = {
        "scroll": "scrolling, a tenth of the film in view",
        "slide": "scrolling, all of the film in view",
        "zoom": "zooming from all of it to two seconds",
    }
    for name, words in names.items():
        found = page.evaluate("(name) => window.measure.frames(name)", name)
        frames, draws = np.array(found["frames"]), np.array(found["draws"])
        per_second = 1_000 / frames.mean()
        reached = f"{per_second:.0f} a second, 95 % within {np.percentile(frames, 95):.1f} ms"
        drawing = f"drawing {np.median(draws):.1f} ms, at most {draws.max():.1f}"
        note(f"Frames while {words}", "60 a second", f"{reached}; {drawing}", per_second >= 57)
    took = np.array(page.evaluate("window.measure.edits(24)")[2:])
    reached = f"{np.median(took):.0f} ms, 95 % within {np.percentile(took, 95):.0f}, at most {took.max():.0f}"
    note("An edit acknowledged, 1,000 clips", "under 100 ms", reached, np.percentile(took, 95) < 100)


def test_the_level_page(page, live_server, long_film):  # noqa: F811
    usable = []
    for _ in range(4):
        began = time.perf_counter()
        page.goto(f"{live_server.url}/programmes/{long_film.pk}/level")
        page.wait_for_selector("#level[data-ready]")
        usable.append(time.perf_counter() - began)
    reached = f"{usable[0]:.2f} s at first, {min(usable[1:]):.2f} to {max(usable[1:]):.2f} s after"
    note("Level sheet usable: 1,000 clips, 24 tracks, 90 min", "under 0.8 s", reached, max(usable) < 0.8)
    presses(page, long_film, "Level")


def test_the_balance_page(page, live_server, long_film):  # noqa: F811
    page.goto(f"{live_server.url}/programmes/{long_film.pk}/balance")
    page.wait_for_selector("#desk[data-ready]")
    presses(page, long_film, "Balance")


def test_an_hour_of_300_clips(page, live_server, account, media, no_jobs):  # noqa: F811
    film = film_of(account, 300, 12, 60)
    for name, ready in (("arrange", "#arrange"), ("level", "#level"), ("balance", "#desk")):
        page.goto(f"{live_server.url}/programmes/{film.pk}/{name}")
        page.wait_for_selector(f"{ready}[data-ready]")
        page.wait_for_timeout(6_000)
        collect_rarely()  # as the server does
        page.evaluate(PRESSES)
        ids = [str(pk) for pk in Clip.objects.filter(track__programme=film).values_list("pk", flat=True)][::9]
        drawn, acknowledged = np.array(page.evaluate("(ids) => window.pressTwice(ids)", ids)[3:]).T
        for words, asked, took in (("drawn", 50, drawn), ("acknowledged", 150, acknowledged)):
            reached = f"{np.median(took):.0f} ms, 95 % within {np.percentile(took, 95):.0f}, at most {took.max():.0f}"
            is_met = np.percentile(took, 95) < asked
            note(f"{name.capitalize()}: a press {words}, 300 clips, 1 h", f"95 % within {asked} ms", reached, is_met)


def test_every_page_at_60_clips(page, live_server, account, media, no_jobs):  # noqa: F811
    film = film_of(account, 60, 6, 20)
    pages = {"intake": "#intake[data-ready]", "arrange": "#arrange[data-ready]", "level": "#level[data-ready]"}
    pages |= {"balance": "#desk[data-ready]", "hand-over": "main button"}
    slowest = {}
    for name, ready in pages.items():
        usable = []
        for _ in range(3):
            began = time.perf_counter()
            page.goto(f"{live_server.url}/programmes/{film.pk}/{name}")
            page.wait_for_selector(ready)
            usable.append(time.perf_counter() - began)
        slowest[name] = max(usable)
    reached = ", ".join(f"{name} {seconds:.2f}" for name, seconds in slowest.items())
    note("Every page usable, 60 clips: the slowest of three, s", "1.5 s", reached, max(slowest.values()) < 1.5)


def presses(page, film, name):  # noqa: F811
    """Note how long edits take on a page, from the press until the answer is drawn; the first three are not counted."""
    page.wait_for_timeout(6_000)
    collect_rarely()  # as the server does
    page.evaluate(PRESSES)
    ids = [str(pk) for pk in Clip.objects.filter(track__programme=film).values_list("pk", flat=True)][::37]
    took = np.array(page.evaluate("(ids) => window.press(ids)", ids)[3:])
    reached = f"{np.median(took):.0f} ms, 95 % within {np.percentile(took, 95):.0f}, at most {took.max():.0f}"
    note(
        f"{name}: an edit answered and drawn, 1,000 clips", "95 % within 100 ms", reached, np.percentile(took, 95) < 100
    )


def test_picture_and_sound(page, live_server, account, media, jobs_run_at_once, tmp_path):  # noqa: F811
    from recitant_web.programme.actions import bring_in, create_programme

    made = create_programme(account[1], "Ten minutes", "25", "ebu-r128")
    path = make_film(tmp_path / "ten minutes.mp4", n_frames=(SYNC_S + 5) * 25)
    bring_in(made, "", path.name, path.stat().st_size, [path.read_bytes()])
    page.goto(f"{live_server.url}/programmes/{made.pk}/arrange")
    page.wait_for_selector("#arrange[data-ready]")
    page.wait_for_function("document.getElementById('picture').readyState >= 3")
    page.evaluate(SCRIPT)
    page.click('[data-do="playOrStop"]')
    page.wait_for_timeout(SYNC_S * 1_000)
    at = page.evaluate("window.measure.player.position()") / 48_000
    off_ms = np.abs(np.array(page.evaluate("window.measure.offsets()")[60:])) * 1_000
    middle, most, nearly_all = np.percentile(off_ms, [50, 95, 99])
    heard = f"{at:.0f} s heard in {SYNC_S} s"
    reached = f"{heard}: {middle:.0f} ms in the middle, 95 % within {most:.0f}, 99 % within {nearly_all:.0f}"
    note("Picture against sound while playing", "one frame (40 ms)", reached, most < 40)
    _write()


def _write():
    lines = [
        "# Benchmarks of the pages",
        "",
        "Made by `./recitant bench pages`: headless Chromium without a graphics card, on a live server.",
        f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}. A busy machine differs by",
        "up to two times. Frames are counted in a second round, when the outlines have been fetched.",
        "",
        "| figure | asked | reached | |",
        "| --- | --- | --- | --- |",
        *(f"| {name} | {asked} | {reached} | {'met' if met else 'MISSED'} |" for name, asked, reached, met in ROWS),
        "",
    ]
    PAGE.write_text("\n".join(lines), encoding="utf-8")
