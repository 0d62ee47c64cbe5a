"""A plan.json and the recordings it names."""

import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

from recitant_core.errors import PlanError, UnreadableMedia
from recitant_core.interchange.plan_json import plan_from_data
from recitant_core.ports import SampleSource
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import RATE_HZ
from recitant_io.formats.json_file import checked_data
from recitant_io.media.confined import open_media
from recitant_io.media.storage import storage_errors
from recitant_io.store.conform import FileSource, StoredSource, conform, file_hash


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
    data = checked_data(path, "plan")
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


@contextmanager
def load_recording(path: Path) -> Iterator[SampleSource]:
    """One recording, while the context lasts.

    Raises:
        UnreadableMedia, UnsupportedLayout: a recording that cannot be used. StorageFull: no room for a temporary copy.
    """
    with storage_errors(), tempfile.TemporaryDirectory(prefix="recitant-") as scratch:
        yield _source(path, "", Path(scratch))


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
        if error.code == "missing_file" and field:
            raise PlanError("plan_file_missing", field=field, file=str(path)) from error
        raise
    folder = scratch / key
    conformed = conform(path, folder)
    return StoredSource(folder / "audio.f32", key, conformed.n_channels)
