"""Benchmarks of everything that a delivery can hold: how much longer it takes than its WAV files alone."""

import resource
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from recitant_cli.bench_parts import Loop, Row, long_programme
from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_core.units.threads import use_threads
from recitant_io.delivery.delivery import deliver
from recitant_io.delivery.planned import Origin
from recitant_io.formats.film import FilmWanted, write_film
from recitant_io.formats.film_tracks import FilmSound
from recitant_io.media.machine import keep_freed_memory, n_cores

_SPECS = ("ebu-r128", "online-14")
_ROLES = (Role.NARRATION, Role.DIALOGUE, Role.MUSIC, Role.EFFECTS)
_WAV = Wanted(("mix", "stems"))
_EVERYTHING = Wanted(("mix", "stems", "film"), (("m4a", None),))
_RATE = Fraction(25)
_TURN_FRAMES = 250


def plain_tracks(minutes: int) -> tuple[Plan, dict[str, Loop]]:
    """Four tracks of a stem each without processors, and their recordings."""
    n = minutes * 60 * RATE_HZ
    sources = {role.value: Loop(f"files {role}", long_programme(60, k), n) for k, role in enumerate(_ROLES)}
    tracks = tuple(
        Track(role.value, role.value, role, -9.0, clips=(Clip(role, role.value, 0, 0, n),)) for role in _ROLES
    )
    return Plan("files", "25", tracks), sources


def long_picture(path: Path, minutes: int) -> Path:
    """A film of about 4 Mbit/s without sound: ten seconds of moving noise, again and again."""
    turn = path.with_name("turn.mp4")
    rng = np.random.default_rng(1)
    with av.open(str(turn), "w") as film:
        stream = film.add_stream("libx264", rate=_RATE, options={"preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = 640, 360, "yuv420p", 4_000_000
        base = rng.integers(0, 255, (360, 640, 3), np.uint8)
        for number in range(_TURN_FRAMES):
            frame = av.VideoFrame.from_ndarray(np.roll(base, 3 * number, axis=1), format="rgb24")
            film.mux(stream.encode(frame.reformat(format="yuv420p")))
        film.mux(stream.encode(None))
    with av.open(str(turn)) as source, av.open(str(path), "w") as film:
        packets = [packet for packet in source.demux(source.streams.video[0]) if packet.size]
        copy = film.add_stream_from_template(source.streams.video[0])
        length = sum(packet.duration or 0 for packet in packets)
        times = [(packet.pts or 0, packet.dts or 0) for packet in packets]
        for turn_index in range(minutes * 60 * _RATE // _TURN_FRAMES):
            for packet, (pts, dts) in zip(packets, times, strict=True):
                packet.pts, packet.dts = pts + turn_index * length, dts + turn_index * length
                packet.stream = copy
                film.mux(packet)
    turn.unlink()
    return path


def _delivery_s(minutes: int, wanted: Wanted, film: FilmWanted | None) -> tuple[float, bool]:
    plan, sources = plain_tracks(minutes)
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        orders = [Order(spec_by_id(spec_id), wanted) for spec_id in _SPECS]
        done = deliver(plan, sources, orders, Path(folder), origin=Origin(film=film))
        took = time.perf_counter() - began
    copies = [file.decoded for one in done for file in one.files if file.decoded is not None]
    return took, all(one.verdict.is_passed for one in done) and all(found["passes"] for found in copies)


def files(minutes: int = 60) -> list[Row]:
    """WAV files alone, everything, and the picture's share, in one run."""
    use_threads(min(2, n_cores()))
    with tempfile.TemporaryDirectory() as folder:
        picture = long_picture(Path(folder) / "cut.mp4", minutes)
        wav_s, _ = _delivery_s(minutes, _WAV, None)
        all_s, passes = _delivery_s(minutes, _EVERYTHING, FilmWanted(picture, ".mp4"))
        picture_s = _picture_s(picture, minutes)
    use_threads(1)
    times = minutes * 60 / all_s
    name = f"{minutes} minutes, 4 stems without processors, 2 specifications with mix, stems, M4A and film, two cores"
    share = 100.0 * 2 * picture_s / all_s
    return [
        Row(name, "30 times real time", f"{times:.0f} times ({all_s:.0f} s)", passes and times >= 30.0),
        Row(f"{name}: against mix and stems as WAV", "1.4 times", f"{all_s / wav_s:.2f} times", all_s <= 1.4 * wav_s),
        Row(f"{name}: copying the picture", "under 10 %", f"{share:.1f} %", share < 10.0),
    ]


def _picture_s(picture: Path, minutes: int) -> float:
    """Seconds that a film takes longer than the same sound encoded without a picture, measured with silence."""
    import soundfile

    sound = picture.with_name("silence.wav")
    soundfile.write(sound, np.zeros((minutes * 60 * RATE_HZ, 2), np.float32), RATE_HZ, "PCM_24")
    began = time.perf_counter()
    write_film(picture, [FilmSound(sound)], picture.with_name("with.mp4"))
    with_s = time.perf_counter() - began
    began = time.perf_counter()
    with av.open(str(picture.with_name("without.mp4")), "w") as film:
        stream = film.add_stream("aac", rate=RATE_HZ, layout="stereo")
        stream.bit_rate = 320_000
        silence = np.zeros((2, RATE_HZ), np.float32)
        for second in range(minutes * 60):
            frame = av.AudioFrame.from_ndarray(silence, format="fltp", layout="stereo")
            frame.rate, frame.pts = RATE_HZ, second * RATE_HZ
            film.mux(stream.encode(frame))
        film.mux(stream.encode(None))
    return max(0.0, with_s - (time.perf_counter() - began))


def memory_of_files() -> list[Row]:
    """The peak of memory with everything written, in a process of its own."""
    code = "from recitant_cli.bench_files import measure_memory; measure_memory()"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    megabytes = float(done.stdout.split()[-1])
    return [Row("Memory meanwhile", "under 1 GB", f"{megabytes:.0f} MB", megabytes < 1_000)]


def measure_memory() -> None:
    """Peak of memory in MB, printed."""
    keep_freed_memory()
    use_threads(min(2, n_cores()))
    with tempfile.TemporaryDirectory() as folder:
        picture = long_picture(Path(folder) / "cut.mp4", 60)
        _delivery_s(60, _EVERYTHING, FilmWanted(picture, ".mp4"))
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
