"""mix: a plan mixed, fitted to specifications and written, with its stems and a report."""

import argparse
import json
import os
import sys
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from recitant_cli.commands.many import mix_many
from recitant_cli.telling import teller
from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import ALL_STEPS, CLEAN, LEADS, MATCH, NEARER_LU, STEPS, Choices
from recitant_core.balance.performance import SPREADS
from recitant_core.captions.rules import Cue
from recitant_core.delivery.orders.chapters import Chapter, chapters_from_text, chapters_in, time_from_text
from recitant_core.delivery.orders.orders import KINDS, Order
from recitant_core.delivery.orders.results import Delivered
from recitant_core.delivery.specification.catalogue import DEFAULT_SPEC_ID
from recitant_core.delivery.specification.model import Spec
from recitant_core.errors import PlanError
from recitant_core.gain.duck_rule import MOST_DEPTH_DB
from recitant_core.measure.clearance import DEFAULT_ASKED_LU
from recitant_core.ports import Progress
from recitant_core.timeline.excerpt import clips_alone, clips_named, excerpt, span_of_clips, talk_in
from recitant_core.timeline.model import Plan
from recitant_core.timeline.sync import out_of_sync
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_io.delivery.archive import write_zip
from recitant_io.delivery.delivery import deliver
from recitant_io.delivery.planned import Origin
from recitant_io.formats.codecs import CODECS, wanted_files
from recitant_io.formats.film import FilmWanted, film_suffix
from recitant_io.formats.json_file import text_of
from recitant_io.formats.spec_file import files_of, specs_of_texts
from recitant_io.media.caption_files import MOST_BYTES
from recitant_io.media.confined import read_captions
from recitant_io.media.decode import require_regular
from recitant_io.media.labels import TAGS, Labels, cover_from_file
from recitant_io.plan.plan_energies import material_of, talk_of, with_rules_followed
from recitant_io.plan.plan_file import LoadedPlan, load_plan
from recitant_text.balance_report import balance_data, ducking_data
from recitant_text.fits import fit_sentence
from recitant_text.notices import out_of_sync_words
from recitant_text.report import report_data, report_files
from recitant_text.sentences import sentence


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Arguments of the command."""
    parser.add_argument("plan", metavar="PLAN", type=Path, nargs="+", help="several go to a folder each")
    parser.add_argument("--jobs", type=int, default=1, metavar="N", help="of several plans so many side by side")
    parser.add_argument("--out", required=True, metavar="DIR", type=Path)
    parser.add_argument(
        "--spec", action="append", metavar="ID|FILE", help="may stand several times; FILE.json is one of your own"
    )
    parser.add_argument(
        "--files",
        metavar="LIST",
        help=f"of {', '.join([*KINDS, *CODECS])}; kbit/s after a colon: mp3:128; film:original+stems+captions adds "
        "tracks to a film; what the specification asks for, or mix and stems, unless told",
    )
    parser.add_argument("--version", default="", metavar="TEXT", help="of the mix; file names may hold it")
    parser.add_argument("--picture", type=Path, metavar="FILE", help="whose picture the film shows, from the start on")
    parser.add_argument("--captions", type=Path, metavar="FILE", help="SRT, WebVTT or TTML, for film:captions")
    parser.add_argument(
        "--chapters", type=Path, metavar="FILE", help="lines of time and title, for films, MP3 and M4A that hold some"
    )
    parser.add_argument(
        "--range", nargs=2, metavar=("FROM", "TO"), help="only this stretch, as minutes and seconds: 1:05 2:40.5"
    )
    parser.add_argument(
        "--clips", nargs="+", metavar="NAME", help="only clips of these files, without .wav, from the first to the last"
    )
    parser.add_argument("--tag", action="append", default=[], metavar="NAME=TEXT", help=f"of {', '.join(TAGS)}")
    parser.add_argument("--cover", type=Path, metavar="FILE", help="JPEG or PNG, for MP3, M4A, Opus and FLAC")
    parser.add_argument("--folders", action="store_true", help="a folder for the files of each specification")
    parser.add_argument("--zip", action="store_true", help="all files in one ZIP beside them too")
    parser.add_argument("--json", action="store_true", help="the report as JSON on standard output")
    parser.add_argument(
        "--first-balance",
        action="store_true",
        help="prepare the whole mix first, for the first specification, and say how",
    )
    parser.add_argument("--music", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    parser.add_argument("--effects", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    parser.add_argument(
        "--ducking", default="clear", choices=list(MOST_DEPTH_DB), help="how deep, with --first-balance"
    )
    parser.add_argument("--leads", default=LEADS[0], choices=LEADS, help="what leads, with --first-balance")
    parser.add_argument(
        "--performance",
        default="natural",
        choices=list(SPREADS),
        help="how far apart phrases stay, with --first-balance",
    )
    parser.add_argument("--clean", action="store_true", help="clean noisy speech lightly, with --first-balance")
    parser.add_argument(
        "--match-tone", action="store_true", help="bring each speaker's takes to one tone, with --first-balance"
    )
    parser.add_argument("--skip", action="append", default=[], choices=STEPS, help="a step to leave out; several times")
    parser.add_argument(
        "--clearance", type=_clearance, default=DEFAULT_ASKED_LU, metavar="LU", help="asked for; 7 unless told"
    )


def run(chosen: argparse.Namespace) -> int:
    """0 when all specifications pass, 1 when one does not; of several plans, 2 when one could not be mixed."""
    if len(chosen.plan) == 1:
        return mixed(chosen, chosen.plan[0], chosen.out)
    return mix_many(chosen.plan, chosen.out, chosen.jobs, partial(mixed, chosen))


def mixed(chosen: argparse.Namespace, path: Path, out: Path) -> int:
    """0 when all specifications of one plan pass, else 1."""
    with load_plan(path) as found:
        specs = specs_of_texts(chosen.spec or [found.spec_id or DEFAULT_SPEC_ID])
        film = None if chosen.picture is None else _film(chosen)
        asked = None if chosen.files is None else wanted_files(chosen.files)
        orders = [Order(spec, asked or files_of(spec)) for spec in specs]
        tell = teller(f"mixing {path.name}")
        loaded, more = _balanced(chosen, found, specs[0], tell)
        talk = talk_of(loaded) if any(spec.is_about_speech for spec in specs) else None
        _tell_out_of_sync(loaded.plan, film)
        origin = Origin(chosen.version, _now(), film, _chapters(chosen.chapters), talk, _labels(chosen), chosen.folders)
        more |= {"version": origin.version, "made_at": f"{origin.made_at:%Y-%m-%d %H:%M} UTC"}
        if chosen.range is not None or chosen.clips:
            loaded, origin = _part(chosen, loaded, orders, origin)
        done = deliver(
            loaded.plan,
            loaded.sources,
            orders,
            out,
            tell,
            lambda ready: report_files(loaded.plan, ready, more),
            origin=origin,
        )
        if sys.stderr.isatty():
            print("\r" + " " * 40 + "\r", end="", file=sys.stderr)
        if chosen.json:
            print(json.dumps(report_data(loaded.plan, done) | more))
        else:
            _print_done(done, more, out)
        if chosen.zip:
            path = write_zip(out, done)
            print(f"  {path}", file=sys.stderr if chosen.json else sys.stdout)
    return 0 if all(delivered.verdict.is_passed and not delivered.missed for delivered in done) else 1


def _balanced(
    chosen: argparse.Namespace, found: LoadedPlan, spec: Spec, tell: Progress
) -> tuple[LoadedPlan, dict[str, Any]]:
    """The plan after its first balance, or with its rules followed; and what the report tells of it."""
    if not chosen.first_balance:
        loaded = with_rules_followed(found, chosen.clearance)
        return loaded, {"ducking": ducking_data(loaded.plan)}
    asked_for = {CLEAN: chosen.clean, MATCH: chosen.match_tone}
    steps = tuple(step for step in ALL_STEPS if asked_for.get(step, step not in chosen.skip))
    choices = Choices(chosen.music, chosen.effects, chosen.ducking, chosen.leads, chosen.performance, steps)
    material = material_of(found, spec, chosen.clearance)
    balanced = first_balance(material, choices, tell)
    return replace(found, plan=balanced.plan), balance_data(balanced, material)


def _part(
    chosen: argparse.Namespace, loaded: LoadedPlan, orders: Sequence[Order], origin: Origin
) -> tuple[LoadedPlan, Origin]:
    """A range of a plan, or some of its clips alone, with the chapters and the talk of it."""
    span = _range(chosen, loaded.plan)
    _require_no_film(orders)
    if chosen.clips:
        loaded = replace(loaded, plan=clips_alone(loaded.plan, clips_named(loaded.plan, chosen.clips)))
    chapters = tuple(chapters_in(origin.chapters, span))
    talk = None if origin.talk is None else talk_in(origin.talk, span)
    return replace(loaded, plan=excerpt(loaded.plan, span)), replace(origin, chapters=chapters, talk=talk)


def _print_done(done: Sequence[Delivered], more: Mapping[str, Any], out: Path) -> None:
    for action in more.get("actions", ()):
        print(f"{action['title']}: {action['measured_words']}")
        for change in action["changed_words"]:
            print(f"  {change}")
    for close in more.get("clearance", {}).get("left", ()):
        at_s = close["start_sample"] / RATE_HZ
        print(f"  close at {at_s:.1f} s: {close['sentence']}")
    for delivered in done:
        _print_delivered(delivered, out)


def _range(chosen: argparse.Namespace, plan: Plan) -> SampleSpan:
    if chosen.range is None:
        return span_of_clips(plan, clips_named(plan, chosen.clips))
    start_sample, end_sample = map(time_from_text, chosen.range)
    if end_sample <= start_sample:
        raise PlanError("range_backwards", field="range")
    return SampleSpan(start_sample, end_sample - start_sample)


def _require_no_film(orders: Sequence[Order]) -> None:
    if any("film" in order.wanted.kinds for order in orders):
        raise PlanError("no_film_of_range", field="files")


def _now() -> datetime:
    # SOURCE_DATE_EPOCH is the common way to make the same bytes twice.
    epoch = os.environ.get("SOURCE_DATE_EPOCH", "")
    return datetime.fromtimestamp(int(epoch), UTC) if epoch.isdecimal() and len(epoch) < 11 else datetime.now(UTC)


def _chapters(path: Path | None) -> tuple[Chapter, ...]:
    return () if path is None else tuple(chapters_from_text(text_of(path, "list of chapters")))


def _labels(chosen: argparse.Namespace) -> Labels:
    tags = dict(text.partition("=")[::2] for text in chosen.tag)
    unknown = next((name for name in tags if name not in TAGS), None)
    if unknown is not None:
        raise PlanError("unknown_tag", field="tag", found=unknown, known=", ".join(TAGS))
    return Labels(tags, None if chosen.cover is None else cover_from_file(chosen.cover))


def _clearance(text: str) -> float:
    try:
        asked_lu = float(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number of LU") from error
    if not 0.0 <= asked_lu <= 40.0:
        raise argparse.ArgumentTypeError(f"{text} is not between 0 and 40 LU")
    return asked_lu


def _print_delivered(delivered: Delivered, folder: Path) -> None:
    passes = "passes" if delivered.verdict.is_passed else "does not pass"
    print(f"{delivered.fit.spec.name}: {passes}. {fit_sentence(delivered.fit)}")
    for file in delivered.files:
        print(f"  {folder / file.file}")
    for missed in delivered.missed:
        print(f"  {missed.file} could not be made: {sentence(missed.error)}")


def _tell_out_of_sync(plan: Plan, film: FilmWanted | None) -> None:
    # The picture of a plan begins with it.
    for clip, off in out_of_sync(plan, 0) if film is not None else ():
        print(f"recitant: {out_of_sync_words(clip.name, off, plan.frame_rate)}", file=sys.stderr)


def _film(chosen: argparse.Namespace) -> FilmWanted:
    cues: tuple[Cue, ...] = ()
    if chosen.captions is not None:
        require_regular(chosen.captions)
        with chosen.captions.open("rb") as file:
            cues = tuple(read_captions(file.read(MOST_BYTES + 1), chosen.captions.name))
    return FilmWanted(chosen.picture, film_suffix(chosen.picture.name), captions=cues)
