"""The loudness of a delivery over its length, drawn as SVG: readable on paper, without colour, and read aloud."""

from collections.abc import Mapping, Sequence
from html import escape
from itertools import pairwise
from typing import Any, Final

from recitant_text.quality_checks import place_text
from recitant_text.sentences import signed

WIDTH, HEIGHT = 660, 190
_LEFT, _RIGHT, _TOP, _BOTTOM = 40, 16, 14, 22
_STEP_LU: Final = 6
_LEAST_DB: Final = 0.1  # of limiting that is drawn
_TIMES: Final = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1_800, 3_600)


def history_svg(
    found: Mapping[str, Any], low: float, high: float, close: Sequence[Sequence[float]] = (), unit: str = "LUFS"
) -> str:
    """A curve of short-term loudness with the band of the target, marks of limiting and of close passages.

    Args:
        found: history.History as JSON data.
        low: of the band that the integrated loudness must lie in, in LUFS.
        high: of that band.
        close: passages in which speech is too close, each as start and end in seconds and whatever follows.
        unit: of the scale.
    """
    levels = found["short_term_lufs"]
    length_s = max(found["step_s"] * len(levels), 1e-9)
    known = [level for level in levels if level is not None]
    top = _STEP_LU * (max([high, *known]) // _STEP_LU + 1)
    bottom = max(top - 9 * _STEP_LU, _STEP_LU * (min([low, *known]) // _STEP_LU))
    inner = (WIDTH - _LEFT - _RIGHT, HEIGHT - _TOP - _BOTTOM)

    def x(at_s: float) -> float:
        return _tenths(_LEFT + inner[0] * at_s / length_s)

    def y(level: float) -> float:
        return _tenths(_TOP + inner[1] * (top - max(bottom, min(top, level))) / (top - bottom))

    marks = [
        f'<rect x="{_LEFT}" y="{y(high)}" width="{inner[0]}" height="{max(1.0, round(y(low) - y(high), 1))}" '
        'fill="#e4ebe1"/>'
    ]
    for k in range(int((top - bottom) // _STEP_LU) + 1):
        level = top - k * _STEP_LU
        marks.append(f'<line x1="{_LEFT}" x2="{WIDTH - _RIGHT}" y1="{y(level)}" y2="{y(level)}" stroke="#ddd5c4"/>')
        marks.append(
            f'<text x="{_LEFT - 5}" y="{y(level) + 3}" text-anchor="end" font-size="9">{signed(level, 0)}</text>'
        )
    step_s = next((step for step in _TIMES if length_s / step <= 8), _TIMES[-1])
    for k in range(int(length_s // step_s) + 1):
        at = f'x="{x(k * step_s)}" y="{HEIGHT - 6}" font-size="9"'
        marks.append(f'<text {at} text-anchor="middle">{place_text(k * step_s)[:-2]}</text>')
    for start_s, end_s in _limited(found["limited_db"]):
        marks.append(_bar(x(start_s), x(min(end_s, length_s)), 2, "#c8321f"))
    for passage in close:
        marks.append(_bar(x(passage[0]), x(passage[1]), HEIGHT - _BOTTOM + 2, "#1f2430"))
    marks += [
        f'<polyline points="{line}" fill="none" stroke="#1f2430" stroke-width="1.2"/>'
        for line in _lines(levels, found["step_s"], x, y)
    ]
    loudest = max(known, default=None)
    words = (
        f"Short-term loudness over {place_text(length_s)}, between {signed(min(known, default=None))} and "
        f"{signed(loudest)} {unit}; the band of the target is {signed(low)} to {signed(high)} {unit}."
    )
    return (
        f'<svg role="img" viewBox="0 0 {WIDTH} {HEIGHT}" width="100%" '
        f'font-family="Spline Sans Mono, monospace" fill="#6a6658" aria-label="{escape(words)}">'
        f"<title>{escape(words)}</title>{''.join(marks)}</svg>"
    )


def _tenths(value: float) -> float:
    return round(value, 1)


def _bar(left: float, right: float, top: float, ink: str) -> str:
    return f'<rect x="{left}" y="{top}" width="{max(1.5, round(right - left, 1))}" height="5" fill="{ink}"/>'


def _limited(limited_db: Sequence[float]) -> list[tuple[int, int]]:
    """Runs of seconds in which the limiter works."""
    works = [False, *(one >= _LEAST_DB for one in limited_db), False]
    edges = [index for index, (one, following) in enumerate(pairwise(works)) if one != following]
    return list(zip(edges[::2], edges[1::2], strict=True))


def _lines(levels: Sequence[float | None], step_s: float, x: Any, y: Any) -> list[str]:
    """Runs of the curve between silences."""
    found: list[list[str]] = [[]]
    for index, level in enumerate(levels):
        if level is None:
            found.append([])
        else:
            found[-1].append(f"{x((index + 0.5) * step_s)},{y(level)}")
    return [" ".join(points) for points in found if len(points) > 1]
