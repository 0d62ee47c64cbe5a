"""Loads the demo: makes its recordings once, takes them through intake like anybody's, and lays them out."""

import contextlib
import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from recitant_core.errors import WordsUnavailable
from recitant_core.units.clock import samples_from_s
from recitant_io.hearing.transcriber import model_folder
from recitant_web.accounts.models import Workspace
from recitant_web.desk.placing import lay_out
from recitant_web.library.actions import take_in
from recitant_web.library.models import Sound
from recitant_web.programme.actions import bring_in, create_programme
from recitant_web.programme.ingesting import ingest
from recitant_web.programme.models import Programme, Source
from recitant_web.transcript.actions import hear_recordings

_PLANS = ("tenor-30-seconds", "casting-the-tenor")  # the film last: the newest programme stands on top
_PICTURE = "Casting the Tenor, picture.mp4"
Say = Callable[[str], None]


def begin_making(*, has_demo: bool) -> "subprocess.Popen[bytes]":
    """Make missing recordings of library and demo in a process of its own; it ends with this one."""
    make = Path(settings.BASE_DIR) / "demo" / "make.py"
    needs_demo = has_demo and not is_loaded()
    command = [sys.executable, str(make), str(settings.VAR_DIR), *([] if needs_demo else ["--library-only"])]
    return subprocess.Popen(command)


def is_loaded() -> bool:
    """Whether all demo programmes were loaded once."""
    return set(_kept_loaded() or ()) == set(_PLANS)


def transcribe_demo(workspace: Workspace) -> None:
    """Have the recordings of demo programmes transcribed that were not yet."""
    titles = [_plan(name)["title"] for name in _PLANS if _plan_path(name).exists()]
    for programme in Programme.objects.filter(workspace=workspace, title__in=titles, deleted_at__isnull=True):
        _hear_words(programme)


def missing_plans(workspace: Workspace) -> list[str]:
    """Names of the demo programmes that were never loaded.

    What was loaded is written down, so that a programme somebody renamed or removed does not come back. A start of an
    older release wrote nothing down: there a programme of that title, or any other than the demo's, counts as loaded.
    """
    kept = _kept_loaded()
    if kept is not None:
        return [name for name in _PLANS if name not in kept]
    titles = set(Programme.objects.filter(workspace=workspace).values_list("title", flat=True))
    demo = {name: _plan(name)["title"] for name in _PLANS if _plan_path(name).exists()}
    if titles - set(demo.values()):
        return []
    return [name for name in _PLANS if demo.get(name) not in titles]


def load(workspace: Workspace, say: Say) -> None:
    """The demo programmes that are missing, each whole or not at all, ready to be balanced."""
    wanted = missing_plans(workspace)
    loaded = [name for name in _PLANS if name not in wanted]
    for name in wanted:
        data = _plan(name)
        say(f"bringing in the demo “{data['title']}”")
        with transaction.atomic():
            programme = _load_programme(workspace, data)
            if name == "casting-the-tenor":
                _bring_in(programme, _folder() / _PICTURE, "")
        _hear_words(programme)
        loaded.append(name)
        _loaded_path().write_text(json.dumps(loaded))
    if not _loaded_path().exists():
        _loaded_path().write_text(json.dumps(loaded))


def _hear_words(programme: Programme) -> None:
    # In the background, so that the Words page has something to read; a start without the model goes on without.
    spoken = programme.sources.filter(role__in=("narration", "dialogue"))
    with contextlib.suppress(WordsUnavailable):
        model_folder(Path(settings.RECITANT_WORDS_MODEL) if settings.RECITANT_WORDS_MODEL else None)
        hear_recordings(programme, list(spoken.values_list("pk", flat=True)))


def load_library(workspace: Workspace, say: Say) -> None:
    """The shipped sounds that a workspace does not have yet."""
    folder = Path(settings.VAR_DIR) / "library"
    there = set(Sound.objects.filter(workspace=workspace, is_shipped=True).values_list("name", flat=True))
    listed = json.loads((folder / "library.json").read_text(encoding="utf-8"))
    missing = [sound for sound in listed if sound["name"] not in there]
    if missing:
        say(f"bringing in {len(missing)} sounds of the effects library")
    for sound in missing:
        path = folder / sound["file"]
        data = [path.read_bytes()]
        take_in(workspace, f"{sound['name']}.flac", len(data[0]), data, sound["tags"], sound["role"], is_shipped=True)


def _folder() -> Path:
    return Path(settings.VAR_DIR) / "demo"


def _loaded_path() -> Path:
    return _folder() / "loaded.json"


def _kept_loaded() -> list[str] | None:
    try:
        return [str(name) for name in json.loads(_loaded_path().read_text())]
    except (OSError, ValueError, TypeError):
        return None


def _plan_path(name: str) -> Path:
    return _folder() / f"{name}.json"


def _plan(name: str) -> dict[str, Any]:
    return dict(json.loads(_plan_path(name).read_text(encoding="utf-8")))


def _bring_in(programme: Programme, path: Path, role: str) -> Source:
    source = bring_in(programme, role, path.name, path.stat().st_size, [path.read_bytes()], is_placed=False)
    ingest(source.pk, lambda _share: None)
    source.refresh_from_db()
    return source


def _load_programme(workspace: Workspace, data: dict[str, Any]) -> Programme:
    programme = create_programme(workspace, data["title"], data["frame_rate"], data["spec"])
    roles = {clip["file"]: track["role"] for track in data["tracks"] for clip in track["clips"]}
    sources = {file: _bring_in(programme, _folder() / file, role) for file, role in roles.items()}
    tracks = [
        {
            "name": track["name"],
            "role": track["role"],
            "gain_db": track["gain_db"],
            "pan": track["pan"],
            "clips": [_clip(clip, sources[clip["file"]]) for clip in track["clips"]],
        }
        for track in data["tracks"]
    ]
    lay_out(programme, tracks)
    return programme


def _clip(clip: dict[str, Any], source: Source) -> dict[str, Any]:
    in_sample = samples_from_s(clip.get("in_s", 0.0))
    length_s = clip.get("length_s")
    length = source.ready_length_samples - in_sample if length_s is None else samples_from_s(length_s)
    return {
        "source": source,
        "name": Path(source.name).stem,
        "start_sample": samples_from_s(clip["at_s"]),
        "in_sample": in_sample,
        "length_samples": min(length, source.ready_length_samples - in_sample),
        "gain_db": clip["gain_db"],
        "fade_in_samples": samples_from_s(clip["fade_in_s"]),
        "fade_out_samples": samples_from_s(clip["fade_out_s"]),
    }
