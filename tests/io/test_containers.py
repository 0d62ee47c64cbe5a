"""Files that list other files or addresses are refused, and nothing of theirs is opened."""

import os
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import pytest

from recitant_core.errors import UnreadableMedia
from recitant_io.media.confined import open_media
from recitant_io.media.picture import make_proxy
from recitant_io.media.probe import probe
from recitant_io.store.conform import FileSource
from signals.films import film, mp3_bytes


def playlists(address, outside):
    """Texts that name a file outside or an address, by the name of the file they come in."""
    head = "#EXTM3U\n#EXT-X-VERSION:3\n#EXT-X-TARGETDURATION:1\n#EXTINF:1.0,\n"
    tail = "\n#EXT-X-ENDLIST\n"
    sdp = (
        "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 9000 RTP/AVP 0\na=rtpmap:0 PCMU/8000\n"
    )
    mpd = (
        '<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" profiles="urn:mpeg:dash:profile:isoff-on-'
        'demand:2011" type="static" mediaPresentationDuration="PT1S"><Period><AdaptationSet mimeType="audio/wav">'
        f"<Representation id='1' bandwidth='1'><BaseURL>{address}/dash.wav</BaseURL></Representation>"
        "</AdaptationSet></Period></MPD>"
    )
    return {
        "hls-file.m3u8": f"{head}{outside}{tail}",
        "hls-file-url.m3u8": f"{head}file://{outside}{tail}",
        "hls-address.m3u8": f"{head}{address}/hls.mp3{tail}",
        "hls-under-another-name.wav": f"{head}{outside}{tail}",
        "session.sdp": sdp,
        "concat.ffconcat": f"ffconcat version 1.0\nfile '{outside}'\n",
        "concat-neighbour.ffconcat": "ffconcat version 1.0\nfile outside.mp3\n",
        "dash.mpd": mpd,
    }


KINDS = tuple(playlists("", ""))


@pytest.fixture
def playlist(tmp_path, listener, request):
    """One such file beside the file it names, and what the listener was asked for."""
    address, asked = listener
    outside = tmp_path / "outside.mp3"
    outside.write_bytes(mp3_bytes(tmp_path))
    path = tmp_path / request.param
    path.write_text(playlists(address, outside)[request.param])
    return path, asked


@pytest.mark.parametrize("playlist", KINDS, indirect=True)
def test_no_door_follows_a_playlist(playlist, tmp_path):
    path, asked = playlist
    with pytest.raises(UnreadableMedia), open_media(path):
        pass
    facts = probe(path)
    assert facts.sound_tracks == () and facts.picture is None
    with pytest.raises(UnreadableMedia):
        make_proxy(path, tmp_path / "proxy.mp4", Fraction(25))
    with pytest.raises(UnreadableMedia):
        FileSource(path, "k")
    assert asked == []


@pytest.mark.parametrize("playlist", ["hls-file.m3u8", "hls-address.m3u8", "concat-neighbour.ffconcat"], indirect=True)
def test_the_command_line_refuses_a_playlist(playlist):
    path, asked = playlist
    command = [sys.executable, "-m", "recitant_cli", "intake", path.name, "--json"]
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2] / "src")}
    done = subprocess.run(command, cwd=path.parent, capture_output=True, text=True, env=environment, check=False)
    assert done.returncode == 2, done.stdout
    assert path.name in done.stderr and asked == []


def test_unfiltered_the_library_would_follow_one(tmp_path):
    """What the list protects from: without it the neighbour is opened."""
    (tmp_path / "outside.mp3").write_bytes(mp3_bytes(tmp_path))
    path = tmp_path / "list.ffconcat"
    path.write_text("ffconcat version 1.0\nfile outside.mp3\n")
    with av.open(str(path)) as container:
        assert len(container.streams.audio) == 1


@pytest.mark.parametrize("suffix", [".mp4", ".mov", ".mkv", ".webm"])
def test_the_usual_containers_are_read(tmp_path, suffix):
    codec = "libvpx-vp9" if suffix == ".webm" else "libx264"
    path = film(tmp_path / f"film{suffix}", codec=codec, sound_hz=() if suffix == ".webm" else (440.0,))
    facts = probe(path)
    assert facts.picture is not None and len(facts.sound_tracks) == (0 if suffix == ".webm" else 1)


def test_a_picture_that_hides_references_opens_nothing(tmp_path, listener):
    """A QuickTime file whose data reference names an address: read as far as it holds data itself."""
    address, asked = listener
    path = film(tmp_path / "film.mov")
    data = path.read_bytes()
    url = b"url " + (1).to_bytes(4, "big")
    assert data.count(url) >= 1
    named = b"url " + (0).to_bytes(4, "big")
    path.write_bytes(data.replace(url, named))
    probe(path)
    assert asked == [] and address
