"""Every page in both themes: nothing for axe-core to find, one first heading, a skip link, room at 200 %."""

from pathlib import Path

import pytest

from browser.browser_help import wait_undo
from conftest import make_spoken

pytestmark = pytest.mark.django_db(transaction=True)
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
FINDINGS = """async () => {
  const found = await axe.run(document, { resultTypes: ["violations"] });
  return found.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target} ${n.failureSummary}`));
}"""
WIDEST = """() => document.documentElement.scrollWidth <= innerWidth ? [] : [...document.querySelectorAll("body *")]
  .filter((e) => e.getBoundingClientRect().right > innerWidth + 0.5).map((e) => e.outerHTML.slice(0, 90))"""
"""What reaches past the right edge of a page that can be scrolled sideways."""
READY = {
    "intake": "#intake",
    "arrange": "#arrange",
    "words": "#words",
    "level": "#level",
    "balance": "#desk",
    "hand-over": "main",
}


def findings(page, theme):
    """What axe-core says of a page as it stands, in a theme."""
    page.evaluate(
        f"document.documentElement.dataset.bsTheme = '{theme}'; window.dispatchEvent(new Event('themechange'))"
    )
    page.wait_for_timeout(250)
    if not page.evaluate("Boolean(window.axe)"):
        page.add_script_tag(path=AXE)
    return page.evaluate(FINDINGS)


def opened(page, film, name):
    page.goto(f"{page.live}/programmes/{film.pk}/{name}")
    ready = READY[name]
    page.wait_for_selector(f"{ready}[data-ready]" if name not in ("hand-over",) else ready)


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_axe_finds_nothing_on_any_page(balance, live_server, theme):
    page = balance
    page.live = live_server.url
    make_spoken(page.film)
    said = []
    for name in READY:
        opened(page, page.film, name)
        if name == "intake":
            page.click("tr[data-source] .file")
            page.wait_for_selector("#source h2")
        if name in ("arrange", "balance"):
            page.keyboard.press("]")
        if name == "words":
            page.click(".turn .w")
            page.click('[data-panel="captions"]')
        said += [f"{name}: {one}" for one in findings(page, theme)]
        assert page.locator("h1").count() == 1, name
    for path in ("/", "/room", "/password", "/stems", "/?which=deleted"):
        page.goto(f"{live_server.url}{path}")
        said += [f"{path}: {one}" for one in findings(page, theme)]
        assert page.locator("h1").count() == 1, path
    page.context.clear_cookies()
    page.goto(f"{live_server.url}/sign-in")
    said += [f"sign-in: {one}" for one in findings(page, theme)]
    assert not said, "\n".join(said)


def test_the_skip_link_moves_the_focus(level, live_server):
    level.evaluate("document.activeElement.blur()")
    level.keyboard.press("Tab")
    assert level.evaluate("document.activeElement.className") == "skip"
    level.keyboard.press("Enter")
    assert level.evaluate("document.activeElement.id") == "main"


def test_pages_of_text_fit_a_telephone_and_all_pages_fit_at_twice_their_size(balance, live_server):
    page = balance
    page.live = live_server.url
    page.set_viewport_size({"width": 390, "height": 800})
    for path in ("/", f"/programmes/{page.film.pk}/hand-over", "/room", "/stems", "/specifications"):
        page.goto(f"{live_server.url}{path}")
        assert page.evaluate(WIDEST) == [], path
    page.set_viewport_size({"width": 640, "height": 400})  # 1280 by 800 at 200 %
    for name in READY:
        opened(page, page.film, name)
        assert page.evaluate(WIDEST) == [], name


def test_a_track_has_two_tab_stops_and_its_buttons_are_gone_through_by_arrows(arrange):
    tabbed = "[...head.querySelectorAll('button, input')].filter((one) => one.tabIndex === 0).length"
    stops = f"[...document.querySelectorAll('.track-head')].map((head) => {tabbed})"
    assert arrange.evaluate(stops) == [2, 2, 2]
    arrange.focus(".track-head .letter")
    for _ in range(3):
        arrange.keyboard.press("ArrowRight")
    arrange.keyboard.press("Enter")  # mute, solo, out
    wait_undo(arrange, "out of the mix")
    assert arrange.evaluate(stops) == [2, 2, 2]
