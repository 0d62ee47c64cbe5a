"""No press is lost: ten presses a second while every answer takes one; all are in the history, none twice."""

import pytest

from browser.browser_help import settled
from recitant_web.desk.edits.programme import SetGain
from recitant_web.desk.models import Clip, Edit, Stem, Track
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db(transaction=True)
FRAME = 1_920  # samples of a picture frame at 25 a second
SLOW = """
(() => {
  const real = window.fetch;
  window.sent = 0;
  window.fetch = async (url, options = {}) => {
    const answer = await real(url, options);
    if (options.method === "POST" && /\\/(edits|place)$/.test(String(url))) {
      window.sent += 1;
      await new Promise((resolve) => { setTimeout(resolve, 1000); });
    }
    return answer;
  };
})();
"""


@pytest.fixture
def slow(request, page):
    """One of the pages, with answers to edits held back for a second."""
    page.add_init_script(SLOW)
    return request.getfixturevalue(request.param)


def press(page, key, times=10, every_ms=100):
    for _ in range(times):
        page.keyboard.press(key)
        page.wait_for_timeout(every_ms)


def gain(name="voice"):
    return Clip.objects.get(name=name).gain_db


def n_done():
    return Edit.objects.filter(state="done").count()


@pytest.mark.parametrize("slow", ["balance"], indirect=True)
def test_gain_keys_of_balance(slow):
    slow.keyboard.press("]")
    slow.wait_for_selector('[data-path="clip"]')
    before = n_done()
    press(slow, "ArrowUp", 4, 250)
    assert "+2.0" in slow.input_value('[data-path="clip"]')  # drawn at once
    press(slow, "ArrowUp", 10)
    settled(slow)
    first = Clip.objects.order_by("start_sample", "pk").first()
    assert Clip.objects.get(pk=first.pk).gain_db == pytest.approx(7.0)
    assert 1 <= n_done() - before <= 14
    for _ in range(n_done() - before):
        slow.keyboard.press("Control+z")
    settled(slow)
    assert Clip.objects.get(pk=first.pk).gain_db == 0.0


@pytest.mark.parametrize("slow", ["balance"], indirect=True)
def test_typed_gains_and_keys_keep_their_order(slow):
    slow.keyboard.press("]")
    slow.fill('[data-path="clip"]', "-6")
    slow.keyboard.press("Enter")
    press(slow, "ArrowUp", 10)
    slow.fill('[data-key="music-gain"]', "-3")
    slow.keyboard.press("Enter")
    settled(slow)
    assert Clip.objects.order_by("start_sample", "pk").first().gain_db == pytest.approx(-1.0)
    assert Stem.objects.get(role="music").gain_db == -3.0


@pytest.mark.parametrize("slow", ["level"], indirect=True)
def test_gain_keys_of_level(slow):
    slow.locator('#sheet tbody tr:has-text("voice")').click()
    before = n_done()
    press(slow, "ArrowRight", 4, 250)
    press(slow, "ArrowRight", 10)
    settled(slow)
    assert gain() == pytest.approx(7.0)
    assert 1 <= n_done() - before <= 14


@pytest.mark.parametrize("slow", ["level"], indirect=True)
def test_processors_added_soon_after_each_other_both_stay(slow):
    slow.locator('#sheet tbody tr:has-text("voice")').click()
    slow.select_option(".proc-add", "compressor")
    slow.wait_for_timeout(400)
    slow.select_option(".proc-add", "high-pass")
    slow.wait_for_timeout(100)
    slow.fill('[aria-label="frequency, Hz"]', "120")
    slow.keyboard.press("Enter")
    settled(slow)
    chain = Clip.objects.get(name="voice").chain
    assert [one["kind"] for one in chain] == ["high-pass", "compressor"]
    assert chain[0]["values"] == {"freq_hz": 120.0}


@pytest.mark.parametrize("slow", ["level"], indirect=True)
def test_toggles_and_values_of_a_processor(slow):
    slow.locator('#sheet tbody tr:has-text("voice")').click()
    slow.select_option(".proc-add", "compressor")
    settled(slow)
    before = n_done()
    press(slow, "b", 5)
    settled(slow)
    assert n_done() - before == 5
    assert Clip.objects.get(name="voice").chain[0]["is_bypassed"]
    slow.focus('[aria-label="threshold, dBFS"]')
    was = float(slow.input_value('[aria-label="threshold, dBFS"]').replace("−", "-"))
    press(slow, "ArrowUp", 10)
    settled(slow)
    now = Clip.objects.get(name="voice").chain[0]["values"]["threshold_dbfs"]
    step = slow.evaluate("window.recitantModel.page.kinds.find((k) => k.kind === 'compressor').parameters[0]")
    assert now - was == pytest.approx(10 * 4 / 200 * (step["most"] - step["least"]), abs=0.6)


@pytest.mark.parametrize("slow", ["arrange"], indirect=True)
def test_keys_of_arrange(slow):
    slow.keyboard.press("]")
    first = Clip.objects.order_by("start_sample", "track__position").first()
    press(slow, "ArrowUp", 10)
    press(slow, "ArrowRight", 10)
    press(slow, "Alt+ArrowRight", 10)
    settled(slow)
    now = Clip.objects.get(pk=first.pk)
    assert now.gain_db == pytest.approx(first.gain_db + 5.0)
    assert now.start_sample == first.start_sample + 10 * FRAME + 10 * 48
    for _ in range(n_done() - 3):  # what intake laid stays
        slow.keyboard.press("Control+z")
    settled(slow)
    assert Clip.objects.get(pk=first.pk).gain_db == first.gain_db


@pytest.mark.parametrize("slow", ["arrange"], indirect=True)
def test_copies_go_behind_each_other_and_roles_turn(slow):
    slow.keyboard.press("]")
    first = Clip.objects.order_by("start_sample", "track__position").first()
    press(slow, "Control+d", 4)
    settled(slow)
    copies = Clip.objects.filter(name=first.name).order_by("start_sample")
    assert [clip.start_sample for clip in copies] == [i * first.length_samples for i in range(5)]
    track = Track.objects.order_by("position").first()
    order = ["narration", "dialogue", "music", "effects", "atmosphere"]
    for _ in range(6):
        slow.click(f'[data-key="{track.pk}-role"]')
        slow.wait_for_timeout(100)
    settled(slow)
    wanted = order[(order.index(track.role) + 6) % 5]
    assert Track.objects.get(pk=track.pk).role == wanted


@pytest.mark.parametrize("slow", ["balance"], indirect=True)
def test_a_press_counts_from_what_another_person_left(slow):
    slow.keyboard.press("]")
    first = Clip.objects.order_by("start_sample", "pk").first()
    press(slow, "ArrowUp", 2)
    # Somebody else sets the gain of the music stem meanwhile.
    film = Programme.objects.get(pk=slow.film.pk)
    SetGain(revision=film.revision, target="stem", id="music", gain_db=-6.0).carry_out(film, None)
    press(slow, "ArrowUp", 8)
    settled(slow)
    assert Clip.objects.get(pk=first.pk).gain_db == pytest.approx(5.0)
    assert Stem.objects.get(role="music").gain_db == -6.0


@pytest.mark.parametrize("slow", ["level"], indirect=True)
def test_looking_never_conflicts(slow):
    answers = []
    slow.on("response", lambda answer: answers.append((answer.status, answer.url)))
    slow.locator('#sheet tbody tr:has-text("voice")').click()
    slow.select_option(".proc-add", "compressor")
    for _ in range(8):
        slow.keyboard.press("b")
        slow.wait_for_timeout(120)
    settled(slow)
    slow.wait_for_timeout(1_000)
    assert [found for found in answers if found[0] >= 400] == []
