"""Filters against the Audio EQ Cookbook's own points, Butterworth's definition and scipy.signal."""

import numpy as np
import pytest
from scipy import signal

from recitant_core.processors import filters
from recitant_core.processors.chain import through_chain
from recitant_core.processors.kinds import KINDS
from recitant_core.processors.model import Processor, ValuePoint
from recitant_core.processors.tone import log_frequencies, sections_at, tone_response_db
from recitant_core.units.clock import RATE_HZ

FREQ_HZ = log_frequencies(400)
HALF_POWER_DB = 10 * np.log10(0.5)


def scipy_db(sections):
    sos = np.insert(np.asarray(sections), 3, 1.0, axis=1)
    _, response = signal.sosfreqz(sos, FREQ_HZ, fs=RATE_HZ)
    return 20 * np.log10(np.maximum(np.abs(response), 1e-12))


HEARD_HZ = np.fft.rfftfreq(1 << 17, 1 / RATE_HZ)[60:54_000:7]


def heard_db(processor):
    """Response as sound has it at HEARD_HZ: the spectrum of an impulse that went through."""
    audio = np.zeros((1 << 17, 2), np.float32)
    audio[1000] = 0.25
    spectrum = np.fft.rfft(through_chain((processor,), audio, 0)[:, 0].astype(np.float64) * 4)
    return 20 * np.log10(np.abs(spectrum[60:54_000:7]) + 1e-12)


@pytest.mark.parametrize("shape", ["bell", "low-shelf", "high-shelf", "notch"])
@pytest.mark.parametrize(("freq_hz", "gain_db", "q"), [(60, 9, 0.7), (330, -5, 4.2), (3200, 12, 1.0), (15000, -18, 2)])
def test_what_is_drawn_is_what_scipy_says_and_what_is_heard(shape, freq_hz, gain_db, q):
    processor = Processor("equaliser").with_values(
        band1_shape=shape, band1_freq_hz=freq_hz, band1_gain_db=gain_db, band1_q=q
    )
    drawn = tone_response_db(processor, FREQ_HZ)
    deep = drawn < -40  # the bottom of a notch is as deep as the numbers are fine
    assert np.abs(drawn - scipy_db(sections_at(processor, 0)))[~deep].max() < 1e-6
    drawn = tone_response_db(processor, HEARD_HZ)
    assert np.abs(drawn - heard_db(processor))[drawn > -40].max() < 0.05  # the limit is ours: 0.05 dB


def test_cookbook_points():
    # Audio EQ Cookbook: a bell has its gain at f0 and 0 dB at both ends; a shelf half its dB at f0, all beyond.
    at = lambda sections, freq: float(filters.response_db(np.array([sections]), np.array([float(freq)]))[0])  # noqa: E731
    assert at(filters.bell(1000, 7.0, 2.0), 1000) == pytest.approx(7.0, abs=1e-9)
    assert at(filters.bell(1000, 7.0, 2.0), 1) == pytest.approx(0.0, abs=1e-3)
    assert at(filters.bell(1000, 7.0, 2.0), 23_999) == pytest.approx(0.0, abs=1e-3)
    for shelf, far in ((filters.low_shelf, 1), (filters.high_shelf, 23_999)):
        assert at(shelf(1000, -8.0, 0.7), 1000) == pytest.approx(-4.0, abs=1e-6)
        assert at(shelf(1000, -8.0, 0.7), far) == pytest.approx(-8.0, abs=1e-2)
    assert at(filters.notch(1000, 5.0), 1000) < -100
    # The bandwidth of a band-pass between its -3 dB points is f0 / Q (analogue; low enough for the warp not to count).
    for edge in (500 * (np.sqrt(1 + 1 / 64) + 1 / 8), 500 * (np.sqrt(1 + 1 / 64) - 1 / 8)):
        assert at(filters.band_pass(500, 4.0), edge) == pytest.approx(HALF_POWER_DB, abs=0.05)


@pytest.mark.parametrize("slope", ["6", "12", "18", "24", "36", "48"])
@pytest.mark.parametrize("kind", ["high-pass", "low-pass"])
def test_passes_are_butterworths(kind, slope):
    processor = Processor(kind).with_values(freq_hz=900.0, slope_db_per_octave=slope)
    expected = signal.butter(int(slope) // 6, 900, "high" if kind == "high-pass" else "low", fs=RATE_HZ, output="sos")
    _, response = signal.sosfreqz(expected, FREQ_HZ, fs=RATE_HZ)
    drawn = tone_response_db(processor, FREQ_HZ)
    audible = drawn > -100
    assert np.abs(drawn - 20 * np.log10(np.abs(response)))[audible].max() < 1e-6
    assert float(tone_response_db(processor, np.array([900.0]))[0]) == pytest.approx(HALF_POWER_DB, abs=1e-9)
    drawn = tone_response_db(processor, HEARD_HZ)
    assert np.abs(drawn - heard_db(processor))[drawn > -60].max() < 0.05


def test_hum_goes_and_its_neighbours_stay():
    hum = Processor("hum").with_values(mains_hz=50.0, multiples=4.0, depth_db=30.0, width_hz=2.0)
    response = tone_response_db(hum, np.array([50.0, 100.0, 150.0, 200.0, 75.0, 125.0, 250.0]))
    assert (response[:4] < -29).all()
    assert (response[4:] > -0.6).all()


def test_a_sweep_ends_where_a_standing_filter_is():
    # Common practice: a low-pass swept down to 500 Hz and back gives the "under water" turn.
    sweep = (
        ValuePoint(0, 18_000.0),
        ValuePoint(48_000, 500.0),
        ValuePoint(96_000, 500.0),
        ValuePoint(144_000, 18_000.0),
    )
    moving = Processor("low-pass", curves=(("freq_hz", sweep),))
    rng = np.random.default_rng(5)
    noise = (0.1 * rng.standard_normal((192_000, 2))).astype(np.float32)
    out = through_chain((moving,), noise, 0)
    still = through_chain((Processor("low-pass").with_values(freq_hz=500.0),), noise, 0)
    assert np.allclose(out[60_000:95_000], still[60_000:95_000], atol=1e-5)
    wide = through_chain((Processor("low-pass").with_values(freq_hz=18_000.0),), noise, 0)
    assert np.allclose(out[160_000:], wide[160_000:], atol=1e-5)
    assert float(moving.along("freq_hz", np.array([24_000.0]))[0]) == pytest.approx(3_000, rel=1e-6)  # log-frequency


def test_every_filter_forgets_as_fast_as_it_says():
    for freq_hz, q in ((20.0, 40.0), (50.0, 16.0), (1000.0, 0.3), (19_000.0, 10.0)):
        sections = np.array([filters.bell(freq_hz, 20.0, q)])
        impulse = np.zeros((filters.settling_samples(sections) + 4_000, 2), np.float32)
        impulse[0] = 1.0
        tail = filters.filtered(impulse, sections)[filters.settling_samples(sections) :]
        assert np.abs(tail).max() < 2e-6  # -120 dB and the rounding of what is kept in 32 bits
    assert KINDS["equaliser"].parameter("band1_q").most == 40.0
