"""Every page under its own Content-Security-Policy: nothing inline, nothing evaluated, nothing from elsewhere."""

import pytest

from conftest import make_programme

STEPS = ("intake", "arrange", "words", "level", "balance", "hand-over")


@pytest.fixture
def strict(strict_page, account):
    """A page and the address of a programme."""
    made = make_programme(account[1])
    return strict_page, f"{strict_page.url}programmes/{made.pk}"


def test_every_page_keeps_its_policy(strict):
    page, programme = strict
    home = programme.rsplit("/", 2)[0]
    addresses = [f"{home}/{path}" for path in ("", "season", "room", "specifications", "stems", "password")]
    for address in [*addresses, *(f"{programme}/{step}" for step in STEPS)]:
        answer = page.goto(address)
        assert answer.status == 200 and "default-src 'self'" in answer.headers["content-security-policy"], address
        page.wait_for_timeout(400)


def test_playing_and_editing_keep_the_policy(strict):
    page, programme = strict
    page.goto(f"{programme}/balance")
    page.wait_for_selector("[data-ready]")
    page.fill(".head.music .gain", "-6")
    page.press(".head.music .gain", "Enter")
    page.keyboard.press("Escape")
    page.click("[data-do=play]")
    page.wait_for_timeout(1_500)


def test_what_the_policy_forbids_is_noticed(strict):
    page, programme = strict
    page.goto(f"{programme}/intake")
    page.evaluate("() => { new Image().src = 'http://elsewhere.test/a.png'; }")
    page.wait_for_timeout(300)
    assert len(page.faults) == 1 and "img-src" in page.faults[0]
    page.faults.clear()
