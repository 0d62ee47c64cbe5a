"""A real browser on a live server, signed in, with a recorder between the page and its loudspeaker."""

import os

import numpy as np
import pytest
from playwright.sync_api import sync_playwright

from conftest import make_programme, wav_bytes
from signals import sine

RECORDER = """
(() => {
  const code = `registerProcessor("recorder", class extends AudioWorkletProcessor {
    process([input], [output]) {
      const blocks = [0, 1].map((c) => input[c] || input[0] || new Float32Array(128));
      blocks.forEach((block, c) => output[c] && output[c].set(block));
      this.port.postMessage({ frame: currentFrame, left: blocks[0].slice(), right: blocks[1].slice() });
      return true;
    }
  })`;
  const url = URL.createObjectURL(new Blob([code], { type: "text/javascript" }));
  const connect = AudioNode.prototype.connect;
  window.recorded = [];
  window.AudioContext = class extends AudioContext {
    async resume() {
      if (!this.recorder) {
        await this.audioWorklet.addModule(url);
        this.recorder = new AudioWorkletNode(this, "recorder", { outputChannelCount: [2] });
        this.recorder.port.onmessage = (event) => window.recorded.push(event.data);
        connect.call(this.recorder, this.destination);
      }
      return super.resume();
    }
  };
  AudioNode.prototype.connect = function (target, ...rest) {
    const isLoudspeaker = target instanceof AudioDestinationNode && this !== this.context.recorder;
    return connect.call(this, isLoudspeaker ? this.context.recorder : target, ...rest);
  };
})();
"""


@pytest.fixture(scope="session")
def chromium(tmp_path_factory):
    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # playwright keeps an event loop in this thread
    flags = ["--no-sandbox", "--disable-dev-shm-usage", "--disable-gpu", "--disable-background-networking"]
    flags += ["--autoplay-policy=no-user-gesture-required", "--use-fake-device-for-media-stream"]
    # The simulated microphone hears this file, over and over.
    microphone = tmp_path_factory.mktemp("microphone") / "voice.wav"
    microphone.write_bytes(wav_bytes(sine(-12, 2.0, 700.0, 1), "PCM_16"))
    flags.append(f"--use-file-for-fake-audio-capture={microphone}")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium, live_server, transactional_db, media, jobs_run_at_once, account):
    """The sign-in page of the live server; any error in the page fails the test."""
    # Conditions that tests wait for are evaluated in the page, which its policy forbids; test_policy.py keeps it.
    yield from _signed_in(chromium, live_server, bypass_csp=True)


@pytest.fixture
def strict_page(chromium, live_server, transactional_db, media, jobs_run_at_once, account):
    """The same under the page's own Content-Security-Policy; what it forbids fails the test."""
    yield from _signed_in(chromium, live_server, bypass_csp=False)


def _signed_in(chromium, live_server, *, bypass_csp):
    size = {"width": 1280, "height": 800}
    context = chromium.new_context(
        viewport=size, accept_downloads=True, permissions=["microphone"], bypass_csp=bypass_csp
    )
    if bypass_csp:  # it brings a worklet of its own along
        context.add_init_script(RECORDER)
    page = context.new_page()
    faults = page.faults = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda said: faults.append(said.text) if "Content Security Policy" in said.text else None)
    page.set_default_timeout(60_000)  # a busy machine may be several times slower
    page.goto(f"{live_server.url}/")
    page.fill("#id_username", "ines")
    page.fill("#id_password", "a-long-enough-word")
    page.click("main button")
    page.wait_for_url(f"{live_server.url}/")
    yield page
    context.close()
    assert not faults


@pytest.fixture
def balance(page, live_server, account):
    """The Balance page of a programme with three recordings."""
    film = make_programme(account[1])
    page.goto(f"{live_server.url}/programmes/{film.pk}/balance")
    page.wait_for_selector("[data-ready]")
    page.film = film
    return page


@pytest.fixture
def arrange(page, live_server, account):
    """The Arrange page of a programme with three recordings."""
    film = make_programme(account[1])
    page.goto(f"{live_server.url}/programmes/{film.pk}/arrange")
    page.wait_for_selector("#arrange[data-ready]")
    page.film = film
    return page


@pytest.fixture
def level(page, live_server, account):
    """The Level page of a programme with three recordings."""
    film = make_programme(account[1])
    page.goto(f"{live_server.url}/programmes/{film.pk}/level")
    page.wait_for_selector("#level[data-ready]")
    page.film = film
    return page


def recorded(page):
    """What the page has played so far: float32 (frames, 2)."""
    blocks = page.evaluate("window.recorded.map((b) => [b.frame, Array.from(b.left), Array.from(b.right)])")
    if not blocks:
        return np.zeros((0, 2), np.float32)
    first = blocks[0][0]
    out = np.zeros((blocks[-1][0] - first + 128, 2), np.float32)
    for frame, left, right in blocks:
        out[frame - first : frame - first + 128, 0] = left
        out[frame - first : frame - first + 128, 1] = right
    return out


def place_of(piece, within):
    """Where a piece of sound stands in a longer one, in frames."""
    n = len(within) + len(piece)
    spectrum = np.fft.rfft(within[:, 0], n) * np.conj(np.fft.rfft(piece[:, 0], n))
    return int(np.argmax(np.fft.irfft(spectrum, n)[: len(within) - len(piece) + 1]))
