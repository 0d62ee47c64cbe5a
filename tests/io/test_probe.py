"""What films and Broadcast Wave files say about themselves, and the light copy of a picture."""

from fractions import Fraction

import av
import numpy as np
import pytest

from recitant_core.errors import UnreadableMedia
from recitant_io.media.picture import make_proxy
from recitant_io.media.probe import frame_rate_name, probe
from signals.films import film

RATES = [
    (Fraction(24_000, 1_001), "23.976"),
    (Fraction(25), "25"),
    (Fraction(30_000, 1_001), "29.97"),
    (Fraction(60), "60"),
]


@pytest.mark.parametrize(("rate", "name"), RATES)
def test_rates_have_their_names(tmp_path, rate, name):
    found = probe(film(tmp_path / "a.mp4", rate=rate, n_frames=60)).picture
    assert found.frame_rate == name and not found.is_variable_rate and found.plays_in_browser
    assert found.length_samples == pytest.approx(float(60 / rate * 48_000), abs=2_100)


def test_a_rate_that_is_none_of_the_usual():
    assert frame_rate_name(Fraction(18)) is None
    assert frame_rate_name(Fraction(2_997, 100)) == "29.97"


def test_tracks_timecode_and_variable_rate(tmp_path):
    found = probe(film(tmp_path / "a.mkv", sound_hz=(300.0, 400.0)))
    assert [track.n_channels for track in found.sound_tracks] == [2, 2]
    assert probe(film(tmp_path / "b.mov", timecode="10:00:00:00")).start_tc == "10:00:00:00"
    assert probe(film(tmp_path / "c.mp4", skips_every=5)).picture.is_variable_rate
    assert probe(film(tmp_path / "d.mp4", sound_hz=())).sound_tracks == ()


def test_what_is_no_container_gives_no_facts(tmp_path):
    path = tmp_path / "a.txt"
    path.write_text("no film")
    found = probe(path)
    assert found.picture is None and found.sound_tracks == () and found.time_reference_samples is None


def test_the_light_copy_shows_the_same_at_the_same_time(tmp_path):
    path = film(tmp_path / "a.mov", codec="prores_ks", pix_fmt="yuv422p10le", flash_at=31, n_frames=50)
    make_proxy(path, tmp_path / "light.mp4", Fraction(25))
    with av.open(str(tmp_path / "light.mp4")) as container:
        frames = [(frame.time, float(frame.to_ndarray(format="gray").mean())) for frame in container.decode(video=0)]
    assert len(frames) == 50
    assert frames[int(np.argmax([level for _, level in frames]))][0] == pytest.approx(31 / 25, abs=0.001)


def test_a_broken_picture_is_refused_and_leaves_nothing(tmp_path):
    path = film(tmp_path / "a.mp4")
    path.write_bytes(path.read_bytes()[:1_500])
    with pytest.raises(UnreadableMedia):
        make_proxy(path, tmp_path / "light.mp4", Fraction(25))
    assert not list(tmp_path.glob("light*"))
