"""How cost grows with minutes and clips: ./recitant bench growth. Writes docs/benchmarks-growth.md and its picture.

Not collected by the tests. Each line is one kind of work on programmes that differ in their size alone.
"""

import math
import time
from pathlib import Path

import pytest

from bench.answers import PAGES, asked_of
from bench.pages import film_of, no_jobs  # noqa: F401  a fixture
from recitant_cli.bench_delivery import delivery_s, four_tracks
from recitant_core.measure.meter import MeterState, feed_meter, read_meter
from recitant_core.render.mix import render_segments
from recitant_core.render.segments import forget_segments
from recitant_core.units.channels import STEREO
from recitant_io.media.machine import collect_rarely, keep_freed_memory

pytestmark = pytest.mark.django_db(transaction=True)
DOCS = Path(__file__).resolve().parents[2] / "docs"
MINUTES = (10, 30, 60, 180)
CLIPS = (10, 30, 100, 300, 1_000)
FILM_MINUTES, FILM_CLIPS = 90, 300
BLOCK = 480_000
WIDTH, HEIGHT, LEFT, FOOT = 420, 320, 52, 44
COLOURS = ("#b5542a", "#2f7f86", "#7a5aa8", "#8a7a1f", "#4f7f3a")
LINES: dict[str, dict[str, list[tuple[float, float]]]] = {"minutes": {}, "clips": {}}


def keep(axis, name, size, seconds):
    """A point of a line, printed as it comes."""
    LINES[axis].setdefault(name, []).append((size, seconds))
    print(f"{name}, {size} {axis}: {seconds:.3f} s", flush=True)


def spent_s(work):
    """Processor time of some work, in seconds."""
    began = time.process_time()
    work()
    return time.process_time() - began


def measured(source):
    """A whole recording through the meter."""
    state = MeterState.at_rest(STEREO)
    for start in range(0, source.length_samples, BLOCK):
        state = feed_meter(source.read(start, min(BLOCK, source.length_samples - start)), state)
    read_meter(state)


def rendered(plan, sources):
    """Four tracks through whole chains, nothing kept."""
    forget_segments()
    for _segment in render_segments(plan, sources):
        pass


def test_minutes_of_sound(media):
    keep_freed_memory()
    for minutes in (1, *MINUTES):
        plan, sources = four_tracks(minutes)
        meter_s = spent_s(lambda sources=sources: measured(sources["dialogue"]))
        render_s = spent_s(lambda plan=plan, sources=sources: rendered(plan, sources))
        if minutes == 1:
            continue  # loads what is compiled
        keep("minutes", "measurement", minutes, meter_s)
        keep("minutes", "render, 4 tracks with chains", minutes, render_s)
        keep("minutes", "delivery of it, 2 specifications, two cores", minutes, delivery_s(minutes, 2)[0])


@pytest.mark.parametrize("page", PAGES, ids=[page[0] for page in PAGES])
def test_answers(account, media, no_jobs, client, page):  # noqa: F811
    client.force_login(account[0])
    collect_rarely()
    name = f"edit answered, {page[0]}"
    for minutes in MINUTES:
        (edit_ms, _), *_ = asked_of(client, film_of(account, FILM_CLIPS, 12, minutes), page)
        keep("minutes", f"{name}, {FILM_CLIPS} clips", minutes, edit_ms / 1_000)
    for clips in CLIPS:
        (edit_ms, _), *_ = asked_of(client, film_of(account, clips, min(24, clips), FILM_MINUTES), page)
        keep("clips", name, clips, edit_ms / 1_000)


def test_write():
    assert all(LINES.values())
    panels = [panel(axis, index * WIDTH) for index, axis in enumerate(LINES)]
    size = f'width="{2 * WIDTH}" height="{HEIGHT + 90}"'
    (DOCS / "benchmarks-growth.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} font-family="sans-serif" font-size="11" fill="#888">\n'
        + "\n".join(panels)
        + "\n</svg>\n",
        encoding="utf-8",
    )
    head = [
        "# How cost grows",
        "",
        "Written by `./recitant bench growth`: processor time of one process, in seconds (of a delivery the time it",
        "takes on two cores). Both axes are logarithmic: a line that climbs as the dashed one does is proportional to",
        "the size, a level one does not hang on it. Edits are a gain of one clip and its answer:",
        f"by minutes with {FILM_CLIPS} clips, by clips over {FILM_MINUTES} minutes.",
        "",
        "![Cost by minutes of programme and by clips](benchmarks-growth.svg)",
        "",
    ]
    for axis, lines in LINES.items():
        sizes = [size for size, _ in next(iter(lines.values()))]
        head += [
            f"| {axis} | {' | '.join(map(str, sizes))} | grows as size to the |",
            "| --- " * (len(sizes) + 2) + "|",
        ]
        for name, points in lines.items():
            values = " | ".join(f"{seconds:.3g}" for _, seconds in points)
            head.append(f"| {name} | {values} | {exponent(points):.2f} |")
        head.append("")
    (DOCS / "benchmarks-growth.md").write_text("\n".join(head), encoding="utf-8")


def exponent(points):
    """The slope of a line in logarithms, first point to last: 1 where cost is proportional, 0 where it is flat."""
    (size, seconds), (last_size, last_seconds) = points[0], points[-1]
    return math.log(last_seconds / seconds) / math.log(last_size / size)


def panel(axis, left):
    """One of both pictures: cost over size, with what is proportional dashed."""
    lines = LINES[axis]
    sizes = [size for points in lines.values() for size, _ in points]
    costs = [seconds for points in lines.values() for _, seconds in points]
    low, high = math.floor(math.log10(min(costs))), math.ceil(math.log10(max(costs)))

    def x(size):
        share = math.log(size / min(sizes)) / math.log(max(sizes) / min(sizes))
        return left + LEFT + share * (WIDTH - LEFT - 20)

    def y(seconds):
        return HEIGHT - FOOT - (math.log10(seconds) - low) / (high - low) * (HEIGHT - FOOT - 16)

    parts = [f'<text x="{left + LEFT}" y="{HEIGHT - 8}">{axis}</text>']
    for power in range(low, high + 1):
        at = y(10.0**power)
        parts.append(f'<path d="M{left + LEFT} {at:.1f}H{left + WIDTH - 20}" stroke="#8884" fill="none"/>')
        parts.append(f'<text x="{left + 4}" y="{at + 4:.1f}">{10.0**power:g} s</text>')
    parts += [f'<text x="{x(size) - 8:.1f}" y="{HEIGHT - 26}">{size}</text>' for size in sorted(set(sizes))]
    first = min(sizes)
    base = math.sqrt(10.0 ** (low + high)) / math.sqrt(max(sizes) / first)
    slope = f"M{x(first):.1f} {y(base):.1f}L{x(max(sizes)):.1f} {y(base * max(sizes) / first):.1f}"
    box = f'x="{left + LEFT}" y="16" width="{WIDTH - LEFT - 20}" height="{HEIGHT - FOOT - 16}"'
    parts.append(f'<clipPath id="{axis}"><rect {box}/></clipPath>')
    parts.append(f'<path d="{slope}" stroke="#888" stroke-dasharray="3 4" fill="none" clip-path="url(#{axis})"/>')
    for index, (name, points) in enumerate(lines.items()):
        colour = COLOURS[index % len(COLOURS)]
        path = "L".join(f"{x(size):.1f} {y(seconds):.1f}" for size, seconds in points)
        parts.append(f'<path d="M{path}" stroke="{colour}" stroke-width="2" fill="none"/>')
        parts += [f'<circle cx="{x(s):.1f}" cy="{y(c):.1f}" r="3" fill="{colour}"/>' for s, c in points]
        parts.append(f'<text x="{left + LEFT}" y="{HEIGHT + 8 + 15 * index}" fill="{colour}">{name}</text>')
    return "\n".join(parts)
