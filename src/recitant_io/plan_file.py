"""A plan.json and the recordings it names."""

import json
import math
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema

from recitant_core.errors import PlanError, UnreadableMedia
from recitant_core.interchange.plan_json import plan_from_data
from recitant_core.ports import SampleSource
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import RATE_HZ
from recitant_io.conform import FileSource, StoredSource, conform, file_hash, storage_errors
from recitant_io.decode import open_media

SCHEMA_PATH = Path(__file__).with_name("plan.schema.json")


@dataclass(frozen=True)
class LoadedPlan:
    """A plan with everything it needs to sound."""

    plan: Plan
    sources: dict[str, SampleSource]
    spec_id: str | None


@contextmanager
def load_plan(path: Path) -> Iterator[LoadedPlan]:
    """A plan and its sources, while the context lasts: what is not 48 kHz PCM is conformed into a temporary folder.

    Raises:
        PlanError: not JSON, not of the schema, a missing file, a clip outside its file.
        UnreadableMedia, UnsupportedLayout: a recording that cannot be used.
        StorageFull: no room for the temporary copies.
    """
    data = _checked_data(path)
    with ExitStack() as stack:
        with storage_errors():
            scratch = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="recitant-")))
        by_file: dict[str, SampleSource] = {}
        for track_index, track in enumerate(data["tracks"]):
            for clip_index, clip in enumerate(track["clips"]):
                if clip["file"] not in by_file:
                    field = f"tracks[{track_index}].clips[{clip_index}].file"
                    by_file[clip["file"]] = _source(path.parent / clip["file"], field, scratch)
        plan = plan_from_data(data, by_file)
        yield LoadedPlan(plan, {source.key: source for source in by_file.values()}, data.get("spec"))


@cache
def _validator() -> Any:
    return jsonschema.Draft202012Validator(json.loads(SCHEMA_PATH.read_text(encoding="utf-8")))


def _checked_data(path: Path) -> dict[str, Any]:
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise PlanError("no_plan", field="", file=str(path)) from error
    except (OSError, UnicodeDecodeError) as error:
        raise PlanError("plan_not_readable", field="", file=str(path)) from error
    except json.JSONDecodeError as error:
        raise PlanError("not_json", field="", line=error.lineno, column=error.colno) from error
    except RecursionError as error:
        raise PlanError("plan_not_readable", field="", file=str(path)) from error
    worst = jsonschema.exceptions.best_match(_validator().iter_errors(data))
    if worst is not None:
        raise PlanError("plan_shape", field=_field(worst.absolute_path), message=worst.message[:300])
    _require_finite(data, "")
    return data  # type: ignore[no-any-return]


def _field(path: Any) -> str:
    return "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in path).lstrip(".")


def _require_finite(value: Any, field: str) -> None:
    # JSON readers take NaN and Infinity, which pass every limit of a schema.
    if isinstance(value, float) and math.isnan(value):
        raise PlanError("plan_shape", field=field, message="NaN is not a number")
    if isinstance(value, dict):
        for name, part in value.items():
            _require_finite(part, f"{field}.{name}".lstrip("."))
    if isinstance(value, list):
        for index, part in enumerate(value):
            _require_finite(part, f"{field}[{index}]")


def _source(path: Path, field: str, scratch: Path) -> SampleSource:
    try:
        with open_media(path) as (facts, _blocks):
            key = file_hash(path)
            if facts.is_seekable_pcm and facts.rate_hz == RATE_HZ:
                source = FileSource(path, key)
                if source.length_samples == 0:
                    raise UnreadableMedia("no_samples", file=path.name)
                return source
    except UnreadableMedia as error:
        if error.code == "missing_file":
            raise PlanError("plan_file_missing", field=field, file=str(path)) from error
        raise
    folder = scratch / key
    conformed = conform(path, folder)
    return StoredSource(folder / "audio.f32", key, conformed.n_channels)
