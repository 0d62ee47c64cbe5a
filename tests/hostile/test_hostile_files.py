"""Files that were made to break their reader: refused with a sentence, whatever becomes of the reader."""

import ctypes
import json
import os
import resource
import signal
import struct
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from hostile.mutants import make_seeds, mutant
from recitant_core.errors import Cancelled, RecitantError, StorageFull, UnreadableMedia
from recitant_io.media import confined, confinement, decode, storage
from recitant_io.media.channels import recorder_file
from recitant_io.media.confined_pictures import make_proxy, make_still
from recitant_io.media.containers import _DEMUXERS
from recitant_io.media.decode import open_here
from recitant_io.media.probe import probe
from recitant_io.store.conform import conform
from recitant_text.sentences import sentence
from signals.films import film

SEEDS = 2_000
HERE = Path(__file__).parent
ENVIRONMENT = {**os.environ, "PYTHONPATH": os.pathsep.join([str(HERE.parents[1] / "src"), str(HERE.parent)])}


@pytest.mark.parametrize("first", range(0, SEEDS, SEEDS // 4))
def test_mutated_files_raise_nothing_but_our_errors(tmp_path, first):
    (tmp_path / "seeds").mkdir()
    names = make_seeds(tmp_path / "seeds")
    assert len(names) >= 25  # or the library lost containers that are meant to be tried
    at, last, wrong, n_deaths = first, first + SEEDS // 4, [], 0
    while at < last:
        command = [sys.executable, str(HERE / "mutants.py"), str(tmp_path), str(at), str(last)]
        ran = subprocess.run(command, capture_output=True, text=True, env=ENVIRONMENT, check=False)
        lines = [json.loads(line) for line in ran.stdout.splitlines()]
        wrong += [line for line in lines if "raised" in line]
        if ran.returncode == 0:
            break
        # A library died of one: in the application that is a child process, and a refused file.
        n_deaths, at = n_deaths + 1, lines[-1]["number"] + 1
        name, data = mutant(tmp_path / "seeds", names, lines[-1]["number"])
        (tmp_path / name).write_bytes(data)
        with pytest.raises(UnreadableMedia), confined.open_media(tmp_path / name) as (_facts, blocks):
            list(blocks)
    assert wrong == [] and n_deaths < 5


def _run(monkeypatch, tmp_path, program):
    """Has the child run a program of the test's instead of decoding."""
    (tmp_path / "readers").mkdir()
    imports = "import os, resource, signal, sys, time\nfrom recitant_io.media import confinement"
    text = f"{imports}\n{program}\nsys.exit(confinement.main())\n"
    (tmp_path / "readers" / "hostile_reader.py").write_text(text)
    monkeypatch.setattr(confined, "READER", "hostile_reader")
    monkeypatch.setattr(sys, "path", [str(tmp_path / "readers"), *sys.path])
    path = tmp_path / "trap.wav"
    soundfile.write(path, np.zeros((4_800, 2)), 48_000)
    return path


_REPLACED = "confinement._OPERATIONS['decode'] = (read, confinement._SOUND_BYTES)"


@pytest.mark.parametrize(
    ("what", "code"),
    [
        ("import ctypes; ctypes.string_at(0)", "breaks_reader"),
        ("os.abort()", "breaks_reader"),
        ("os._exit(0)", "breaks_reader"),
        ("bytearray(8 << 30)", "damaged"),  # MemoryError: the limit of address space
        ("sys.setrecursionlimit(100); read(path, out, **more)", "damaged"),
        ("open(path.with_name('left'), 'wb').write(b'x' * 9_000_000)", "damaged"),  # nothing may be written
        ("confinement._limit(1 << 32, 0.2, can_write=False)\n    while True: pass", "takes_too_long"),
        ("time.sleep(60)", "takes_too_long"),
    ],
)
def test_a_reader_that_dies_or_hangs_is_a_refused_file(monkeypatch, tmp_path, what, code):
    monkeypatch.setattr(confined, "SILENT_S", 2.0)
    path = _run(monkeypatch, tmp_path, f"def read(path, out, **more):\n    {what}\n{_REPLACED}")
    with pytest.raises(UnreadableMedia) as refused, confined.open_media(path):
        pass
    assert refused.value.code == code and "trap.wav" in sentence(refused.value)
    left = tmp_path / "left"
    assert not left.exists() or left.stat().st_size == 0


def test_a_reader_has_limits_that_it_did_not_bring_along(monkeypatch, tmp_path):
    tell = (
        "limits = [resource.getrlimit(getattr(resource, 'RLIMIT_' + n))[0] for n in ('AS', 'FSIZE', 'CORE', 'CPU')]\n"
        "    raise confinement.RecitantError('told', limits=str(limits))"
    )
    path = _run(monkeypatch, tmp_path, f"def read(path, out, **more):\n    {tell}\n{_REPLACED}")
    with pytest.raises(RecitantError) as told, confined.open_media(path):
        pass
    space, written, core, seconds = json.loads(told.value.facts["limits"])
    assert space == 2 << 30 and written == core == 0 and 55 <= seconds <= 65
    assert resource.getrlimit(resource.RLIMIT_AS)[0] != space  # ours are untouched


def test_a_reader_knows_no_secret_of_ours(monkeypatch, tmp_path):
    monkeypatch.setenv("RECITANT_SECRET_KEY", "hidden")
    tell = "raise confinement.RecitantError('told', names=' '.join(sorted(os.environ)))"
    path = _run(monkeypatch, tmp_path, f"def read(path, out, **more):\n    {tell}\n{_REPLACED}")
    with pytest.raises(RecitantError) as told, confined.open_media(path):
        pass
    assert "PYTHONPATH" in told.value.facts["names"] and "RECITANT" not in told.value.facts["names"]


def test_a_reader_ends_with_whoever_asked(tmp_path):
    soundfile.write(tmp_path / "long.flac", np.zeros(48_000 * 600, np.int16), 48_000)
    program = f"""
import os, signal, subprocess
from pathlib import Path
from recitant_io.media.confined import open_media
with open_media(Path({str(tmp_path / "long.flac")!r})) as (facts, blocks):
    next(blocks)
    def children(of):
        return subprocess.run(["pgrep", "-P", str(of)], capture_output=True, text=True).stdout.split()
    forking = children(os.getpid())[0]
    print(forking, *children(forking), flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
"""
    ran = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, env=ENVIRONMENT, check=False)
    assert ran.returncode == -signal.SIGKILL
    numbers, ends_at = ran.stdout.split(), time.monotonic() + 10
    assert len(numbers) == 2  # the process that forks, and the reader
    for reader in (Path(f"/proc/{number}/stat") for number in numbers):
        while is_alive(reader) and time.monotonic() < ends_at:
            time.sleep(0.05)
        assert not is_alive(reader)


def is_alive(stat):
    try:
        return stat.read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


def test_readers_are_forked_by_one_process_and_it_comes_back(tmp_path):
    soundfile.write(tmp_path / "tone.wav", np.zeros((4_800, 2)), 48_000)
    confined.probe(tmp_path / "tone.wav")
    first = confined._forks._process
    confined.probe(tmp_path / "tone.wav")
    assert confined._forks._process is first
    first.kill()  # as it ends by itself after a quiet minute, but while the next request is on its way
    with confined.open_media(tmp_path / "tone.wav") as (_facts, blocks):
        assert sum(map(len, blocks)) == 4_800
    assert confined._forks._process is not first


def test_readers_outlive_the_thread_that_began(tmp_path):
    soundfile.write(tmp_path / "long.flac", np.zeros(48_000 * 600, np.int16), 48_000)
    confined._forks.close()
    with ThreadPoolExecutor(1) as pool:
        pool.submit(confined.probe, tmp_path / "long.flac").result()
        with confined.open_media(tmp_path / "long.flac") as (_facts, blocks):
            next(blocks)
            pool.shutdown()  # the thread that started the process that forks is gone
            time.sleep(0.2)
            assert sum(map(len, blocks)) > 48_000 * 500


def test_many_read_at_once(tmp_path):
    for number in range(12):
        soundfile.write(tmp_path / f"{number}.wav", np.full((4_800 + number, 1), 0.01 * number), 48_000)

    def read(number):
        with confined.open_media(tmp_path / f"{number}.wav") as (_facts, blocks):
            return len(np.concatenate(list(blocks)))

    with ThreadPoolExecutor(12) as pool:
        assert list(pool.map(read, range(12))) == [4_800 + number for number in range(12)]


def test_a_reader_is_ended_when_nobody_wants_the_rest(tmp_path):
    soundfile.write(tmp_path / "long.flac", np.zeros(48_000 * 600, np.int16), 48_000)

    def stop(share):
        if share > 0.1:
            raise Cancelled("cancelled")

    with pytest.raises(Cancelled):
        conform(tmp_path / "long.flac", tmp_path / "store", stop)
    assert list((tmp_path / "store").iterdir()) == []


def test_what_is_read_in_a_child_is_what_would_be_read_here(tmp_path):
    (tmp_path / "seeds").mkdir()
    for name in make_seeds(tmp_path / "seeds"):
        path = tmp_path / "seeds" / name
        assert confined.probe(path) == probe(path), name
        try:
            with open_here(path) as (facts, blocks):
                here = np.concatenate(list(blocks))
        except UnreadableMedia as error:
            with pytest.raises(UnreadableMedia) as refused, confined.open_media(path):
                pass
            assert (refused.value.code, refused.value.facts) == (error.code, error.facts)
            continue
        with confined.open_media(path) as (confined_facts, blocks):
            there = np.concatenate(list(blocks))
        assert confined_facts == facts and confined_facts.layout is facts.layout
        assert np.array_equal(here, there), name


def test_names_that_are_no_text_come_through(tmp_path):
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\xff \xe9.wav"))
    soundfile.write(os.fsencode(path), np.zeros((480, 1)), 48_000, format="WAV")
    with confined.open_media(path) as (facts, _blocks):
        assert facts.length_frames == 480
    path.write_bytes(b"no sound" * 100)
    with pytest.raises(UnreadableMedia) as refused, confined.open_media(path):
        pass
    assert refused.value.facts["file"] == path.name


def test_names_of_microphones_come_through(tmp_path):
    audio = np.zeros((48_000, 4), np.float32)
    audio[:, 1] = 0.1
    soundfile.write(tmp_path / "field.wav", audio, 48_000)
    here, there = recorder_file(tmp_path / "field.wav"), confined.recorder_file(tmp_path / "field.wav")
    assert there.names == here.names and there.sounding == here.sounding == (1,)


# Length and room.


def flac_that_says(path, n_frames):
    """A short FLAC file whose header announces another length."""
    soundfile.write(path, np.zeros((48_000, 2)), 48_000, format="FLAC")
    data = bytearray(path.read_bytes())
    # STREAMINFO: 36 bits of length after rate, channels and depth. Source: RFC 9639, 8.2.
    fields = struct.unpack(">Q", data[18:26])[0]
    data[18:26] = struct.pack(">Q", fields & ~((1 << 36) - 1) | n_frames)
    path.write_bytes(data)
    return path


def test_a_day_of_silence_is_refused_at_once_and_the_limit_is_said(tmp_path):
    path = flac_that_says(tmp_path / "day.flac", 24 * 3600 * 48_000)
    with pytest.raises(UnreadableMedia) as refused, confined.open_media(path):
        pass
    assert refused.value.code == "too_long"
    assert "24 hours" in sentence(refused.value) and "12" in sentence(refused.value)


def test_length_counts_that_was_not_announced(monkeypatch, tmp_path):
    monkeypatch.setattr(decode, "MOST_S", 2)
    path = tmp_path / "tone.aac"
    with av.open(str(path), "w", format="adts") as file:
        stream = file.add_stream("aac", rate=48_000)
        stream.layout = "mono"
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 48_000 * 4), np.float32), "fltp", "mono")
        frame.sample_rate = 48_000
        for packet in (*stream.encode(frame), *stream.encode(None)):
            file.mux(packet)
    monkeypatch.setattr(decode, "_announced_s", lambda *_: None)
    with pytest.raises(UnreadableMedia) as refused, open_here(path) as (_facts, blocks):
        list(blocks)
    assert refused.value.code == "too_long"


def _with_free(monkeypatch, free_bytes):
    real = storage.shutil.disk_usage("/")
    monkeypatch.setattr(storage.shutil, "disk_usage", lambda _: real._replace(free=free_bytes()))


def test_room_is_asked_for_by_the_length_that_a_file_announces(monkeypatch, tmp_path):
    """45 kB that say 50 minutes are 1.15 GB of samples."""
    path = flac_that_says(tmp_path / "bomb.flac", 50 * 60 * 48_000)
    _with_free(monkeypatch, lambda: 1_000_000_000)
    with pytest.raises(StorageFull) as refused:
        conform(path, tmp_path / "store")
    assert "1.4 GB" in sentence(refused.value) and list((tmp_path / "store").iterdir()) == []


def test_room_is_looked_at_while_a_copy_is_written(monkeypatch, tmp_path):
    soundfile.write(tmp_path / "long.flac", np.zeros(48_000 * 600, np.int16), 48_000)
    looks = []
    _with_free(monkeypatch, lambda: looks.append(1) or (1 << 30 if len(looks) < 3 else 1_000_000))
    with pytest.raises(StorageFull):
        conform(tmp_path / "long.flac", tmp_path / "store")
    assert len(looks) == 3 and list((tmp_path / "store").iterdir()) == []


# Files that name other files and addresses, under every ending that the library knows.


class Watch:
    """Whether a file was opened by anybody, as the system tells. Source: inotify(7)."""

    _OPENED = 0x20

    def __init__(self, path):
        libc = ctypes.CDLL(None, use_errno=True)
        self._descriptor = libc.inotify_init1(os.O_NONBLOCK)
        assert libc.inotify_add_watch(self._descriptor, os.fsencode(path), self._OPENED) > 0

    def was_opened(self):
        try:
            return bool(os.read(self._descriptor, 4096))
        except BlockingIOError:
            return False


def _contents(outside, address):
    sdp = "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 9000 RTP/AVP 0\n"
    head = "#EXTM3U\n#EXT-X-VERSION:3\n#EXT-X-TARGETDURATION:1\n#EXTINF:1.0,\n"
    yield from (f"{head}{target}\n#EXT-X-ENDLIST\n" for target in (outside, f"file://{outside}", address, outside.name))
    yield from (f"ffconcat version 1.0\nfile '{target}'\n" for target in (outside, address, outside.name))
    yield from (f"{target}\n" for target in (outside, f"RTSPtextrtsp://{address[7:]}", f"[playlist]\nFile1={address}"))
    url = f"<BaseURL>{address}/a.wav</BaseURL>"
    yield (
        f'<?xml version="1.0"?><MPD type="static"><Period><AdaptationSet><Representation id="1" bandwidth="1">{url}'
        "</Representation></AdaptationSet></Period></MPD>"
    )
    yield (
        '<?xml version="1.0"?><AssetMap xmlns="http://www.smpte-ra.org/schemas/429-9/2007/AM"><AssetList><Asset>'
        f"<Id>urn:uuid:1</Id><ChunkList><Chunk><Path>{outside}</Path></Chunk></ChunkList></Asset></AssetList></AssetMap>"
    )
    yield f'<smil><body><audio src="{address}/a.wav"/></body></smil>'
    yield f"amovie={outside}\n"
    yield f'import sys\nclip = AVISource("{outside}")\n'
    yield sdp


def test_no_ending_and_no_content_opens_another_file_or_address(tmp_path, listener):
    address, asked = listener
    outside = tmp_path / "outside.wav"
    soundfile.write(outside, np.zeros(4_800), 48_000)
    watch = Watch(outside)
    demuxers = [av.format.ContainerFormat(name, "r") for name in sorted(av.formats_available) if _reads(name)]
    endings = sorted(
        {ending for demuxer in demuxers for ending in demuxer.extensions} | {"wav", "mov", "jpg", "%03d.png"}
    )
    assert len(demuxers) > 200 and len(endings) > 150
    for ending in endings:
        for content in _contents(outside, address):
            path = tmp_path / f"list.{ending}"
            path.write_text(content)
            for door in (_decoded, probe, recorder_file):
                try:
                    door(path)
                except UnreadableMedia:
                    continue
            path.unlink()
    assert not watch.was_opened() and asked == []
    outside.open("rb").close()
    assert watch.was_opened()  # or the watch would have told nothing


def test_no_demuxer_that_opens_more_than_its_file_is_among_those_in_use():
    openers = {
        "concat",
        "dash",
        "hls",
        "imf",
        "image2",
        "sdp",
        "rtsp",
        "rtp",
        "lavfi",
        "applehttp",
        "webm_dash_manifest",
        "tee",
        "avs",
        "vapoursynth",
    }
    assert not openers & set(_DEMUXERS)
    known = set(av.formats_available)
    assert {name for name in _DEMUXERS if name not in known and not any(name in k.split(",") for k in known)} == set()


def test_every_door_of_a_picture_refuses_a_list(tmp_path, listener):
    address, asked = listener
    outside = film(tmp_path / "outside.mp4")
    watch = Watch(outside)
    for number, content in enumerate(_contents(outside, address)):
        path = tmp_path / f"list-{number}.mp4"
        path.write_text(content)
        assert confined.probe(path).picture is None
        for work in (
            lambda path: make_proxy(path, tmp_path / "light.mp4", Fraction(25)),
            lambda path: make_still(path, tmp_path / "still.jpg"),
        ):
            with pytest.raises(UnreadableMedia):
                work(path)
    assert not watch.was_opened() and asked == []
    assert not (tmp_path / "light.mp4").exists() and not list(tmp_path.glob("*.part*"))


def _decoded(path):
    with open_here(path) as (_facts, blocks):
        list(blocks)


def _reads(name):
    try:
        av.format.ContainerFormat(name, "r")
    except ValueError:
        return False
    return True


def test_limits_of_pictures_are_wider_than_those_of_sound():
    assert confinement._OPERATIONS["proxy"][1] > confinement._OPERATIONS["decode"][1]
