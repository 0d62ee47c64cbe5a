"""What the browser tests of the timeline share."""


def drag(page, from_x, from_y, to_x, to_y):
    """Drag on the timeline, in its own pixels, slowly enough to be seen as a drag."""
    box = page.locator("#timeline").bounding_box()
    page.mouse.move(box["x"] + from_x, box["y"] + from_y)
    page.mouse.down()
    page.mouse.move(box["x"] + (from_x + to_x) / 2, box["y"] + (from_y + to_y) / 2, steps=5)
    page.mouse.move(box["x"] + to_x, box["y"] + to_y, steps=5)
    page.mouse.up()


def wait_undo(page, words):
    """Wait until the newest edit has a name that holds these words."""
    page.wait_for_function("(words) => document.querySelector('[data-do=\"undo\"]').title.includes(words)", arg=words)


def settled(page, timeout=60_000):
    """Wait until every edit has reached the server and the page shows what it answered."""
    page.wait_for_function("window.recitantEdits.isIdle()", timeout=timeout)


def box_of(locator):
    """Where an element stands once it stands still: a page that draws itself anew moves it, or takes it away."""
    last = None
    for _ in range(200):
        locator.wait_for()
        box = locator.bounding_box()
        if box and box == last:
            return box
        last = box
        locator.page.wait_for_timeout(50)
    raise AssertionError("it never stood still")
