"""The Level page as a person uses it: the sheet by keys, a chain and its picture, evening out, a ride, a comparison."""

import pytest

from browser.browser_help import box_of, wait_undo
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
    box, scroller = box_of(level.locator("#sheet tr.is-focus")), box_of(level.locator(".sheet-scroll"))
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
    text_of(level, ".value .over:not([hidden])", "“900”: 1 to 30")
    assert level.input_value('[aria-label="ratio, : 1"]') == "3"
    level.select_option(".proc-add", "equaliser")
    wait_undo(level, "Equaliser added")
    level.click("text=+ band")
    wait_undo(level, "band 1 off → bell")
    box = box_of(level.locator(".plot .handle"))
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
    fader = box_of(level.locator("#ride input[type=range]"))
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
        box = box_of(level.locator(name))
        assert box["x"] + box["width"] <= width + 1


def test_processors_are_moved_by_keys_and_drag_and_a_gate_goes_where_it_works(level):
    row(level, "score").click()
    level.select_option(".proc-add", "compressor")
    wait_undo(level, "Compressor added")
    level.select_option(".proc-add", "gate")
    wait_undo(level, "Gate added before Compressor")
    text_of(level, "#said", "Gate stands before Compressor")
    tabs = level.locator(".proc")
    tabs.nth(0).focus()
    level.keyboard.press("Alt+ArrowRight")
    wait_undo(level, "processors moved")
    assert "Compressor" in tabs.nth(0).inner_text()
    one, other = tabs.nth(0).bounding_box(), tabs.nth(1).bounding_box()
    level.mouse.move(other["x"] + 20, other["y"] + 8)
    level.mouse.down()
    level.mouse.move(one["x"] + 20, one["y"] + 8, steps=5)
    level.mouse.up()
    level.wait_for_function("document.querySelector('.proc').innerText.includes('Gate')")


def test_nothing_of_one_processor_is_shown_for_another(level):
    row(level, "score").click()
    level.select_option(".proc-add", "gate")
    level.wait_for_selector(".plot.static")
    level.wait_for_selector(".chain-reduction b:has-text('dB')")
    level.route("**/level/view", lambda _route: None)  # is never answered
    level.select_option(".proc-add", "equaliser")
    level.wait_for_selector(".plot:not(.static) .response", state="attached")
    assert level.locator(".plot.static").count() == 0
    assert level.locator(".chain-reduction").inner_text() == ""


def test_a_starting_point_asks_what_becomes_of_a_chain(level):
    row(level, "score").click()
    level.select_option(".proc-add", "gain")
    wait_undo(level, "Gain added")
    level.select_option("[aria-label='Starting point']", index=1)
    level.wait_for_selector("#replace-dialog[open]")
    level.keyboard.press("Escape")
    assert level.locator(".proc").count() == 1
    level.select_option("[aria-label='Starting point']", index=1)
    level.click("#replace-dialog button[value=behind]")
    level.wait_for_function("document.querySelectorAll('.proc').length > 1")
    assert "Gain" in level.locator(".proc").first.inner_text()


def test_one_band_is_heard_alone_and_noise_is_learned_from_a_marked_range(level):
    row(level, "score").click()
    level.select_option(".proc-add", "three-band")
    wait_undo(level, "added")
    asked = []
    level.on("request", lambda request: asked.append(request.url) if "/sound?" in request.url else None)
    level.click(".band-row .toggle >> nth=1")
    text_of(level, "#hear", "hearing the middle band alone")
    level.click('[data-do="play"]')
    level.wait_for_timeout(1_200)
    assert any("band%22%3A%22middle" in url for url in asked)
    level.click('[data-do="play"]')
    level.click(".band-row .toggle >> nth=1")
    level.select_option(".proc-add", "noise")
    wait_undo(level, "noise learned")
    level.evaluate("document.activeElement.blur()")
    level.keyboard.press("i")
    level.keyboard.press(".")
    level.keyboard.press("o")
    level.click("button:has-text('learn from the marked 1.00 s')")
    text_of(level, "#said", "Learned")


def test_the_response_is_drawn_from_the_server_before_anything_is_rendered(level):
    row(level, "score").click()
    level.select_option(".proc-add", "high-pass")
    wait_undo(level, "added")
    level.wait_for_selector(".plot .response")
    was = level.get_attribute(".plot .response", "points")
    level.route("**/level/view", lambda route: route.abort())  # rendering never comes
    level.fill('[aria-label="frequency, Hz"]', "400")
    level.keyboard.press("Enter")
    level.wait_for_function(f"document.querySelector('.plot .response').getAttribute('points') !== '{was}'")
