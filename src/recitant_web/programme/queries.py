"""Reads of programmes and sources, each starting from what a user may see."""

from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_core.delivery.catalogue import CATALOGUE
from recitant_core.delivery.spec import Spec
from recitant_core.units.arrays import FloatArray
from recitant_core.units.timecode import FRAME_RATES
from recitant_io.conform import StoredSource, stored_energy
from recitant_web.programme.models import Programme, Source


def programmes_of(user: User) -> QuerySet[Programme]:
    """Every programme of the user's workspaces, newest first."""
    return Programme.objects.filter(workspace__memberships__user=user).select_related("workspace").order_by("-pk")


def sources_of(programme: Programme) -> QuerySet[Source]:
    """The sources of a programme in the order they came, with their jobs."""
    return programme.sources.select_related("job")


def specs() -> tuple[Spec, ...]:
    """The specifications to choose from."""
    return CATALOGUE


def frame_rates() -> list[str]:
    """The frame rates to choose from."""
    return list(FRAME_RATES)


def conformed_folder(sha256: str) -> Path:
    """Where the conformed copy of a recording lies; one for all programmes that use the same file."""
    return Path(settings.MEDIA_ROOT) / "conformed" / sha256[:2] / sha256


@lru_cache(maxsize=512)
def stored_source(sha256: str, n_channels: int) -> StoredSource:
    """A recording ready to be read. Content never changes under a hash, so it stays open."""
    return StoredSource(conformed_folder(sha256) / "audio.f32", sha256, n_channels)


@lru_cache(maxsize=512)
def source_energy(sha256: str) -> FloatArray:
    """The 10 ms energies of a recording, float64 (hops, 3) of two channels, (hops, 1) of any other number."""
    energy = stored_energy(conformed_folder(sha256))
    energy.flags.writeable = False
    return energy
