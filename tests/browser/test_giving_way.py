"""Giving way, clearance and the first balance in a real browser, with pointer and with keys."""

import pytest

from browser.browser_help import box_of, settled
from recitant_web.desk.models import Clip, Duck, Stem
from recitant_web.programme.models import Source
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db(transaction=True)
SECOND = 48_000


@pytest.fixture
def desk(balance):
    """The Balance page of a film whose voice speaks from 1 to 3 s and from 4.6 to 5.6 s."""
    Source.objects.filter(programme=balance.film, role="dialogue").update(
        speech=[[SECOND, 2 * SECOND, 0.9], [220_800, SECOND, 0.8]], is_listened=True
    )
    clear_caches()
    balance.reload()
    balance.wait_for_selector("[data-ready]")
    return balance


def row_of(page, role):
    """Top and height of a stave in the canvas, and where that lies in the window."""
    head, box = box_of(page.locator(f".head.{role}")), box_of(page.locator("#score"))
    return head["y"] - box["y"], head["height"], box


def place_with(page, role, cursor, ys):
    """A place on a stave where the pointer looks like this."""
    top, _, box = row_of(page, role)
    places = [[box["x"] + x, box["y"] + top + y] for y in ys for x in range(40, 780, 4)]
    found = page.evaluate(
        """([places, cursor]) => {
          const score = document.getElementById("score");
          return places.find(([clientX, clientY]) => {
            score.dispatchEvent(new PointerEvent("pointermove", { clientX, clientY, bubbles: true }));
            return score.style.cursor === cursor;
          });
        }""",
        [places, cursor],
    )
    assert found, f"no {cursor} on {role}"
    return found


def said(page, words):
    page.wait_for_function("(words) => document.getElementById('said').innerText.includes(words)", arg=words)


def let_music_give_way(page):
    page.click("#give-way >> text=Let music give way")
    page.wait_for_selector("#give-way >> text=bridge gaps under")
    page.select_option('#give-way [data-key="How deep"]', "depth")
    page.wait_for_selector('#give-way [aria-label="depth, dB"]')
    settled(page)  # it is drawn before the server has it


def test_music_gives_way_and_its_curve_is_dragged_and_released(desk):
    let_music_give_way(desk)
    desk.fill('#give-way [aria-label="depth, dB"]', "8")
    desk.keyboard.press("Enter")
    desk.wait_for_selector("#give-way >> text=down to −8.0 dB")
    desk.wait_for_function("document.querySelector('.head.music .aim').innerText.includes('dips')")
    _, height, _ = row_of(desk, "music")
    x, y = place_with(desk, "music", "move", range(6, int(height) - 6, 4))
    desk.mouse.move(x, y)
    desk.mouse.down()
    desk.mouse.move(x, y + 25, steps=4)
    desk.mouse.up()
    desk.wait_for_selector("#give-way >> text=Release 1 drawn")
    assert any(pinned for _, _, pinned in Duck.objects.get().points)
    desk.click("#give-way >> text=Release 1 drawn")
    desk.wait_for_selector("#give-way >> text=Release 1 drawn", state="detached")
    assert not any(pinned for _, _, pinned in Duck.objects.get().points)


def test_points_are_typed_without_a_pointer(desk):
    let_music_give_way(desk)
    desk.click("#give-way >> text=Points of the curve")
    field = desk.locator('#give-way [aria-label^="Gain of the point at"]').nth(1)
    field.fill("−4")
    field.press("Enter")
    desk.wait_for_selector("#give-way >> text=◆")
    settled(desk)
    assert -4.0 in [db for _, db, _ in Duck.objects.get().points]


def test_a_bad_figure_is_told_and_changes_nothing(desk):
    let_music_give_way(desk)
    before = Duck.objects.get().rule
    desk.fill('#give-way [aria-label="bridge gaps under, s"]', "long")
    desk.keyboard.press("Enter")
    said(desk, "not a number of seconds")
    assert Duck.objects.get().rule == before


def test_speech_is_marked_and_taken_away_on_the_stave(desk):
    top, height, _ = row_of(desk, "dialogue")
    assert top >= 0
    x, y = place_with(desk, "dialogue", "pointer", [int(height) - 4])
    desk.mouse.click(x + 12, y)
    desk.keyboard.press("Delete")
    desk.wait_for_function("document.querySelector('[data-do=\"undo\"]').title.includes('no speech marked')")
    x, y = place_with(desk, "dialogue", "crosshair", [int(height) - 4])
    desk.mouse.move(x, y)
    desk.mouse.down()
    desk.mouse.move(x + 60, y, steps=4)
    desk.mouse.up()
    desk.wait_for_function("document.querySelector('[data-do=\"undo\"]').title.includes(': speech marked')")
    marks = Source.objects.get(programme=desk.film, role="dialogue").speech_marks
    assert {is_speech for _, _, is_speech in marks} == {True, False}
    desk.keyboard.press("]")
    while not desk.inner_text("#path-of").startswith("voice,"):
        desk.keyboard.press("]")
    assert desk.locator("#speech-list").is_visible()


def test_a_close_passage_is_found_with_a_key_and_cured_with_a_press(desk):
    desk.fill(".head.music .gain", "12")
    desk.press(".head.music .gain", "Enter")
    desk.wait_for_selector("#close-note.note >> text=too close")
    desk.locator("#score").focus()
    desk.keyboard.press("n")
    at = desk.inner_text("#timecode")
    assert at >= "00:00:01:00"
    n = desk.evaluate("document.querySelectorAll('#close-note .act').length")
    assert n >= 1
    desk.locator("#close-note .act").first.click()
    said(desk, "Checked:")


def test_the_level_path_follows_the_playhead_and_says_why_nothing_sounds(desk):
    desk.keyboard.press("]")
    while not desk.inner_text("#path-of").startswith("score,"):
        desk.keyboard.press("]")
    desk.wait_for_selector("#path >> text=stem fader")
    desk.wait_for_function("document.getElementById('path-of').innerText.includes('at the playhead')")
    desk.fill("#path [data-path=clip]", "-96")
    desk.keyboard.press("Enter")
    desk.wait_for_selector("#path >> text=Its clip gain takes it down")
    desk.click(".head.music >> text=mute")
    desk.wait_for_selector("#path >> text=muted in what you hear")


def test_a_first_balance_is_asked_for_told_and_taken_back(desk):
    Clip.objects.filter(name="voice").update(gain_db=-9.0)
    clear_caches()
    desk.click('[data-do="first-balance"]')
    desk.select_option('dialog [name="music"]', "back")
    desk.click("dialog >> text=turn the programme to its number")
    desk.click("dialog button[type=submit]")
    desk.wait_for_selector("#balance-report >> text=Even out the dialogue")
    assert "Turn the programme to its number" not in desk.inner_text("#balance-report")
    raised = Clip.objects.get(name="voice").gain_db
    assert raised > -9.0 and Stem.objects.filter(role="music").exclude(balanced=None).exists()
    assert "phrases lie within" in desk.inner_text("#standing")
    desk.locator("#balance-report li", has_text="Even out the dialogue").locator("text=Take this step back").click()
    desk.wait_for_function("document.querySelector('[data-do=\"undo\"]').title.includes('took back')")
    assert Clip.objects.get(name="voice").gain_db == pytest.approx(-9.0)


def test_the_strict_rule_is_one_press(desk):
    desk.check("#strict")
    desk.wait_for_function("document.getElementById('asked-lu').value === '20.0'")
    settled(desk)
    desk.film.refresh_from_db()
    assert desk.film.clearance_lu == 20.0
