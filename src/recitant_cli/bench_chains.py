"""Time of chains: the whole chain on twelve tracks against ffmpeg's filters on the same audio in the same run."""

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np

from recitant_core.measure.running import LEAD_SAMPLES, running_readings
from recitant_core.ports import SampleSource
from recitant_core.processors.dynamics import gains_db, level_dbfs
from recitant_core.processors.model import Chain, Processor
from recitant_core.render.mix import render_output, render_segments
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import ROLES
from recitant_core.units.threads import use_threads
from recitant_io.media.machine import n_cores

_N_TRACKS = 12
_FRAMES = 4_096


def whole_chain(threshold_dbfs: float = -26.0) -> Chain:
    """High-pass, four bands, gate, compressor and de-esser, all at work."""
    bands: dict[str, float | str] = {}
    for i, (freq_hz, gain_db, q) in enumerate(((120, -3, 1.0), (330, -5, 4.2), (3000, 2.5, 1.0), (9000, 2, 0.8)), 1):
        bands |= {f"band{i}_shape": "bell", f"band{i}_freq_hz": float(freq_hz)}
        bands |= {f"band{i}_gain_db": float(gain_db), f"band{i}_q": q}
    return (
        Processor("high-pass"),
        Processor("equaliser").with_values(**bands),
        Processor("gate").with_values(threshold_dbfs=-48.0),
        Processor("compressor").with_values(threshold_dbfs=threshold_dbfs),
        Processor("de-esser"),
    )


def plan_with_chains(n_samples: int) -> Plan:
    """Twelve tracks of one recording each, source keys "0" to "11", every one through the whole chain."""
    roles = list(ROLES)
    tracks = tuple(
        Track(
            str(i),
            f"track {i}",
            roles[i % 4],
            -12.0,
            clips=(Clip(str(i), str(i), 0, 0, n_samples),),
            chain=whole_chain(),
        )
        for i in range(_N_TRACKS)
    )
    return Plan("chains", "25", tracks, master=Master(3.0, -1.0))


def ours_s(plan: Plan, sources: dict) -> float:  # type: ignore[type-arg]
    """Seconds to render all of a plan, nothing kept from before."""
    forget_segments()
    began = time.perf_counter()
    for _segment in render_segments(plan, sources):
        pass
    return time.perf_counter() - began


def ffmpegs_s(audio: list[Audio]) -> float:
    """Seconds that libavfilter's graph of the same kind takes for the same tracks."""
    graph = av.filter.Graph()
    graph.threads = 1
    mixer = graph.add("amix", f"inputs={len(audio)}:normalize=0")
    entries = []
    for index in range(len(audio)):
        entry = graph.add_abuffer(sample_rate=RATE_HZ, format="flt", layout="stereo", time_base=Fraction(1, RATE_HZ))
        last = entry
        for name, arguments in (
            ("highpass", "f=80"), ("equalizer", "f=120:t=q:w=1:g=-3"), ("equalizer", "f=330:t=q:w=4.2:g=-5"),
            ("equalizer", "f=3000:t=q:w=1:g=2.5"), ("equalizer", "f=9000:t=q:w=0.8:g=2"),
            ("agate", "threshold=0.004:range=0.03:attack=1:release=200"),
            ("acompressor", "threshold=0.05:ratio=3:attack=12:release=150:knee=2"),
            ("deesser", "i=0.4"),
        ):  # fmt: skip
            node = graph.add(name, arguments)
            last.link_to(node)
            last = node
        last.link_to(mixer, 0, index)
        entries.append(entry)
    limiter = graph.add("alimiter", "limit=0.89")
    mixer.link_to(limiter)
    end = graph.add("abuffersink")
    limiter.link_to(end)
    graph.configure()
    began = time.perf_counter()
    for start in range(0, len(audio[0]), _FRAMES):
        for entry, samples in zip(entries, audio, strict=True):
            part = np.ascontiguousarray(samples[start : start + _FRAMES]).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(part, format="flt", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = RATE_HZ, start, Fraction(1, RATE_HZ)
            entry.push(frame)
        _drain(end)
    for entry in entries:
        entry.push(None)
    _drain(end)
    return time.perf_counter() - began


def _drain(end: "av.filter.context.FilterContext") -> None:
    while True:
        try:
            end.pull()
        except (av.error.BlockingIOError, av.error.EOFError):
            return


def moved_parameter_s(plan: Plan, sources: dict) -> tuple[list[float], dict[int, list[float]]]:  # type: ignore[type-arg]
    """Seconds from a changed threshold to the next second of sound with its readings.

    Returns:
        Where it was playing, on one core; where nobody has been, by the number of cores.
    """
    near: list[float] = []
    cold: dict[int, list[float]] = {}
    for threads in (1, min(2, n_cores())):
        forget_segments()
        use_threads(threads)
        for place in np.linspace(0.02, 0.97, 7):
            span = SampleSpan(int(place * plan.span.length_samples) + 7, RATE_HZ)
            heard: list[Audio] = []
            began = time.perf_counter()
            heard.append(render_output(plan, sources, span.widen(LEAD_SAMPLES, 0)))
            running_readings(heard[0], plan.layout)
            cold.setdefault(threads, []).append(time.perf_counter() - began)
            if threads == 1:
                # The meters go on from what was heard before the threshold moved.
                tracks = (replace(plan.tracks[0], chain=whole_chain(-31.0)), *plan.tracks[1:])
                near.append(_once(lambda t=tracks, s=span, h=heard[0]: _next(replace(plan, tracks=t), sources, s, h)))  # type: ignore[misc]
    use_threads(1)
    return near, cold


def _next(plan: Plan, sources: dict, span: SampleSpan, heard: Audio) -> None:  # type: ignore[type-arg]
    running_readings(np.concatenate([heard[:LEAD_SAMPLES], render_output(plan, sources, span)]), plan.layout)


def redrawn_s(source: SampleSource) -> float:
    """Seconds from a moved threshold to the gain reduction of a whole recording, its levels being known."""
    power = np.zeros(1)
    spans = SampleSpan(0, source.length_samples).blocks(16 * RATE_HZ)
    level = np.concatenate([level_dbfs(source.read(s.start_sample, s.length_samples), "rms", power) for s in spans])
    return min(_once(lambda t=t: gains_db(whole_chain(t)[3], level, 0)) for t in (-30.0, -20.0))  # type: ignore[misc]


def median_ms(times: list[float]) -> float:
    """The middle of some times, in milliseconds."""
    return 1000 * statistics.median(times)


def _once(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
