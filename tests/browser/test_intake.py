"""The Intake page in a browser: a broken line, findings and their cure, roles by key, the table, hearing a file."""

import itertools

import numpy as np
import pytest

from browser.browser_help import box_of
from browser.conftest import place_of, recorded
from conftest import wav_bytes
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.actions import bring_in, create_programme
from recitant_web.programme.models import Source
from signals import programme, sine

pytestmark = pytest.mark.django_db(transaction=True)
SHOWN = "[...document.querySelectorAll('tr[data-source]')].filter((r) => !r.hidden).map((r) => r.dataset.name)"


def _file(name, audio):
    return {"name": name, "mimeType": "audio/wav", "buffer": wav_bytes(audio)}


def _ready(page, count):
    page.wait_for_function(f"document.querySelectorAll('tr[data-state=ready]').length === {count}", timeout=60_000)


@pytest.fixture
def intake(page, live_server, account):
    """The Intake page of an empty programme."""
    made = create_programme(account[1], "New", "25", "ebu-r128")
    page.goto(f"{live_server.url}/programmes/{made.pk}/intake")
    page.wait_for_selector("#intake[data-ready]")
    page.film = made
    return page


def _take():
    voice = programme(3, 6.0, 1)
    return np.concatenate([voice, np.zeros_like(voice)], axis=1)


def _bring_in(page, files):
    """Several files at once: the question how they are laid is answered as it is suggested."""
    page.set_input_files("#files", files)
    page.click("#laying >> text=Bring them in")


def test_a_broken_line_goes_on_where_it_stopped(intake, tmp_path):
    pieces = []

    def flaky(route):
        if route.request.method != "PUT":
            route.continue_()
            return
        pieces.append(int(route.request.headers["upload-offset"]))
        if len(pieces) in (2, 3):
            route.abort("connectionreset")
        else:
            route.continue_()

    intake.context.route("**/uploads/*", flaky)
    path = tmp_path / "long.wav"
    path.write_bytes(wav_bytes(np.tile(programme(1, 10.0), (7, 1))))  # some 20 MB: three pieces
    intake.set_input_files("#files", path)
    _ready(intake, 1)
    assert pieces == [0, 8_388_608, 8_388_608, 8_388_608, 16_777_216]  # what had arrived was not sent again
    assert Source.objects.get().size_bytes == path.stat().st_size


def test_a_fault_is_seen_and_mended_and_taken_back(intake):
    _bring_in(intake, [_file("Take 3.wav", _take()), _file("Theme.wav", programme(2, 4.0))])
    _ready(intake, 2)
    assert "Only on one side" in intake.inner_text("tr[data-name='take 3.wav']")
    intake.click("tr[data-name='take 3.wav'] .file")
    intake.click("#source >> text=Use the louder side")
    intake.wait_for_selector("#source >> text=Take back")
    assert Clip.objects.get(name="Take 3").routing == "first"
    intake.wait_for_selector("tr[data-name='take 3.wav'] >> text=1 mended")
    intake.click("#steps-buttons >> text=Undo")
    intake.wait_for_selector("tr[data-name='take 3.wav'] >> text=Only on one side")
    assert Clip.objects.get(name="Take 3").routing == "as-recorded"


def test_many_files_get_a_role_with_one_key(intake):
    files = [_file(name, sine(-20, 1.0 + i, 200.0)) for i, name in enumerate(["one.wav", "two.wav", "three.wav"])]
    _bring_in(intake, files)
    _ready(intake, 3)
    intake.click(".sort[data-sort=name]")
    intake.click("tr[data-name='one.wav'] .file")
    intake.keyboard.press("Shift+ArrowDown")
    intake.keyboard.press("Shift+ArrowDown")
    intake.keyboard.press("a")
    intake.wait_for_function("document.querySelectorAll('tr[data-role=atmosphere]').length === 3")
    assert set(Clip.objects.values_list("track__role", flat=True)) == {"atmosphere"}


def test_the_table_sorts_and_filters(intake):
    files = [_file("b.wav", sine(-30, 3.0)), _file("a.wav", sine(-10, 1.0)), _file("Take.wav", _take())]
    _bring_in(intake, files)
    _ready(intake, 3)
    intake.click(".sort[data-sort=name]")
    assert intake.evaluate(SHOWN) == ["a.wav", "b.wav", "take.wav"]
    intake.click(".sort[data-sort=length]")
    assert intake.evaluate(SHOWN) == ["take.wav", "b.wav", "a.wav"]
    intake.click("[data-show=open]")
    assert intake.evaluate(SHOWN) == ["take.wav"]
    intake.click("[data-show=open]")
    intake.fill("#find", "b.")
    assert intake.evaluate(SHOWN) == ["b.wav"]


def test_a_file_is_heard_from_any_point_and_a_part_of_it_laid(intake):
    audio = programme(5, 6.0)
    data = wav_bytes(audio, "FLOAT")
    bring_in(intake.film, "music", "score.wav", len(data), [data])
    intake.reload()
    intake.wait_for_selector("#intake[data-ready]")
    intake.click("tr[data-name='score.wav'] .file")
    box = box_of(intake.locator("#big"))
    intake.mouse.click(box["x"] + box["width"] * 0.505, box["y"] + 20)
    intake.wait_for_function("document.getElementById('at').innerText.startsWith('0:03')")
    intake.keyboard.press("i")
    intake.keyboard.press(" ")
    intake.wait_for_function("window.recorded.filter((b) => b.left.some((x) => x)).length > 300")
    intake.keyboard.press(" ")
    expected = audio[150_000:160_000]
    heard = recorded(intake)
    at = place_of(expected, heard)
    assert np.abs(heard[at : at + 10_000] - expected).max() < 1e-6
    intake.keyboard.press("o")
    intake.click('[data-do="use"]')
    intake.wait_for_selector("#said:has-text('Laid')")
    part = Clip.objects.order_by("-pk").first()
    assert part.in_sample == pytest.approx(144_000, abs=2_400) and part.length_samples < 140_000


def test_a_bad_file_can_be_tried_again_and_removed(intake):
    bad = {"name": "list.wav", "mimeType": "audio/wav", "buffer": b"milk" * 100}
    _bring_in(intake, [bad, _file("good.wav", sine(-20, 1.0))])
    intake.wait_for_selector("text=not a sound file")
    _ready(intake, 1)
    intake.evaluate("document.querySelector('tr[data-state=refused]').classList.add('before')")
    intake.click("text=Try again")
    intake.wait_for_selector("tr[data-state=refused]:not(.before) >> text=not a sound file")
    intake.click("tr[data-state=refused] >> text=Remove")
    intake.wait_for_function("document.querySelectorAll('tr[data-source]').length === 1")


def test_twenty_files_are_asked_about_once_and_laid_in_a_row(intake):
    names = [f"interview {n:02}.wav" for n in range(1, 7)]
    files = [_file(name, sine(-20, 0.5 + 0.05 * i, 200.0 + 10 * i)) for i, name in enumerate(names)]
    intake.set_input_files("#files", files)
    assert intake.inner_text("#laying h2") == "6 files. How should they be laid?"
    assert intake.is_checked("#laying input[value=auto]")
    # As their names suggest.
    intake.wait_for_selector("#laid-words >> text=6 files on one track, one after another.")
    assert intake.locator("#laid rect").count() == 6
    intake.press("#laying", "Escape")
    assert not intake.query_selector("#laying[open]") and Source.objects.count() == 0
    _bring_in(intake, files)
    _ready(intake, 6)
    intake.wait_for_function("document.querySelector('#steps-buttons').textContent.includes('6 files brought in')")
    (track,) = Track.objects.all()
    laid = list(track.clips.order_by("start_sample").values_list("name", "start_sample", "length_samples"))
    assert track.name == "interview" and [name for name, *_ in laid] == [name[:-4] for name in names]
    assert all(a[1] + a[2] == b[1] for a, b in itertools.pairwise(laid))
