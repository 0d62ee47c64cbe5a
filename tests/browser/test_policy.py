"""Every page under its own Content-Security-Policy: nothing inline, nothing evaluated, nothing from elsewhere."""

import re

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
    addresses = [f"{home}/{path}" for path in ("", "batch", "room", "specifications", "stems", "password")]
    for address in [*addresses, *(f"{programme}/{step}" for step in STEPS)]:
        answer = page.goto(address)
        assert answer.status == 200 and "default-src 'self'" in answer.headers["content-security-policy"], address
        page.wait_for_timeout(400)


IDENTIFIER = re.compile(r"\b[a-z]+[A-Z]\w+\b|\b[a-z]+_[a-z_]+\b|\b[A-Z][a-z]+[A-Z][a-z]+\w*\b|%\(\w+\)|undefined|NaN")
"""Words of code that have no place on a page."""
NAMES = {"QuickTime", "WebM", "WebVTT", "dBTP", "dBFS", "kHz"}


WORDS = """() => {
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  const found = [];
  while (walk.nextNode()) {
    const inside = walk.currentNode.parentElement.closest("script, style");
    if (!inside && walk.currentNode.parentElement.checkVisibility()) found.push(walk.currentNode.data.trim());
  }
  for (const one of document.querySelectorAll("[title], [aria-label], [placeholder]"))
    found.push(one.title, one.ariaLabel || "", one.placeholder || "");
  return found.join("\\n");
}"""
"""Text that a person sees, titles and labels of elements too."""


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_every_page_and_report_has_its_style_and_speaks_in_words(strict, account, theme):
    page, programme = strict
    wrong = []
    page.on("console", lambda said: wrong.append(said.text) if said.type == "error" else None)
    page.on("response", lambda answer: wrong.append(f"{answer.status} {answer.url}") if answer.status >= 400 else None)
    if theme == "dark":
        page.click("[data-theme-switch]")
    page.goto(f"{programme}/hand-over")
    page.click("main .go-form .go")
    page.wait_for_selector("text=Report")
    reports = page.eval_on_selector_all("a[href$='.html']", "links => links.map((link) => link.href)")
    assert reports
    home = programme.rsplit("/", 2)[0]
    addresses = [f"{home}/{path}" for path in ("", "batch", "room", "work", "specifications", "stems", "password")]
    for address in [*addresses, *(f"{programme}/{step}" for step in STEPS), *reports]:
        page.goto(address)
        page.wait_for_timeout(400)
        found = set(IDENTIFIER.findall(page.evaluate(WORDS))) - NAMES
        assert not found, (address, found)
        if address in reports:
            # Its own style counts: tables of an unstyled page have no borders.
            assert page.evaluate("() => getComputedStyle(document.querySelector('main')).maxWidth") != "none"
    assert wrong == []


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
