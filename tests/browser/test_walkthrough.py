"""A newcomer's whole way: a programme, three files, a balance, a hand over, the files."""

import io

import pytest
import soundfile

from conftest import wav_bytes
from recitant_core.measure.meter import measure
from recitant_core.units.channels import STEREO
from signals import programme, sine

pytestmark = pytest.mark.django_db(transaction=True)


def _file(name, audio):
    return {"name": name, "mimeType": "audio/wav", "buffer": wav_bytes(audio)}


def test_from_three_files_to_a_mix_that_passes(page):
    page.fill("#id_title", "Night train")
    page.click("text=Make it")
    page.wait_for_selector("#intake[data-ready]")
    files = {
        "dialogue": _file("Voice.wav", programme(1, 7.0, 1)),
        "music": _file("Theme.wav", programme(2, 9.0)),
        "effects": _file("Door.wav", sine(-30, 1.0, 200.0)),
    }
    for role, file in files.items():
        page.select_option("#as-role", role)
        page.set_input_files("#files", [file])
        page.wait_for_selector(f"td:has-text('{file['name']}')")
    page.wait_for_function("document.querySelectorAll('tr[data-state=ready]').length === 3")
    page.click(".steps >> text=Balance")
    page.wait_for_selector("[data-ready]")
    page.fill(".head.music .gain", "-6")
    page.press(".head.music .gain", "Enter")
    page.wait_for_function("document.querySelector('.head.music .gain').value === '−6.0'")
    page.select_option("#spec", "online-14")
    page.wait_for_function("document.getElementById('spec-limits').innerText.startsWith('−14.0')")
    page.click(".steps >> text=Hand over")
    page.wait_for_selector("td.to:has-text('Online video')")
    page.select_option("#sheet select[name=add]", "ebu-r128")
    page.click("#sheet button:has-text('Add')")
    page.wait_for_selector("td.to:has-text('EBU R 128')")
    page.click("[aria-label='the mix as MP3 for Online video: left out']")
    page.wait_for_selector("[aria-label='the mix as MP3 for Online video: to be made']")
    page.click("#sheet button.go")
    page.wait_for_selector(".delivery .files a")
    assert page.locator(".delivery b + .within").count() == 2
    assert page.locator("#sheet .dot.made").count() == 5
    with page.expect_download() as caught:
        page.click("text=mix-online-14.wav")
    with open(caught.value.path(), "rb") as file:  # noqa: PTH123  a download has no better name
        audio, _ = soundfile.read(io.BytesIO(file.read()), dtype="float32")
    readings = measure(audio, STEREO)
    assert readings.integrated_lufs == pytest.approx(-14.0, abs=0.1)
    assert readings.true_peak_dbtp <= -1.0


def test_a_bad_file_is_refused_beside_the_good_ones(page):
    page.fill("#id_title", "Bad take")
    page.click("text=Make it")
    page.wait_for_selector("#intake[data-ready]")
    bad = {"name": "shopping list.wav", "mimeType": "audio/wav", "buffer": b"milk, eggs\n" * 200}
    empty = {"name": "nothing.wav", "mimeType": "audio/wav", "buffer": b""}
    page.set_input_files("#files", [bad, empty, _file("Theme.wav", programme(2, 2.0))])
    page.click('#laying [value="lay"]')
    page.wait_for_selector("text=not a sound file")
    page.wait_for_selector("text=nothing.wav is empty")
    page.wait_for_selector("tr[data-state=ready]")
    page.click("text=Remove")
    page.wait_for_function("!document.body.innerText.includes('shopping list')")
