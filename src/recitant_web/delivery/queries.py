"""Reads of the Hand over page: the sheet, what a delivery would come to, and what was handed over."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from recitant_core.delivery.orders.chapters import time_text
from recitant_core.delivery.specification.form import Channels
from recitant_core.delivery.specification.names import file_name
from recitant_core.interchange.plan_json import plan_from_data
from recitant_core.ports import SampleSource
from recitant_core.timeline.model import Plan
from recitant_core.timeline.sync import out_of_sync
from recitant_core.units.clock import RATE_HZ
from recitant_io.delivery.archive import zipped
from recitant_io.delivery.planned import OWN_NAMES
from recitant_text.compared import compared_sentence
from recitant_text.notices import out_of_sync_words
from recitant_text.platforms import platform_rows
from recitant_text.playback import PLAYBACK_WORDS
from recitant_text.quality_checks import check_sentence, close_rows, fine_sentence, place_text
from recitant_text.report import FILM_TRACK_WORDS, decoded_sentence, form_of_file
from recitant_text.sentences import names_words
from recitant_text.sheet import DOT_WORDS, DotWords
from recitant_text.specs import form_words, limit_words
from recitant_text.steps import label_text
from recitant_web.delivery.models import Delivery
from recitant_web.delivery.sheet import LEFT_OUT, Column, Line, columns, lines_of
from recitant_web.desk.models import EditState
from recitant_web.listening.figures import fit_view
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.queries import stored_source
from recitant_web.shared.media import fetched, is_there, media_path
from recitant_web.specifications.queries import specs_of

_MOST_OFF: Final = 5
SHOWN: Final = 12
"""How many deliveries the page lists."""


@dataclass(frozen=True)
class Dot:
    """A file of a line as the page shows it."""

    column: Column
    word: str
    """As the list of the line has it, with its bit rate."""
    state: str
    more: str
    """Its bit rate, or what a film holds besides."""

    @property
    def words(self) -> DotWords:
        """Words of its state."""
        return DOT_WORDS[self.state]


def sheet_view(programme: Programme) -> dict[str, Any]:
    """The sheet as the page shows it, with what the fit of each line will do to this programme."""
    snapshot, heads = Snapshot(programme), columns(programme)
    lines: list[dict[str, Any]] = [
        {
            "spec": line.spec,
            "limits": limit_words(line.spec),
            "form": form_words(line.spec),
            "fit": fit_view(snapshot, line.spec),
            "is_mono": line.spec.form.channels is Channels.MONO,
            "dots": _dots(line, heads),
            "files": line.wanted.text,
            "film_tracks": _film_tracks(line),
        }
        for line in lines_of(programme)
    ]
    on_sheet = {line["spec"].spec_id for line in lines}
    dots = [dot for line in lines for dot in line["dots"]]
    return {
        "heads": heads,
        "lines": lines,
        "n_to_make": sum(dot.state in ("out", "wanted") for dot in dots),
        "n_wanted": sum(dot.state != LEFT_OUT for dot in dots),
        "versions": list(programme.versions.order_by("-pk").values("pk", "name")[:SHOWN]),
        "others": [spec for spec in specs_of(programme.workspace) if spec.spec_id not in on_sheet],
        "is_balanced_for": programme.spec_id in on_sheet,
    }


def _film_tracks(line: Line) -> list[tuple[str, str, bool]]:
    """Tracks that a film can hold besides, in words, and whether it does; none where there is no film."""
    if "film" not in line.wanted.kinds:
        return []
    return [(name, words, name in line.wanted.film_tracks) for name, words in FILM_TRACK_WORDS.items()]


def listening_view(programme: Programme) -> dict[str, Any]:
    """Data for listening on the page."""
    length_samples = Snapshot(programme).plan.span.length_samples
    return {"length_samples": length_samples, "length_s": length_samples / RATE_HZ, "playbacks": PLAYBACK_WORDS}


def sync_view(programme: Programme) -> list[str]:
    """Sentences on clips that do not lie where the picture that they are tied to has them."""
    off = out_of_sync(Snapshot(programme).plan, programme.picture_offset_samples)
    return [out_of_sync_words(clip.name, samples, programme.frame_rate) for clip, samples in off[:_MOST_OFF]]


def _dots(line: Line, heads: list[Column]) -> list[Dot]:
    found = []
    for head in heads:
        files = [file for file in line.wanted.files if file.name == head.name]
        found += [Dot(head, file.text, line.states[file], form_of_file(file)) for file in files[:1]]
        if not files:
            found.append(Dot(head, head.name, LEFT_OUT, ""))
    return found


def deliveries_of(programme: Programme) -> list[Delivery]:
    """The newest deliveries, with their jobs, the room they take, and what played back as what."""
    found = list(programme.deliveries.select_related("job").defer("plan")[:SHOWN])
    _compare(programme, found)
    for delivery in found:
        delivery.size_bytes = 0  # type: ignore[attr-defined]
        if delivery.span is not None:
            start, length = delivery.span
            delivery.stretch = f"{time_text(start)} to {time_text(start + length)}"  # type: ignore[attr-defined]
            if delivery.clips:
                delivery.stretch += f": {names_words(delivery.clips)}"  # type: ignore[attr-defined]
        delivery.has_pdf = is_there(f"{delivery.folder}/report.pdf")  # type: ignore[attr-defined]
        for one in _made(delivery):
            for file in one["files"]:
                # Reports from before there were compressed files have neither.
                file["played_back"] = decoded_sentence(file["decoded"]) if file.get("decoded") else ""
                delivery.size_bytes += file.get("size_bytes") or 0  # type: ignore[attr-defined]
            leaders = {order["spec"]["id"]: order["spec"]["form"]["leader_s"] for order in delivery.orders}
            leader_s = leaders.get(one["spec"], 0.0)
            one["checks_view"] = [_check(found, leader_s) for found in one.get("looks", ())]
            one["heard_view"] = platform_rows(one.get("heard", ()), one.get("heard_as_balanced", ()))
            close = _close(delivery.report or {}, one["files"], leader_s)
            one["fine"] = fine_sentence(one["checks_view"], is_speech_clear=close == [])
            one["remarks"] = [found for found in one["checks_view"] if found["state"] != "fine"] + (close or [])
    return found


def _made(delivery: Delivery) -> list[dict[str, Any]]:
    """Files of each order of a delivery; none while it is under way."""
    found: list[dict[str, Any]] = delivery.report["deliveries"] if delivery.report else []
    return found


def _close(report: dict[str, Any], files: list[dict[str, Any]], leader_s: float) -> list[dict[str, Any]] | None:
    """Close passages of the mix, to be heard; None where nobody speaks, or no mix was written."""
    mix = next((file for file in files if file["kind"] == "mix"), None)
    if mix is None or not report.get("speech"):
        return None
    # Compressed copies begin with the programme.
    is_copy = bool(mix.get("decoded")) and not mix["file"].endswith((".wav", ".aiff"))
    rows = close_rows(report["clearance"], mix["file"])
    return [_at_its_place(row, 0.0 if is_copy else leader_s) for row in rows]


def _compare(programme: Programme, found: list[Delivery]) -> None:
    """Put beside each delivery of the whole programme what changed since the one before to the same specification."""
    whole = [delivery for delivery in found if delivery.report is not None and delivery.span is None]
    if len(whole) < 2:
        return
    done = programme.edits.filter(state=EditState.DONE, made_at__gt=whole[-1].made_at)
    edits = list(done.order_by("pk").values_list("made_at", "label"))
    for index, delivery in enumerate(whole):
        for one in _made(delivery):
            older = next(
                (
                    (before, same)
                    for before in whole[index + 1 :]
                    for same in _made(before)
                    if same["spec"] == one["spec"]
                ),
                None,
            )
            if older is not None:
                before, same = older
                labels = [label_text(label) for made_at, label in edits if before.made_at < made_at <= delivery.made_at]
                one["compared"] = compared_sentence(one, same, labels)
                one["compared_with"] = before.name or f"state {before.revision}"


def _check(found: dict[str, Any], leader_s: float) -> dict[str, Any]:
    return _at_its_place(found | {"words": check_sentence(found)}, leader_s)


def _at_its_place(found: dict[str, Any], leader_s: float) -> dict[str, Any]:
    at_s = found["at_s"]
    return found | {"place": place_text(at_s), "file_s": None if at_s is None else at_s + leader_s}


def plan_and_sources(delivery: Delivery) -> tuple[Plan, dict[str, SampleSource]]:
    """Plan and recordings of a delivery."""
    rows = Source.objects.filter(programme=delivery.programme).exclude(sha256="").values_list("sha256", "n_channels")
    sources: dict[str, SampleSource] = {
        sha256: stored_source(sha256, n_channels) for sha256, n_channels in rows if n_channels is not None
    }
    return plan_from_data(delivery.plan, sources), sources


def delivered_names(delivery: Delivery) -> list[str]:
    """Names of all files of a delivery that are there."""
    if delivery.report is None:
        return []
    listed = [file["file"] for one in delivery.report["deliveries"] for file in one["files"]]
    return [name for name in [*OWN_NAMES, *listed] if is_there(f"{delivery.folder}/{name}")]


@dataclass(frozen=True)
class ZipOf:
    """All files of a delivery."""

    name: str
    blocks: Iterator[bytes]


def zip_of(delivery: Delivery) -> ZipOf | None:
    """All files of a delivery as one ZIP; None while there are none."""
    names = delivered_names(delivery)
    if not names:
        return None
    title = file_name("{title}", {"title": delivery.programme.title or "untitled"}, "")
    plain = title.encode("ascii", "ignore").decode() or "delivery"
    for name in names:
        fetched(f"{delivery.folder}/{name}")
    blocks = zipped(media_path(delivery.folder), names)
    return ZipOf(f"{plain}-{delivery.revision}.zip", blocks)


def delivered_file(delivery: Delivery, name: str) -> Path | None:
    """A file of a delivery; None for any name its report does not list."""
    if name not in delivered_names(delivery):
        return None
    return fetched(f"{delivery.folder}/{name}")
