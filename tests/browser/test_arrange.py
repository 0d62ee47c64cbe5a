"""The Arrange page in a browser: gestures, keys, the sound after an edit, narration, the library, two windows."""

import re

import numpy as np
import pytest

from browser.browser_help import box_of, drag, wait_undo
from browser.conftest import place_of, recorded
from conftest import wav_bytes
from recitant_core.render.mix import render_output
from recitant_core.units.clock import SampleSpan
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.desk.models import Clip, Track
from recitant_web.library.actions import take_in
from recitant_web.programme.models import Source
from signals import sine

pytestmark = pytest.mark.django_db(transaction=True)
SECOND = 48_000


def shape(page, name):
    """Where a clip stands on the canvas."""
    return page.evaluate(
        """(name) => {
            const { model } = window.arrange;
            const clip = [...model.clips.values()].find((c) => c.name === name);
            const width = document.getElementById("timeline").clientWidth;
            const x = (s) => ((s - model.view.start) / (model.view.end - model.view.start)) * width;
            const row = model.state.tracks.findIndex((t) => t.id === clip.track);
            return { id: clip.id, left: x(clip.start), right: x(clip.start + clip.length), y: 34 + row * 67 + 40 };
        }""",
        name,
    )


def test_clips_are_moved_trimmed_faded_and_split_by_hand(arrange):
    arrange.keyboard.press("n")  # no snapping: the pointer alone decides
    at = shape(arrange, "bang")
    drag(arrange, (at["left"] + at["right"]) / 2, at["y"], (at["left"] + at["right"]) / 2 + 200, at["y"])
    wait_undo(arrange, "moved 1 clip")
    assert Clip.objects.get(name="bang").start_sample > SECOND
    at = shape(arrange, "score")
    drag(arrange, at["right"] - 3, at["y"], at["right"] - 120, at["y"])
    wait_undo(arrange, "trimmed the end of score")
    at = shape(arrange, "score")
    drag(arrange, at["left"] + 4, at["y"] - 35, at["left"] + 90, at["y"] - 35)
    wait_undo(arrange, "fade in of score")
    assert Clip.objects.get(name="score").fade_in_samples > SECOND // 2
    arrange.fill("#timecode", "00:00:03:00")
    arrange.press("#timecode", "Enter")
    arrange.wait_for_function("window.arrange.player.position() === 144000")
    arrange.keyboard.press("/")
    wait_undo(arrange, "split at 00:00:03:00")
    assert Clip.objects.filter(name="score").count() == 2
    for _ in range(4):
        arrange.keyboard.press("Control+z")
        arrange.wait_for_timeout(150)
    wait_undo(arrange, "brought in")
    assert Clip.objects.count() == 3 and Clip.objects.get(name="bang").start_sample == 0


def test_a_clip_snaps_to_the_edge_of_another(arrange):
    at, voice = shape(arrange, "bang"), shape(arrange, "voice")
    middle = (at["left"] + at["right"]) / 2
    drag(arrange, middle, at["y"], middle + voice["right"] - at["left"] + 5, at["y"])
    wait_undo(arrange, "moved 1 clip")
    edge = Clip.objects.get(name="voice")
    assert Clip.objects.get(name="bang").start_sample == edge.start_sample + edge.length_samples


def test_everything_goes_by_keyboard(arrange):
    arrange.focus("#timeline")
    for keys, label in [
        (["]", "ArrowRight"], "moved 1 clip"),
        (["ArrowDown"], "−0.5 dB on"),
        (["Alt+ArrowDown"], "moved 1 clip"),
        (["Control+d"], "pasted 1 clip"),
        (["Control+c", "End", "Control+v"], "pasted 1 clip"),
        (["Delete"], "deleted 1 clip"),
        (["m"], "note at"),
        (["Alt+m"], "sync point at"),
        (["Control+a", "g"], "grouped"),
        (["g"], "ungrouped"),
    ]:
        for key in keys:
            arrange.keyboard.press(key)
        wait_undo(arrange, label)
    arrange.keyboard.press("?")
    assert "split at the playhead" in arrange.inner_text("#keys")
    arrange.keyboard.press("Escape")
    arrange.keyboard.press("0")  # everything in view, so the table beside the canvas holds everything too
    arrange.click("summary:has-text('Clips in view')")
    arrange.wait_for_function(f"document.querySelectorAll('#clip-table tr').length === {Clip.objects.count()}")


def test_an_edit_is_heard_and_solo_has_a_way_out(arrange):
    arrange.click(".track-head.music .toggle:has-text('solo')")
    arrange.wait_for_selector("#heard:has-text('1 track soloed')")
    arrange.click('[data-do="hear-all"]')
    arrange.wait_for_selector("#heard", state="hidden")
    at = shape(arrange, "score")
    arrange.mouse.click(*_on(arrange, (at["left"] + at["right"]) / 2, at["y"]))
    arrange.keyboard.press("Delete")
    wait_undo(arrange, "deleted 1 clip")
    arrange.film.refresh_from_db()
    plan, sources = plan_of(arrange.film), sources_of_plan(arrange.film)
    arrange.evaluate("window.arrange.player.seek(0)")
    arrange.click('[data-do="playOrStop"]')
    arrange.wait_for_function("window.arrange.player.position() > 60000")
    arrange.click('[data-do="playOrStop"]')
    expected = render_output(plan, sources, SampleSpan(0, 48_000))
    heard = recorded(arrange)
    at = place_of(expected[10_000:30_000], heard) - 10_000
    assert np.abs(heard[at + 5_000 : at + 40_000] - expected[5_000:40_000]).max() < 1e-6


def _on(page, x, y):
    box = box_of(page.locator("#timeline"))
    return box["x"] + x, box["y"] + y


def test_a_range_repeats_and_playing_goes_backwards(arrange):
    arrange.evaluate("window.arrange.model.range = [24000, 48000]")
    arrange.keyboard.press("r")
    arrange.evaluate("window.arrange.player.seek(24000)")
    arrange.keyboard.press("l")
    arrange.wait_for_timeout(2_500)
    at = arrange.evaluate("window.arrange.player.position()")
    assert 24_000 <= at <= 48_100
    arrange.keyboard.press("k")
    arrange.keyboard.press("u")
    arrange.evaluate("window.arrange.player.seek(200000)")
    arrange.keyboard.press("j")
    arrange.wait_for_function("window.arrange.player.position() < 180000")
    arrange.keyboard.press("k")


def test_a_gain_curve_is_clicked_drawn_and_moved(arrange):
    arrange.keyboard.press("n")
    at = shape(arrange, "score")
    arrange.mouse.click(*_on(arrange, at["left"] + 100, at["y"]))
    arrange.keyboard.press("c")
    arrange.mouse.click(*_on(arrange, at["left"] + 200, at["y"]))
    wait_undo(arrange, "point on the gain curve of score")
    assert Clip.objects.get(name="score").curve[0][1] == 0.0  # a new point changes no level
    drag(arrange, at["left"] + 400, at["y"] - 20, at["left"] + 500, at["y"] + 10)
    wait_undo(arrange, "gain curve drawn on score")
    curve = Clip.objects.get(name="score").curve
    assert len(curve) > 4 and curve[0][1] == 0.0
    arrange.wait_for_selector("#tab-clip summary:has-text('points')")


def test_narration_is_recorded_at_the_playhead(arrange):
    arrange.evaluate("window.arrange.player.seek(96000)")
    arrange.click('[data-tab="narration"]')
    arrange.click("#tab-narration button:has-text('Check the level')")
    arrange.wait_for_selector("#tab-narration .mono:has-text('dBFS')")
    arrange.wait_for_function("/−1[0-9] dBFS/.test(document.getElementById('tab-narration').innerText)")
    arrange.click("#tab-narration button:has-text('Record')")
    arrange.wait_for_selector(".count-in:has-text('3')")
    arrange.wait_for_selector(".count-in:has-text('recording')")
    arrange.wait_for_timeout(2_500)
    arrange.click("#tab-narration button:has-text('Stop and keep')")
    arrange.wait_for_selector("#tab-narration >> text=kept")
    wait_undo(arrange, "Narration take 1 recorded")
    take = Source.objects.get(kind="take")
    clip = Clip.objects.get(source=take)
    assert clip.start_sample == 96_000 and take.role == "narration"
    from recitant_web.programme.queries import stored_source

    audio = stored_source(take.sha256, 1).read(4_800, 24_000)[:, 0]
    assert np.argmax(np.abs(np.fft.rfft(audio))) * 2 == pytest.approx(700, abs=6)  # what the microphone heard


def test_takes_are_held_turned_by_a_key_and_heard_in_turn(arrange):
    arrange.keyboard.press("Control+a")
    arrange.click("#tab-clip button:has-text('Hold as takes')")
    wait_undo(arrange, "3 clips held as takes of")
    arrange.wait_for_selector("#tab-clip h3:has-text('Take 1 of 3')")
    clip = Clip.objects.get()
    arrange.keyboard.press("a")
    wait_undo(arrange, "take 2 of 3")
    arrange.click("#tab-clip [aria-label='Use take 3']")
    wait_undo(arrange, "take 3 of 3")
    arrange.keyboard.press("Shift+A")
    wait_undo(arrange, "take 2 of 3")
    assert Clip.objects.get(pk=clip.pk).take_index == 1
    asked = []
    arrange.on("request", lambda request: asked.append(request.url) if "/sound?" in request.url else None)
    arrange.click("#tab-clip button:has-text('Hear in turn')")
    arrange.wait_for_selector("#tab-clip td:has-text('▶ 2')")
    end = arrange.evaluate("[...window.arrange.model.clips.values()].map((c) => c.start + c.length)[0]")
    arrange.evaluate(f"window.arrange.player.seek({end - 30_000})")
    arrange.wait_for_selector("#tab-clip td:has-text('▶ 3')")
    arrange.wait_for_function("window.arrange.player.isSounding")
    assert any("how%22%3A%22take%22" in url for url in asked)
    # A player that reached the end of the programme by itself goes on with the next one too.
    arrange.evaluate("(() => { const p = window.arrange.player; p.stop(); p.restSample = p.length(); })()")
    arrange.wait_for_selector("#tab-clip td:has-text('▶ 1')")
    arrange.click("#tab-clip .takes button:has-text('Stop')")
    assert Clip.objects.get(pk=clip.pk).take_index == 1  # listening is no edit
    arrange.click("#tab-clip button:has-text('Side by side')")
    wait_undo(arrange, "laid side by side")
    assert Clip.objects.filter(is_out=True).count() == 2


def test_narration_is_punched_into_a_range(arrange):
    voice = Clip.objects.get(name="voice")
    arrange.evaluate("window.arrange.model.range = [120000, 168000]")
    arrange.click('[data-tab="narration"]')
    arrange.select_option("#tab-narration select", str(voice.track_id))
    arrange.check("#tab-narration input[type=checkbox]")
    arrange.click("#tab-narration button:has-text('Check the level')")
    arrange.wait_for_function("/−1[0-9] dBFS/.test(document.getElementById('tab-narration').innerText)")
    arrange.click("#tab-narration button:has-text('Record into the range')")
    arrange.wait_for_selector("#tab-narration >> text=kept")  # it ends by itself
    wait_undo(arrange, "Narration take 1 recorded")
    pieces = list(Clip.objects.filter(track=voice.track).order_by("start_sample"))
    assert [(c.start_sample, c.length_samples) for c in pieces][1] == (120_000, 48_000) and len(pieces) == 3
    assert pieces[1].in_sample == 48_000 and pieces[1].takes[0]["name"] == "voice"  # a second before it is kept


def test_a_microphone_that_is_refused_is_told(arrange):
    arrange.evaluate(
        """() => { const refused = () => Promise.reject(new DOMException("", "NotAllowedError"));
        navigator.mediaDevices.getUserMedia = refused; }"""
    )
    arrange.click('[data-tab="narration"]')
    arrange.click("#tab-narration button:has-text('Check the level')")
    arrange.wait_for_selector("#said:has-text('not allowed to use the microphone')")


def test_another_window_shows_what_changed(arrange):
    other = arrange.context.new_page()
    other.goto(arrange.url)
    other.wait_for_selector("#arrange[data-ready]")
    arrange.keyboard.press("m")
    wait_undo(arrange, "note at")
    other.wait_for_function("document.querySelector('[data-do=undo]').title.includes('note at')")


def test_a_second_window_is_told_and_reloaded(arrange):
    other = arrange.context.new_page()
    other.route(re.compile(r"/moved\?"), lambda route: route.abort())  # before it could see by itself
    other.goto(arrange.url)
    other.wait_for_selector("#arrange[data-ready]")
    arrange.keyboard.press("m")
    wait_undo(arrange, "note at")
    other.keyboard.press("Shift+M")
    other.wait_for_selector("#said:has-text('changed elsewhere')")
    wait_undo(other, "note at")  # it shows the newest state, and nothing was overwritten
    other.keyboard.press("Shift+M")
    wait_undo(other, "chapter at")
    assert Track.objects.count() == 3
    other.close()


def test_a_sound_of_the_library_is_found_heard_and_laid(arrange, account):
    data = wav_bytes(sine(-20, 1.0, 500.0))
    take_in(account[1], "Hammer, hard.wav", len(data), [data], "metal hit")
    arrange.click('[data-tab="library"]')
    arrange.fill("#tab-library input[type=search]", "metal")
    arrange.wait_for_selector(".sound:has-text('Hammer, hard')")
    arrange.click(".sound >> text=▸")
    arrange.wait_for_function("window.recorded.some((b) => b.left.some((x) => x))")
    arrange.click('[aria-label="Favourite: Hammer, hard"]')
    arrange.wait_for_selector('[aria-label="Favourite: Hammer, hard"][aria-pressed="true"]')
    arrange.evaluate("window.arrange.player.seek(240000)")
    arrange.click(".sound >> text=Lay")
    wait_undo(arrange, "laid Hammer, hard")
    assert Clip.objects.get(name="Hammer, hard").start_sample == 240_000


def test_speed_is_changed_in_the_panel_and_the_page_follows(arrange):
    at = shape(arrange, "bang")
    arrange.mouse.click(*_on(arrange, (at["left"] + at["right"]) / 2, at["y"]))
    arrange.click("#tab-clip summary:has-text('Speed and pitch')")
    arrange.fill('[aria-label="Speed, percent"]', "50")
    arrange.click("#tab-clip button:has-text('Apply')")
    wait_undo(arrange, "50 % speed")
    assert Clip.objects.get(name="bang").length_samples == 2 * SECOND
    width = "[...window.arrange.model.clips.values()].find((c) => c.name === 'bang').length"
    arrange.wait_for_function(f"{width} === {2 * SECOND}")


def test_a_version_is_kept_and_returned_to(arrange):
    arrange.click('[data-tab="history"]')
    arrange.fill('[aria-label="Name of a version"]', "Picture cut 1")
    arrange.click("text=Keep this state")
    arrange.wait_for_selector("text=Return to it")
    arrange.focus("#timeline")
    arrange.keyboard.press("Control+a")
    arrange.keyboard.press("Delete")
    wait_undo(arrange, "deleted 3 clips")
    arrange.click('[data-tab="history"]')
    arrange.click("text=Return to it")
    wait_undo(arrange, "returned to “Picture cut 1”")
    assert Clip.objects.count() == 3


def test_picture_lock_says_why_nothing_moves(arrange):
    arrange.click('[data-do="lock"]')
    wait_undo(arrange, "picture locked")
    arrange.keyboard.press("]")
    arrange.keyboard.press("ArrowRight")
    arrange.wait_for_selector("#said:has-text('Picture lock')")
    arrange.click('[data-do="lock"]')
    wait_undo(arrange, "picture unlocked")


def test_clips_are_put_on_a_track_by_its_number_and_out_of_the_mix_by_a_key(arrange):
    arrange.keyboard.press("]")
    name = arrange.evaluate("window.arrange.model.clips.get([...window.arrange.model.selected][0]).name")
    home = Clip.objects.get(name=name).track
    number = next(n for n, t in enumerate(Track.objects.order_by("position"), 1) if t.pk != home.pk)
    arrange.keyboard.press("p")
    arrange.wait_for_selector("#put[open]")
    arrange.keyboard.press(str(number))
    wait_undo(arrange, f"{name} to track")
    assert Clip.objects.get(name=name).track.pk == Track.objects.order_by("position")[number - 1].pk
    arrange.keyboard.press("x")
    wait_undo(arrange, f"{name} out of the mix")
    assert Clip.objects.get(name=name).is_out
    arrange.keyboard.press("x")
    wait_undo(arrange, f"{name} in the mix")


def test_a_track_is_dragged_by_its_letter_and_merged_from_its_menu(arrange):
    first = Track.objects.order_by("position").first()
    letter = arrange.locator(".track-head .letter").first
    box = letter.bounding_box()
    arrange.mouse.move(box["x"] + 8, box["y"] + 8)
    arrange.mouse.down()
    arrange.mouse.move(box["x"] + 8, box["y"] + 90, steps=6)
    arrange.mouse.up()
    wait_undo(arrange, f"track {first.name} moved")
    assert [t.pk for t in Track.objects.order_by("position")].index(first.pk) == 1
    assert Track.objects.get(pk=first.pk).role == first.role  # a drag is no press
    arrange.locator(".track-head .more").nth(2).click()
    arrange.wait_for_selector(".menu [role=menuitem]:has-text('Merge into')")
    arrange.keyboard.press("Escape")
    assert arrange.locator("body > .menu").count() == 0


def test_a_gap_is_closed_with_a_key_and_says_why_it_cannot_be(arrange):
    arrange.keyboard.press("q")
    arrange.wait_for_selector("#said:has-text('A clip lies here')")
    arrange.keyboard.press("Control+a")
    for _ in range(2):
        arrange.keyboard.press("ArrowRight")
    wait_undo(arrange, "moved 3 clips")
    arrange.evaluate("window.arrange.player.seek(100)")
    arrange.keyboard.press("q")
    wait_undo(arrange, "closed on all tracks")
    assert {clip.start_sample for clip in Clip.objects.all()} == {0}
