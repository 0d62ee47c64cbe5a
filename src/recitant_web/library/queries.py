"""Reads of the library, each from what a user may see."""

from typing import Any

from django.contrib.auth.models import User
from django.db.models import Exists, OuterRef, QuerySet

from recitant_web.library.models import Favourite, Sound
from recitant_web.listening.recordings import SourceBlock, recording_block
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import stored_source

MOST_SHOWN = 120


def sounds_for(programme: Programme) -> QuerySet[Sound]:
    """Every sound of a programme's workspace."""
    return Sound.objects.filter(workspace=programme.workspace)


def found_sounds(programme: Programme, user: User, words: str, *, only_favourites: bool) -> list[dict[str, Any]]:
    """Sounds whose name or tags hold every one of these words, favourites first.

    Args:
        words: as typed; parted by blanks; their order does not matter.
    """
    liked = Favourite.objects.filter(user=user, sound=OuterRef("pk"))
    found = sounds_for(programme).annotate(is_favourite=Exists(liked))
    if only_favourites:
        found = found.filter(is_favourite=True)
    wanted = words.lower().split()
    shown = [
        sound
        for sound in found.order_by("-is_favourite", "name", "pk")
        if all(word in f"{sound.name} {sound.tags}".lower() for word in wanted)
    ]
    fields = ("id", "name", "tags", "role", "length_samples", "is_favourite", "is_shipped")
    return [{name: getattr(sound, name) for name in fields} for sound in shown[:MOST_SHOWN]]


def sound_block(sound: Sound, start_sample: int, length_samples: int) -> SourceBlock:
    """A stretch of a sound, to be heard before it is laid."""
    return recording_block(stored_source(sound.sha256, sound.n_channels), start_sample, length_samples)
