"""The Words page with 10,000 words in an hour, in a real browser on a live server: ./recitant bench textpage.

Writes docs/benchmarks-textpage.md. Not collected by the tests: these are figures of a machine.
"""

import json
import time
from pathlib import Path

import numpy as np
import pytest

from bench.pages import no_jobs  # noqa: F401  fixture
from browser.conftest import chromium, page  # noqa: F401  fixtures
from conftest import wav_bytes
from recitant_io.media.machine import collect_rarely
from recitant_web.desk.models import Clip
from recitant_web.desk.placing import lay_out
from recitant_web.listening.examination import examine
from recitant_web.programme.models import Programme
from recitant_web.transcript.models import Speaker, Transcript
from signals import programme

pytestmark = pytest.mark.django_db(transaction=True)
PAGE = Path(__file__).resolve().parents[2] / "docs" / "benchmarks-textpage.md"
S = 48_000
N_CLIPS, CLIP_S, WORDS_A_CLIP = 12, 300, 834
A_TURN = 20
ROWS: list[str] = []
SCROLL = """async () => {
  const box = document.getElementById("turns");
  const frames = [];
  let last = performance.now();
  const end = last + 3000;
  while (last < end) {
    box.scrollTop += 60;
    await new Promise(requestAnimationFrame);
    const now = performance.now();
    frames.push(now - last);
    last = now;
  }
  frames.sort((a, b) => a - b);
  return [frames.length / 3, frames[Math.floor(frames.length * 0.95)]];
}"""
TYPED = """async ([place, text]) => {
  const word = document.querySelectorAll(".turn .w")[place];
  word.scrollIntoView({ block: "center" });
  await new Promise(requestAnimationFrame);
  word.dispatchEvent(new PointerEvent("pointerdown", { bubbles: true }));
  word.dispatchEvent(new PointerEvent("pointerup", { bubbles: true }));
  word.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
  const field = document.querySelector(".type-over");
  await new Promise((done) => setTimeout(done, 800)); // as long as a word takes to be typed
  field.value = text;
  const began = performance.now();
  field.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
  const drawn = performance.now() - began;
  while (!window.recitantEdits.isIdle()) await new Promise((done) => setTimeout(done, 2));
  return [drawn, performance.now() - began];
}"""


def note(name, asked, reached, is_met):
    """Keep a figure and print it."""
    ROWS.append(f"| {name} | {asked} | {reached} | {'met' if is_met else '**missed**'} |")
    print(f"\n{ROWS[-1]}", flush=True)
    head = [
        "# The Words page with 10,000 words",
        "",
        "Written by `./recitant bench textpage`: an hour of two people.",
        "",
    ]
    PAGE.write_text("\n".join([*head, "| figure | asked | reached | |", "| --- | --- | --- | --- |", *ROWS, ""]))


@pytest.fixture
def talk(account, media, no_jobs):  # noqa: F811
    """An hour of two people by turns."""
    from recitant_web.programme.actions import bring_in, create_programme
    from recitant_web.programme.ingesting import ingest

    made = create_programme(account[1], "An hour of talk", "25", "ebu-r128")
    data = wav_bytes(np.tile(programme(3, 30.0, 1), (CLIP_S // 30, 1)), "PCM_16")
    source = bring_in(made, "dialogue", "talk.wav", len(data), [data], is_placed=False)
    ingest(source.pk, lambda _share: None)
    source.refresh_from_db()
    people = [Speaker.objects.create(programme=made, name=name).pk for name in ("Founder", "Apprentice")]
    step = CLIP_S * S // WORDS_A_CLIP
    words = [
        [f"word{k % 97}", k * step, k * step + step // 2, 0.9, people[k // A_TURN % 2]] for k in range(WORDS_A_CLIP)
    ]
    Transcript.objects.create(source=source, words=words, language="en", model="bench", stamp=1)
    clips = [
        {"source": source, "name": "talk", "start_sample": k * CLIP_S * S, "length_samples": CLIP_S * S}
        for k in range(N_CLIPS)
    ]
    lay_out(made, [{"name": "Talk", "role": "dialogue", "gain_db": 0.0, "pan": 0.0, "clips": clips}])
    made = Programme.objects.get(pk=made.pk)
    examine(made.pk, made.revision, lambda _share: None)  # as the worker has done by then
    return Programme.objects.get(pk=made.pk)


def test_page(talk, page, live_server):  # noqa: F811
    collect_rarely()
    began = time.monotonic()
    page.goto(f"{live_server.url}/programmes/{talk.pk}/words")
    page.wait_for_selector("#words[data-ready]")
    took = time.monotonic() - began
    n_words = page.locator(".turn .w").count()
    note(f"{n_words} words open", "–", f"{took:.1f} s", n_words == N_CLIPS * WORDS_A_CLIP)
    page.wait_for_timeout(4_000)  # until figures and outlines are there
    frames, worst_ms = page.evaluate(SCROLL)
    note("frames a second while the text scrolls", "60", f"{frames:.0f}, 95 % within {worst_ms:.0f} ms", frames >= 58)
    times = []
    for k in range(13):
        times.append(page.evaluate(TYPED, [200 + 731 * k, f"typed{k}"]))
        page.wait_for_timeout(700)  # as long as the next word takes to be found
    times = np.array(times)
    drawn, known = np.median(times[3:], axis=0)
    note("a correction drawn", "–", f"{drawn:.0f} ms in the middle", True)
    note("and acknowledged", "100 ms", f"{known:.0f} ms in the middle, {times[3:, 1].max():.0f} at most", known < 100)


def test_track_a_person(talk, client, account):
    client.force_login(account[0])
    body = json.dumps({"kind": "track-a-person", "revision": talk.revision})
    began = time.monotonic()
    answer = client.post(f"/programmes/{talk.pk}/words/edits", body, "application/json")
    took = time.monotonic() - began
    assert answer.status_code == 200, answer.content[:300]
    n_clips = Clip.objects.filter(track__programme=talk).count()
    note(f"one track a person for an hour, {n_clips} clips made, whole request", "5 s", f"{took:.1f} s", took < 5)
