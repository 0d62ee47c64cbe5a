"""Every address of the application, filled for one programme, from the addresses that Django knows."""

import re
from pathlib import Path

from django.urls import URLPattern, URLResolver, get_resolver

import recitant_web

PUBLIC = {"sign-in", "health", "ready", "metrics"}
"""Names of addresses that answer nobody in particular."""
METHODS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")


def every_route(resolver=None, prefix=""):
    """Name and route of every address."""
    for entry in (resolver or get_resolver()).url_patterns:
        route = prefix + str(entry.pattern)
        if isinstance(entry, URLResolver):
            yield from every_route(entry, route)
        elif isinstance(entry, URLPattern):
            yield entry.name, route


def filled(route, numbers):
    """A route with numbers of rows in the place of its parts; names of parts as in the route."""
    return "/" + re.sub(r"<\w+:(\w+)>", lambda found: str(numbers[found[1]]), route)


def numbers_of(film, workspace):
    """A value for each part of an address: rows of a programme that exist where there are such."""
    from recitant_web.delivery.models import Delivery
    from recitant_web.jobs.models import Job
    from recitant_web.library.models import Sound
    from recitant_web.programme.models import Upload

    upload = Upload.objects.create(
        programme=film, token="0" * 32, fingerprint="f", name="a.wav", role="", size_bytes=10, file="originals/none"
    )
    source = film.sources.first()
    sound = Sound.objects.create(
        workspace=workspace, name="Rain", original_file=source.original_file, sha256=source.sha256,
        n_channels=source.n_channels, rate_hz=48_000, length_samples=source.length_samples,
    )  # fmt: skip
    delivery = Delivery.objects.create(programme=film, revision=film.revision, plan={}, folder="deliveries/none")
    pile = film.piles.create(how="row", order="name")
    return {
        "programme_id": film.pk,
        "source_id": source.pk,
        "source_key": source.sha256,
        "workspace_id": workspace.pk,
        "job_id": Job.objects.first().pk,
        "token": upload.token,
        "pile_id": pile.pk,
        "delivery_id": delivery.pk,
        "sound_id": sound.pk,
        "spec_id": "ebu-r128",
        "name": "mix.wav",
        "form": "srt",
        "level": 1,
        "tile": 0,
    }


def field_names():
    """Names of fields that views and forms ask for, as they stand in the code."""
    found = set()
    for path in Path(recitant_web.__file__).parent.rglob("*.py"):
        text = path.read_text()
        found |= set(re.findall(r'(?:POST|GET|FILES|given|asked)(?:\.get|\.getlist)?[(\[]"(\w+)"', text))
        found |= set(re.findall(r'whole_number\(request, "(\w+)"', text))
        found |= set(re.findall(r'"(\w+)" in (?:request\.POST|given)', text))
    return sorted(found)
