"""Benchmarks of deliveries and exact verdicts: an hour on one core and on all, and memory over three hours."""

import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from recitant_cli.bench_chains import whole_chain
from recitant_cli.bench_parts import Loop, Row, long_programme
from recitant_core.delivery.fitting.trial import render_once
from recitant_core.delivery.orders.orders import Order
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import ROLES
from recitant_core.units.threads import use_threads
from recitant_io.delivery.delivery import deliver
from recitant_io.media.machine import n_cores
from recitant_io.store.premaster import premaster

_SPECS = ("ebu-r128", "online-14")


def four_tracks(minutes: int) -> tuple[Plan, dict[str, Loop]]:
    """A track of each role through the whole chain, a recording each, and those recordings."""
    n = minutes * 60 * RATE_HZ
    sources = {role.value: Loop(f"delivery {role}", long_programme(60, i), n) for i, role in enumerate(ROLES)}
    tracks = tuple(
        Track(role.value, role.value, role, -9.0, clips=(Clip(role, role.value, 0, 0, n),), chain=whole_chain())
        for role in ROLES
    )
    return Plan("delivery", "25", tracks), sources


def delivery_s(minutes: int, threads: int) -> tuple[float, bool]:
    """Seconds for two specifications with stems, and whether both pass."""
    plan, sources = four_tracks(minutes)
    use_threads(threads)
    forget_segments()
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        done = deliver(plan, sources, [Order(spec_by_id(spec_id)) for spec_id in _SPECS], Path(folder))
        took = time.perf_counter() - began
    use_threads(1)
    return took, all(one.verdict.is_passed for one in done)


def delivery() -> list[Row]:
    """Rows on deliveries of an hour, on one core and on two."""
    one, is_passed = delivery_s(60, 1)
    two, _ = delivery_s(60, min(2, n_cores()))
    name = "Delivery of 60 minutes, 4 tracks with whole chains, 2 specifications with stems"
    return [
        Row(f"{name}, one core", "3 min", f"{one:.0f} s", is_passed and one <= 180),
        Row(f"{name}, two cores", "1 min 40 s", f"{two:.0f} s, {one / two:.1f} times sooner", two <= 100),
    ]


def verdict() -> list[Row]:
    """Row on the exact verdict of an hour after an edit."""
    plan, sources = four_tracks(60)
    times = {}
    for threads in (1, min(2, n_cores())):
        use_threads(threads)
        # An edit of one track: everything is rendered again, nothing of the other tracks is kept.
        edited = replace(plan, tracks=(replace(plan.tracks[0], gain_db=-8.0), *plan.tracks[1:]))
        forget_segments()
        with tempfile.TemporaryDirectory() as folder, premaster(Path(folder), plan.layout) as store:
            began = time.perf_counter()
            render_once(edited, sources, store)
            times[threads] = time.perf_counter() - began
    use_threads(1)
    one, most = times[1], times[max(times)]
    name = "Exact verdict of 60 minutes, 4 tracks with whole chains, after an edit of one track"
    return [Row(name, "15 s", f"{one:.0f} s on one core, {most:.0f} s on two", most <= 15)]


def memory() -> list[Row]:
    """Row on the memory that a delivery of three hours takes."""
    code = "from recitant_cli.bench_delivery import measure_memory; measure_memory()"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    megabytes = float(done.stdout.split()[-1])
    name = "Memory while a 3-hour programme is rendered, limited, measured and delivered to two specifications"
    return [Row(name, "under 700 MB", f"{megabytes:.0f} MB", megabytes < 700)]


def measure_memory() -> None:
    """In a process of its own: the peak of its memory in MB, printed."""
    import resource

    from recitant_io.media.machine import keep_freed_memory

    keep_freed_memory()
    delivery_s(180, min(2, n_cores()))
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
