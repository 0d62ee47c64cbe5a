"""A sound file measured in one pass."""

import argparse
from pathlib import Path

from recitant_cli.telling import teller
from recitant_core.measure.meter import MeterState, Readings, feed_meter, read_meter
from recitant_io.media.confined import open_media


def add_files(parser: argparse.ArgumentParser) -> None:
    """The argument of commands over several files."""
    parser.add_argument("files", nargs="+", metavar="FILE", type=Path)
    parser.add_argument("--json", action="store_true", help="one JSON object per file and line")


def read_file(path: Path) -> tuple[Readings, dict[str, object], int]:
    """Its figures, what describes it as JSON data, and its number of channels.

    Raises:
        UnreadableMedia: it cannot be read.
    """
    tell = teller(f"measuring {path.name}")
    with open_media(path) as (facts, blocks):
        meter = MeterState.at_rest(facts.layout, facts.rate_hz)
        frames = 0
        for block in blocks:
            meter = feed_meter(block, meter)
            frames += len(block)
            tell(min(1.0, frames / facts.rate_hz / facts.announced_s) if facts.announced_s else 0.0)
        readings = read_meter(meter)
    described = {
        "file": str(path),
        "sample_rate": facts.rate_hz,
        "channels": facts.layout.n_channels,
        "duration_s": frames / facts.rate_hz,
    }
    return readings, described, facts.layout.n_channels
