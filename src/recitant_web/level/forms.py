"""The shape of what the Level page asks."""

from typing import Any, Literal

from msgspec import Struct

from recitant_web.desk.levels import EvenOptions
from recitant_web.shared.shapes import Id, Ids, Name, Samples, TargetId, Text

Target = Literal["clip", "track", "stem", "master"]


class ViewRequest(Struct, frozen=True, kw_only=True):
    """A chain to inspect, kept or being tried, and of which target."""

    target: Target
    id: TargetId
    chain: list[Any]
    index: Samples = Samples(0)
    at_sample: Samples = Samples(0)


class DraftRequest(Struct, frozen=True, kw_only=True):
    """A chain that is being tried, to be heard."""

    chain: list[Any]


class FindRequest(Struct, frozen=True, kw_only=True):
    """Kind of search and its place; from_sample equal to to_sample stands for the pauses."""

    what: Literal["noise", "hum", "resonances", "less-room", "start"]
    target: Target
    id: TargetId
    name: Text = Text()
    from_sample: Samples = Samples(0)
    to_sample: Samples = Samples(0)
    at_sample: Samples = Samples(0)


class EvenRequest(Struct, frozen=True, kw_only=True):
    """Clips to even out, and settings."""

    ids: Ids
    options: EvenOptions


class KeepPreset(Struct, frozen=True, kw_only=True, tag_field="do", tag="keep"):
    """Keep a chain under a name."""

    name: Name
    chain: list[Any]


class DropPreset(Struct, frozen=True, kw_only=True, tag_field="do", tag="drop"):
    """Forget a preset."""

    id: Id


class ReadPreset(Struct, frozen=True, kw_only=True, tag_field="do", tag="read"):
    """The chain of a preset."""

    id: Id


PresetRequest = KeepPreset | DropPreset | ReadPreset
