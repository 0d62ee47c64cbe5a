"""Time and memory of the main work, each as a ratio to a reference of the same run; written to docs/benchmarks.md."""

import math
import os
import platform
import statistics
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyebur128
import soundfile
import soxr

from recitant_cli.bench_balance import first_balance_of_an_hour, following, two_clearances
from recitant_cli.bench_chains import (
    ffmpegs_s,
    median_ms,
    moved_parameter_s,
    ours_s,
    plan_with_chains,
    redrawn_s,
)
from recitant_cli.bench_delivery import delivery, memory, verdict
from recitant_cli.bench_files import files, memory_of_files
from recitant_cli.bench_parts import ROOT, Loop, Row, best_s, long_programme
from recitant_core.dsp.lanes import widest
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.intake.checks import findings_of
from recitant_core.intake.evidence import gather
from recitant_core.measure.meter import MeterState, Readings, feed_meter, read_meter
from recitant_core.measure.running import LEAD_SAMPLES, running_readings
from recitant_core.measure.true_peak import true_peak_factor
from recitant_core.render.mix import render_output, render_segments
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from recitant_core.units.threads import use_threads
from recitant_io.hearing.speech import model_probabilities
from recitant_io.media.machine import keep_freed_memory
from recitant_io.plan.warm import warm_kernels
from recitant_io.store.conform import conform

_CHUNK = 10 * RATE_HZ
_PAGE = ROOT / "docs" / "benchmarks.md"
_SPEECH_SECTION = "<!-- speech -->"


def run(*, only: str | None, write: bool) -> int:
    """Run all benchmarks, or the one named; print a table; exit 0 when all are met, 1 when one is missed."""
    keep_freed_memory()
    use_threads(1)
    warm_kernels()
    rows: list[Row] = []
    for benchmark in _BENCHMARKS:
        name = benchmark.__name__.strip("_")
        if only is None or only == name:
            for row in benchmark():
                rows.append(row)
                print(
                    f"{'met   ' if row.is_met else 'MISSED'}  {row.name}: {row.reached}  (asked: {row.asked})",
                    flush=True,
                )
    if write:
        _PAGE.write_text(_page(rows), encoding="utf-8")
    return 0 if rows and all(row.is_met for row in rows) else 1


def _ours(audio: Audio) -> Readings:
    state = MeterState.at_rest(STEREO)
    for start in range(0, len(audio), _CHUNK):
        state = feed_meter(audio[start : start + _CHUNK], state)
    return read_meter(state)


def _reference(audio: Audio) -> tuple[float, float, float]:
    mode = pyebur128.MeasurementMode
    flags = mode.MODE_M | mode.MODE_S | mode.MODE_I | mode.MODE_LRA | mode.MODE_TRUE_PEAK
    state = pyebur128.R128State(2, RATE_HZ, flags)
    flat = audio.ravel()
    for start in range(0, len(audio), _CHUNK):
        part = flat[2 * start : 2 * (start + _CHUNK)]
        state.add_frames(part, len(part) // 2)
    peak = max(pyebur128.get_true_peak(state, channel) for channel in (0, 1))
    return pyebur128.get_loudness_global(state), pyebur128.get_loudness_range(state), 20 * math.log10(peak)


def _measurement() -> list[Row]:
    audio = long_programme(600)
    ours_s, theirs_s = best_s(lambda: _ours(audio)), best_s(lambda: _reference(audio), 2)
    readings, (loudness, _, _) = _ours(audio), _reference(audio)
    apart = abs((readings.integrated_lufs or 0.0) - loudness)
    ratio = theirs_s / ours_s
    return [
        Row(
            "Full measurement of 10 minutes stereo, one core, against libebur128 with true peak",
            "at least 15 times as fast",
            f"{ratio:.1f} times ({600 / ours_s:.0f} against {600 / theirs_s:.0f} times real time)",
            ratio >= 15,
        ),
        Row("Integrated loudness against libebur128", "within 0.001 LU", f"{apart:.1e} LU apart", apart <= 0.001),
    ]


def _true_peak() -> list[Row]:
    worst = 0.0
    n = RATE_HZ // 2
    ramp = np.minimum(1.0, np.minimum(np.arange(n), np.arange(n)[::-1]) / 2_400)
    for freq_hz in (1_000, 5_000, 12_000, 16_000, 18_000, 19_000, 20_000):
        for phase in np.linspace(0, np.pi, 16):
            wave = 0.5 * ramp * np.sin(2 * np.pi * freq_hz * np.arange(n) / RATE_HZ + phase)
            reading = 20 * math.log10(true_peak_factor(wave.astype(np.float32)[:, None]) / 0.5)
            worst = max(worst, abs(reading))
    return [Row("True peak of sines to 20 kHz, any phase", "within 0.1 dB", f"{worst:.3f} dB", worst <= 0.1)]


def _limiter() -> list[Row]:
    worst = -math.inf
    n = 4 * RATE_HZ
    t = np.arange(n)
    signals = {
        "programme": long_programme(4) * np.float32(6),
        "12 kHz": (1.5 * np.sin(2 * np.pi * 12_000 * t / RATE_HZ + 0.7)).astype(np.float32)[:, None],
        "20 kHz": (1.5 * np.sin(2 * np.pi * 20_000 * t / RATE_HZ)).astype(np.float32)[:, None],
        "square bursts": (np.sign(np.sin(2 * np.pi * 90 * t / RATE_HZ)) * (t // 9_600 % 2)).astype(np.float32)[:, None],
    }
    for audio in signals.values():
        around = ((BEFORE_SAMPLES, AFTER_SAMPLES), (0, 0))
        limited, _ = limit(np.pad(audio, around), -3.0)
        at_16x = soxr.resample(np.pad(limited.astype(np.float64), ((4_800, 4_800), (0, 0))), 1, 16, quality="VHQ")
        worst = max(worst, 20 * math.log10(float(np.abs(at_16x).max())) + 3.0)
    name = "Limiter over its ceiling, read at 16 times (programme, sines, square bursts)"
    return [Row(name, "at most 0.1 dB", f"{worst:+.3f} dB", worst <= 0.1)]


def _plan_of_12(seconds: int) -> tuple[Plan, dict[str, Loop]]:
    roles = [Role.DIALOGUE] * 4 + [Role.MUSIC] * 2 + [Role.EFFECTS] * 4 + [Role.ATMOSPHERE] * 2
    length = seconds * RATE_HZ
    sources = {str(i): Loop(str(i), long_programme(60, i, 1 if i < 4 else 2), length) for i in range(12)}
    tracks = tuple(
        Track(str(i), f"t{i}", role, -9.0, 0.0, (Clip(str(i), str(i), 0, 0, length, 0.0, 48_000, 48_000),))
        for i, role in enumerate(roles)
    )
    return Plan("bench", "25", tracks), sources


def _mix() -> list[Row]:
    plan, sources = _plan_of_12(600)

    def mix() -> None:
        for _ in render_segments(plan, sources):
            pass

    speed = 600 / best_s(mix, 2)
    return [Row("Mix of 12 tracks, no processors, one core", "150 times real time", f"{speed:.0f} times", speed >= 150)]


def _change_heard() -> list[Row]:
    plan, sources = _plan_of_12(3_600)
    times: dict[str, float] = {}
    for name, master in (("as balanced", Master()), ("limited", Master(9.0, -1.0))):
        worst = 0.0
        for index in range(6):
            changed = replace(plan, master=master, stem_gains_db={Role.MUSIC: -float(index)})
            span = SampleSpan((3_540 - index * 500) * RATE_HZ, RATE_HZ).widen(LEAD_SAMPLES, 0)
            began = time.perf_counter()
            running_readings(render_output(changed, sources, span), changed.layout)
            worst = max(worst, time.perf_counter() - began)
        times[name] = worst * 1_000
    reached = ", ".join(f"{name} {ms:.0f} ms" for name, ms in times.items())
    name = "Next block of 1 s with its readings after a change, 12 tracks of 60 minutes, worst of 6 places"
    return [Row(name, "under 150 ms", reached, max(times.values()) < 150)]


def _chains() -> list[Row]:
    seconds = 120
    audio = [long_programme(60, seed) for seed in range(12)]
    plan = plan_with_chains(seconds * RATE_HZ)
    sources = {str(i): Loop(f"chains {i}", one, seconds * RATE_HZ) for i, one in enumerate(audio)}
    ours_s(plan_with_chains(4 * RATE_HZ), sources)
    # In pairs: the machine is as quick for the one as for the other.
    pairs = [
        (seconds / ours_s(plan, sources), 15 / ffmpegs_s([one[: 15 * RATE_HZ] for one in audio])) for _ in range(7)
    ]
    ours, ratio = statistics.median(a for a, _ in pairs), statistics.median(a / b for a, b in pairs)
    hour = plan_with_chains(3_600 * RATE_HZ)
    looped = {str(i): Loop(f"chains {i}", one, 3_600 * RATE_HZ) for i, one in enumerate(audio)}
    near, cold = moved_parameter_s(hour, looped)
    redrawn = redrawn_s(looped["0"])
    asked_speed, asked_ratio = (150, 10) if widest() == 8 else (110, 8)
    name = "Whole chain (high-pass, 4 bands, gate, compressor, de-esser) on 12 tracks, master limiter"
    speed = f"{ours:.0f} times, at best {max(a for a, _ in pairs):.0f}"
    moved = f"{median_ms(near):.0f} ms in the middle, {1000 * max(near):.0f} at most"
    first = ", ".join(
        f"{median_ms(took):.0f} ms in the middle, {1000 * max(took):.0f} at most on {threads} core{'s' * (threads > 1)}"
        for threads, took in cold.items()
    )
    others = "ffmpeg's filters in frames of 4,096 (dynamics at every sample, another de-esser, no true-peak limiter)"
    where = "12 tracks of 60 minutes with chains"
    return [
        Row(f"{name}, one core", f"{asked_speed} times real time", speed, ours >= asked_speed),
        Row(f"{name}, against {others}", f"{asked_ratio} times", f"{ratio:.1f} times", ratio >= asked_ratio),
        Row(f"A threshold moved, {where}: the next second", "40 ms", moved, statistics.median(near) <= 0.04),
        Row(f"The first second where nobody has been, {where}", "300 ms", first, max(cold[max(cold)]) <= 0.3),
        Row("Gain reduction of 60 minutes redrawn", "under 1 s", f"{redrawn:.2f} s", redrawn < 1.0),
    ]


def _ingest() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.wav"
        minute = long_programme(60)
        with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_24") as file:
            for _ in range(60):
                file.write(minute)
        began = time.perf_counter()
        conform(path, Path(folder) / "c")
        took = time.perf_counter() - began
    return [Row("60 minutes stereo WAV (24 bit) taken in", "under 20 s", f"{took:.1f} s", took < 20)]


def _findings() -> list[Row]:
    audio = long_programme(600)
    source = Loop("ten minutes", np.concatenate([audio, audio[:RATE_HZ]]), len(audio))
    gather(Loop("warm", audio, 10 * RATE_HZ))
    began = time.perf_counter()
    findings_of(gather(source), None, source, "WAV PCM_24", RATE_HZ)
    took = time.perf_counter() - began
    name = "Findings of 10 minutes stereo after decoding (those that need no speech)"
    return [Row(name, "under 3 s", f"{took:.1f} s", took < 3.0)]


def _speech() -> list[Row]:
    audio = long_programme(120, n_channels=1)
    source = Loop("two minutes", np.concatenate([audio, audio[:RATE_HZ]]), len(audio))
    began = time.process_time()
    model_probabilities(source)
    times = 120 / (time.process_time() - began)
    return [
        Row("Speech activity by the model, mono, one core", "25 times real time", f"{times:.0f} times", times >= 25)
    ]


_BENCHMARKS = (
    _measurement,
    _true_peak,
    _limiter,
    _mix,
    _change_heard,
    _chains,
    _ingest,
    _findings,
    _speech,
    following,
    first_balance_of_an_hour,
    two_clearances,
    delivery,
    verdict,
    memory,
    files,
    memory_of_files,
)


def _page(rows: list[Row]) -> str:
    memory_gb = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e9
    model = next(
        (
            line.split(":", 1)[1].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if "model name" in line
        ),
        platform.machine(),
    )
    speech = ""
    before = _PAGE.read_text(encoding="utf-8") if _PAGE.exists() else ""
    if _SPEECH_SECTION in before:
        speech = _SPEECH_SECTION + before.split(_SPEECH_SECTION, 1)[1].rstrip("\n")
    # Rows that were not measured this time stay as they were, in their place.
    lines_now = {_name(line): line for line in before.splitlines() if line.endswith(("| met |", "| **missed** |"))}
    fresh = (f"| {row.name} | {row.asked} | {row.reached} | {'met' if row.is_met else '**missed**'} |" for row in rows)
    lines_now |= {_name(line): line for line in fresh}
    lines = [
        "# Benchmarks",
        "",
        "Written by `./recitant bench [--only NAME] --write`; references are measured in the same run.",
        "Audio: the demo's spoken takes over a bed of shaped noise; references are general-purpose libraries.",
        "",
        f"Machine: {model}, {os.cpu_count()} cores, {memory_gb:.0f} GB, Python {platform.python_version()};",
        f"compiled loops use vectors of {widest()} doubles.",
        "",
        "| what | asked | reached | |",
        "| --- | --- | --- | --- |",
        *lines_now.values(),
        "",
        "How cost grows with minutes and clips, [in figures](benchmarks-growth.md); others: "
        "[pages](benchmarks-pages.md), [answers of the server](benchmarks-answers.md).",
        "",
        "![Cost by minutes of programme and by clips](benchmarks-growth.svg)",
        "",
        speech or "Speech activity on recorded speech: `./recitant bench speech --write`.",
        "",
    ]
    return "\n".join(lines)


def _name(line: str) -> str:
    return line.split("|")[1].strip()
