"""Listening through something, in the page: what is said about it, and what really plays."""

import numpy as np
import pytest

from browser.conftest import recorded
from conftest import make_programme

pytestmark = pytest.mark.django_db(transaction=True)


def wait_until(page, condition, timeout_ms=60_000):
    """Wait for something that is read from what the page played."""
    for _ in range(timeout_ms // 200):
        if condition():
            return
        page.wait_for_timeout(200)
    raise AssertionError("it did not come to that")


def sides_differ(page):
    """Whether the sides of what plays now differ; None while nothing sounds."""
    page.evaluate("window.recorded.length = 0")
    page.wait_for_timeout(200)
    audio = recorded(page)
    if not len(audio) or np.abs(audio).max() < 1e-3:
        return None
    return bool(np.abs(audio[:, 0] - audio[:, 1]).max() > 1e-5)


def test_a_phone_is_heard_in_mono_and_a_bar_says_so_until_it_is_off(balance):
    balance.click('[data-do="play"]')
    wait_until(balance, lambda: sides_differ(balance) is True)
    balance.select_option("#through", "phone")
    bar = balance.locator("#through-bar")
    assert "Through a phone" in bar.inner_text()
    wait_until(balance, lambda: "than the mix" in bar.inner_text() or "As loud as" in bar.inner_text())
    wait_until(balance, lambda: sides_differ(balance) is False)
    bar.get_by_role("button").click()
    assert not bar.is_visible() and balance.input_value("#through") == ""
    wait_until(balance, lambda: sides_differ(balance) is True)


def test_a_place_that_is_chosen_while_playing_begins_is_played_from(balance):
    balance.evaluate("document.querySelector('[data-do=play]').click()")
    balance.keyboard.press(".")  # a second on, before the sound card has woken up
    wait_until(balance, lambda: sides_differ(balance) is not None)
    assert balance.inner_text("#timecode") > "00:00:01"


def test_the_mix_is_heard_on_hand_over_as_any_line_hands_it_over(page, live_server, account):
    film = make_programme(account[1])
    page.goto(f"{live_server.url}/programmes/{film.pk}/hand-over")
    page.locator("#listen-place").fill("2")
    page.locator("#listen-place").dispatch_event("change")
    page.click('#listen [data-do="play"]')
    wait_until(page, lambda: page.inner_text("#listen-time") >= "0:03" and sides_differ(page) is not None)
    page.get_by_role("button", name="Stop").wait_for()
    page.select_option("#through", "turns-both")
    wait_until(page, lambda: "to match" in page.inner_text("#through-bar"))
    page.select_option("#listen-to", "")
    page.click('#listen [data-do="play"]')
    page.get_by_role("button", name="Play").wait_for()
