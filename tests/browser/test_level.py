"""The Level page as a person uses it: the sheet by keys, a chain and its picture, evening out, a ride, a comparison."""

import pytest

from browser.browser_help import wait_undo
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db(transaction=True)


def row(page, name):
    """A row of the sheet."""
    return page.locator(f'#sheet tbody tr:has-text("{name}")')


def text_of(page, selector, words):
    page.wait_for_function(
        "([at, words]) => document.querySelector(at)?.innerText.includes(words)", arg=[selector, words]
    )


def test_the_sheet_is_worked_by_keys(level):
    assert level.locator("#sheet tbody tr").count() == 3
    level.wait_for_function("!document.querySelector('#sheet tbody').innerText.includes('…')")  # peaks have come
    row(level, "voice").click()
    level.keyboard.press("ArrowDown")
    assert "score" in level.locator("#sheet tr.is-focus").inner_text()
    level.keyboard.press("Enter")
    level.keyboard.type("−4,5")
    level.keyboard.press("Enter")
    wait_undo(level, "score clip to −4.5 dB")
    level.keyboard.press("a")
    wait_undo(level, "gain of 1 clip set")
    level.keyboard.press("Shift+ArrowUp")
    level.keyboard.press("ArrowRight")
    wait_undo(level, "gain of 2 clips set")
    level.keyboard.press("Control+z")
    wait_undo(level, "gain of 1 clip set")
    level.keyboard.press("Control+z")
    wait_undo(level, "score clip to −4.5 dB")
    assert Clip.objects.get(name="score").gain_db == -4.5


def test_a_long_sheet_holds_the_rows_in_view_and_tells_how_many_there_are(level):
    film = Programme.objects.get()
    voice = Clip.objects.get(name="voice")
    rest = {"track": voice.track, "source": voice.source, "length_samples": 9_600}
    Clip.objects.bulk_create(
        [Clip(name=f"line {n}", start_sample=480_000 + n * 9_600, in_sample=9_600, **rest) for n in range(400)]
    )
    Programme.objects.update(revision=film.revision + 1)  # as an edit that made them would
    level.reload()
    level.wait_for_selector("#level[data-ready]")
    built = "document.querySelectorAll('#sheet tbody tr[data-id]').length"
    assert 10 < level.evaluate(built) < 80
    assert level.evaluate("document.getElementById('sheet').ariaRowCount") == "404"  # with the headings
    level.click("#sheet tbody tr[data-id] .name")
    level.keyboard.press("End")
    level.wait_for_selector('#sheet tr.is-focus:has-text("line 399")')
    assert level.evaluate("document.activeElement.dataset.id === document.querySelector('tr.is-focus').dataset.id")
    assert level.evaluate("document.activeElement.ariaRowIndex") == "404"
    box, scroller = level.locator("#sheet tr.is-focus").bounding_box(), level.locator(".sheet-scroll").bounding_box()
    assert scroller["y"] < box["y"] and box["y"] + box["height"] <= scroller["y"] + scroller["height"] + 1
    level.keyboard.press("ArrowLeft")
    wait_undo(level, "gain of 1 clip set")
    assert level.locator("#sheet tr.is-focus input.gain").input_value() == "−0.5"
    level.evaluate("document.querySelector('.sheet-scroll').scrollTop = 0")
    level.wait_for_selector('#sheet tr:has-text("score")')
    assert level.locator("#sheet tr.is-focus").count() == 1  # out of view, and still the one that keys go to
    level.fill("#search", "line 25")
    level.wait_for_function("document.getElementById('sheet').ariaRowCount === '12'")  # 25 and 250 to 259


def test_nonsense_gets_a_sentence_and_changes_nothing(level):
    row(level, "voice").locator("input.gain").fill("loud")
    row(level, "voice").locator("input.gain").press("Tab")
    text_of(level, "#said", "not a number of dB")
    level.wait_for_function("document.querySelector('#sheet input.gain').value !== 'loud'")
    assert Clip.objects.get(name="voice").gain_db == 0.0


def test_a_chain_is_made_seen_dragged_and_compared(level):
    row(level, "score").click()
    level.select_option(".proc-add", "compressor")
    wait_undo(level, "score: Compressor added")
    level.wait_for_selector(".plot.static")
    level.wait_for_selector(".plot.reduction .taken")
    level.fill('[aria-label="threshold, dBFS"]', "−40")
    level.keyboard.press("Enter")
    wait_undo(level, "threshold −24 dBFS → −40 dBFS")
    text_of(level, ".chain-reduction", "of reduction for")
    level.fill('[aria-label="ratio, : 1"]', "900")
    level.keyboard.press("Enter")
    text_of(level, "#said", "ratio lies between 1 and 30")
    level.select_option(".proc-add", "equaliser")
    wait_undo(level, "Equaliser added")
    level.click("text=+ band")
    wait_undo(level, "band 1 off → bell")
    box = level.locator(".plot .handle").bounding_box()
    level.mouse.move(box["x"] + 9, box["y"] + 9)
    level.mouse.down()
    level.mouse.move(box["x"] + 60, box["y"] + 40, steps=4)
    level.mouse.up()
    level.wait_for_function("document.querySelector('[data-do=undo]').title.endsWith('score: Equaliser')")
    values = Clip.objects.get(name="score").chain[0]["values"]
    assert values["band1_freq_hz"] > 120 and values["band1_gain_db"] < -2
    level.select_option("#hear select", "untreated")
    level.click("[data-do=play]")
    level.wait_for_function("document.getElementById('r-momentary').textContent !== '–'")
    level.keyboard.press("t")
    level.wait_for_function("document.querySelector('#hear .pair [aria-pressed=true]').textContent === 'Other'")
    level.click("[data-do=play]")
    level.keyboard.press("b")
    wait_undo(level, "bypassed")


def test_clips_are_evened_out_after_it_was_foretold(level):
    row(level, "voice").click()
    row(level, "bang").click(modifiers=["Shift"])
    level.click("#even")
    level.fill("#even-dialog [name=goal]", "-25")
    level.fill("#even-dialog [name=most]", "40")
    level.wait_for_function("document.querySelectorAll('#even-dialog tbody tr').length === 3")
    level.click("#even-dialog [type=submit]")
    wait_undo(level, "evened out to −25 LUFS, 100 %")
    assert len({clip.gain_db for clip in Clip.objects.all()}) == 3


def test_a_ride_is_recorded_while_it_plays(level):
    row(level, "score").click()
    level.click('.scope-line >> text="Track"')
    level.select_option('[aria-label="What the fader does"]', "touch")
    level.click("[data-do=play]")
    level.wait_for_function("document.getElementById('r-momentary').textContent !== '–'")
    fader = level.locator("#ride input[type=range]").bounding_box()
    y = fader["y"] + fader["height"] / 2
    level.mouse.move(fader["x"] + 0.7 * fader["width"], y)
    level.mouse.down()
    for step in range(10):
        level.mouse.move(fader["x"] + (0.7 - 0.03 * step) * fader["width"], y)
        level.wait_for_timeout(60)
    level.mouse.up()
    wait_undo(level, "score: ride recorded, after the processors")
    level.click("[data-do=play]")
    points = Track.objects.get(name="score").ride["points"]
    assert 3 <= len(points) <= 30 and min(gain for _, gain in points) < -5
    level.click("text=clear the ride")
    wait_undo(level, "ride cleared")


def test_a_preset_is_kept_and_used_and_zones_stay(level):
    row(level, "voice").click()
    level.select_option(".proc-add", "high-pass")
    wait_undo(level, "High-pass added")
    level.click("text=keep as preset…")
    level.fill("#preset-form [name=name]", "Rumble out")
    level.click("#preset-form [type=submit]")
    text_of(level, "#said", "every programme of this workspace")
    row(level, "bang").click()
    level.select_option('[aria-label="Preset"]', label="Rumble out")
    wait_undo(level, "bang: High-pass added")
    level.click("text=Speaker, meters, verdict, keys")
    level.fill("#zones-form [name=loud_lu]", "4")
    level.keyboard.press("Tab")
    wait_undo(level, "zones of the meters")
    assert Programme.objects.get().meter_zones["loud_lu"] == 4.0


@pytest.mark.parametrize("width", [1280, 1024])
def test_nothing_is_cut_off(level, width):
    level.set_viewport_size({"width": width, "height": 800})
    assert level.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth") <= 0
    for name in ("#hear", "#advise", "#chain"):
        box = level.locator(name).bounding_box()
        assert box["x"] + box["width"] <= width + 1
