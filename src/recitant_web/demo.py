"""Loads the demo: makes its recordings once, takes them through intake like anybody's, and lays them out."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from recitant_core.units.clock import samples_from_s
from recitant_web.accounts.models import Workspace
from recitant_web.desk.actions import lay_out
from recitant_web.library.actions import take_in
from recitant_web.library.models import Sound
from recitant_web.programme.actions import bring_in, create_programme
from recitant_web.programme.ingesting import ingest
from recitant_web.programme.models import Programme, Source

_PLANS = ("tenor-30-seconds", "casting-the-tenor")  # the film last: the newest programme stands on top


def is_loaded(workspace: Workspace) -> bool:
    """Whether the demo is there, or was there and somebody renamed or changed it."""
    return Programme.objects.filter(workspace=workspace).exists()


def load(workspace: Workspace) -> None:
    """Both demo programmes, ready to be balanced."""
    folder = Path(settings.VAR_DIR) / "demo"
    build = Path(settings.BASE_DIR) / "demo" / "build.py"
    if not (folder / "casting-the-tenor.json").exists():
        subprocess.run([sys.executable, str(build), str(folder)], check=True)
    picture = folder / "Casting the Tenor, picture.mp4"
    if not picture.exists():
        subprocess.run([sys.executable, str(build.with_name("picture.py")), str(picture)], check=True)
    for name in _PLANS:
        data = json.loads((folder / f"{name}.json").read_text(encoding="utf-8"))
        with transaction.atomic():
            programme = _load_programme(workspace, folder, data)
            if name == "casting-the-tenor":
                _bring_in(programme, picture, "")


def load_library(workspace: Workspace) -> None:
    """The shipped sounds, for a workspace that has none of them yet."""
    if Sound.objects.filter(workspace=workspace, is_shipped=True).exists():
        return
    folder = Path(settings.VAR_DIR) / "library"
    if not (folder / "library.json").exists():
        build = Path(settings.BASE_DIR) / "demo" / "library.py"
        subprocess.run([sys.executable, str(build), str(folder)], check=True)
    for sound in json.loads((folder / "library.json").read_text(encoding="utf-8")):
        path = folder / sound["file"]
        name = f"{sound['name']}.flac"
        size = path.stat().st_size
        take_in(workspace, name, size, [path.read_bytes()], sound["tags"], sound["role"], is_shipped=True)


def _bring_in(programme: Programme, path: Path, role: str) -> Source:
    source = bring_in(programme, role, path.name, path.stat().st_size, [path.read_bytes()], is_placed=False)
    ingest(source.pk, lambda _share: None)
    source.refresh_from_db()
    return source


def _load_programme(workspace: Workspace, folder: Path, data: dict[str, Any]) -> Programme:
    programme = create_programme(workspace, data["title"], data["frame_rate"], data["spec"])
    roles = {clip["file"]: track["role"] for track in data["tracks"] for clip in track["clips"]}
    sources = {file: _bring_in(programme, folder / file, role) for file, role in roles.items()}
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
    length = source.length_samples - in_sample if length_s is None else samples_from_s(length_s)
    return {
        "source": source,
        "name": Path(source.name).stem,
        "start_sample": samples_from_s(clip["at_s"]),
        "in_sample": in_sample,
        "length_samples": min(length, source.length_samples - in_sample),
        "gain_db": clip["gain_db"],
        "fade_in_samples": samples_from_s(clip["fade_in_s"]),
        "fade_out_samples": samples_from_s(clip["fade_out_s"]),
    }
