"""The Words page as somebody uses it: read, play, correct, cut, give, caption, find."""

import pytest

from browser.browser_help import box_of, settled, wait_undo
from conftest import SPOKEN, make_programme, make_spoken
from recitant_web.transcript.models import Listening

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def words(page, live_server, account):
    """The Words page of a programme in which two people speak."""
    page.film = make_spoken(make_programme(account[1]))
    page.url_of = f"{live_server.url}/programmes/{page.film.pk}/words"
    page.goto(page.url_of)
    page.wait_for_selector("#words[data-ready]")
    return page


def text(page):
    """The words as they are shown; of turns out of view too, which a browser does not lay out."""
    return " ".join(page.locator(".turn .w").all_text_contents())


def word(page, written):
    """The first word written so."""
    return page.locator(f'.turn .w:text-is("{written}")').first


def test_a_press_on_a_word_goes_there_and_the_playhead_follows_the_words(words):
    assert text(words) == SPOKEN
    word(words, "bell").click()
    assert words.inner_text("#timecode").startswith("00:00:02")
    words.wait_for_selector('.w.now:text-is("bell")')
    words.keyboard.press("ArrowRight")
    words.wait_for_selector('.w.now:text-is("you")')
    words.keyboard.press("Space")
    # The last word stays the one that was heard; those before may be over within a frame of a slow machine.
    words.wait_for_selector('.w.now:text-is("wait")')


def test_words_are_typed_over_and_the_next_is_reached_by_tab(words):
    word(words, "pour").dblclick()
    words.keyboard.type("cast")
    words.keyboard.press("Tab")
    words.keyboard.type("the")
    words.keyboard.press("Enter")
    wait_undo(words, "words: “the”")
    assert text(words) == SPOKEN.replace("pour a", "cast the")
    words.keyboard.press("Control+z")
    wait_undo(words, "words: “cast”")
    words.wait_for_selector('.w:text-is("a")')
    assert text(words) == SPOKEN.replace("pour", "cast")
    word(words, "cast").dblclick()
    words.keyboard.type("nonsense")
    words.keyboard.press("Escape")
    settled(words)
    assert text(words) == SPOKEN.replace("pour", "cast")


def test_words_are_chosen_by_dragging_and_taken_out(words):
    start, end = box_of(word(words, "not")), box_of(word(words, "pour"))
    words.mouse.move(start["x"] + 4, start["y"] + 8)
    words.mouse.down()
    words.mouse.move(end["x"] + 4, end["y"] + 8, steps=6)
    words.mouse.up()
    assert words.locator(".w.chosen").all_inner_texts() == ["not", "pour"]
    assert "2 words" in words.inner_text("#chosen")
    words.get_by_role("button", name="take out", exact=True).click()
    wait_undo(words, "taken out")
    settled(words)
    assert text(words) == SPOKEN.replace("not pour ", "")
    words.click('[data-do="undo"]')
    words.wait_for_selector('.w:text-is("pour")')
    assert text(words) == SPOKEN


def test_words_are_given_to_somebody_who_is_named(words):
    word(words, "Um").click()
    words.keyboard.press("Shift+ArrowRight")
    words.select_option('#chosen [aria-label="Give the words to"]', label="Apprentice")
    wait_undo(words, "words of Apprentice")
    settled(words)
    assert words.locator(".turn .who").all_inner_texts() == ["Apprentice", "Founder", "Apprentice"]
    words.locator(".turn .who").first.click()
    field = words.locator('#people [aria-label="Name of Founder"]')
    field.fill("Ines")
    field.press("Tab")
    wait_undo(words, "Founder is Ines")
    words.click("#people-dialog [data-close]")
    assert words.locator(".turn .who").nth(1).inner_text() == "Ines"


def test_captions_are_made_typed_over_and_dragged(words):
    words.click('[data-panel="captions"]')
    words.get_by_role("button", name="Make captions…").click()
    words.select_option("#captions-dialog select", "names")
    words.click('#captions-dialog [type="submit"]')
    wait_undo(words, "captions made")
    cue = words.locator(".cue-text").first
    cue.wait_for()
    assert cue.inner_text().startswith("FOUNDER: Um you do not pour a bell")
    cue.dblclick()
    words.locator(".cue-field").fill("You do not pour\na bell.")
    words.keyboard.press("Control+Enter")
    wait_undo(words, "caption at")
    assert words.locator(".cue-text").first.inner_text() == "You do not pour\na bell."
    settled(words)
    row = words.evaluate("JSON.parse(document.getElementById('state').textContent).length_samples")
    assert row > 0
    # The end of the first caption on the stave is dragged half a second on.
    box = words.locator("#staves").bounding_box()
    view, width = 14.0, box["width"] - 24
    end_s = words.evaluate(
        "fetch(document.getElementById('words').dataset.state).then(r => r.json()).then(s => s.captions[0].to)"
    )
    x = box["x"] + 12 + end_s / 48_000 / view * width
    y = box["y"] + box["height"] - 30
    words.mouse.move(x - 2, y)
    words.mouse.down()
    words.mouse.move(x - 2 - width * 0.5 / view, y, steps=5)
    words.mouse.up()
    settled(words)
    moved = words.evaluate(
        "fetch(document.getElementById('words').dataset.state).then(r => r.json()).then(s => s.captions[0].to)"
    )
    assert end_s - moved == pytest.approx(24_000, abs=2_000)


def test_lost_words_are_marked_gone_through_and_accepted(words):
    from recitant_web.listening.snapshot import Snapshot

    film = words.film
    rows = [
        [t, s, e, 0.9, "lost" if t in ("let", "it") else "kept", ""]
        for t, s, e, *_ in film.sources.get(role="dialogue").transcript.words
    ]
    Listening.objects.create(programme=film, plan_key=Snapshot(film).key, model="by hand", words=rows)
    words.goto(words.url_of)
    words.wait_for_selector("#words[data-ready]")
    assert words.locator(".w.lost").all_inner_texts() == ["let", "it"]
    assert words.inner_text("#r-lost") == "2 of 14"
    words.keyboard.press("n")
    words.wait_for_selector('.w.now:text-is("let")')
    assert "let it" in words.inner_text("#panel")
    words.get_by_role("button", name="It is meant so").click()
    wait_undo(words, "accepted")
    settled(words)
    words.wait_for_function("document.getElementById('r-lost').textContent === '0 of 14'")
    assert words.locator(".w.lost").count() == 0


def test_words_are_found_here_and_in_other_programmes(words, account):
    make_spoken(make_programme(account[1]))
    words.keyboard.press("f")
    words.keyboard.type("bell you")
    words.wait_for_function("document.getElementById('found').textContent === '1 place'")
    words.keyboard.press("Enter")
    words.wait_for_selector("#tab-found:not([hidden])")
    words.click("#tab-found")
    link = words.locator("#panel a").first
    assert "words#at=" in link.get_attribute("href")
    link.click()
    words.wait_for_selector("#words[data-ready]")
    words.wait_for_function("document.getElementById('timecode').textContent > '00:00:02'")


def test_a_filter_shows_fillers_and_all_are_silenced_at_once(words):
    words.click('[data-filter="fillers"]')
    assert words.locator(".turn").count() == 1
    assert "1 fillers" in words.inner_text("#chosen") or "1 filler" in words.inner_text("#chosen")
    words.get_by_role("button", name="silence all").click()
    wait_undo(words, "silenced")
    words.click('[data-filter=""]')
    settled(words)
    assert text(words) == SPOKEN.removeprefix("Um ")


def test_a_programme_without_words_says_what_to_do(page, live_server, account):
    film = make_programme(account[1])
    page.goto(f"{live_server.url}/programmes/{film.pk}/words")
    page.wait_for_selector("#words[data-ready]")
    assert "not heard yet" in page.inner_text("#turns")
    page.locator("#turns").get_by_role("button", name="Hear the words…").click()
    page.select_option('#hear-dialog [name="language"]', "de")
    page.fill('#hear-dialog [name="n_speakers"]', "99")
    page.click('#hear-dialog [type="submit"]')
    page.wait_for_selector("#hear-dialog [data-words]:not(:empty)")
    assert "1 to 20 people" in page.inner_text("#hear-dialog [data-words]")
