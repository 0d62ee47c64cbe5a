"""Shapes of what the Words page asks for."""

from typing import Literal

from msgspec import Struct

from recitant_web.shared.shapes import Samples, Text


class HearWords(Struct, frozen=True, kw_only=True, tag_field="kind", tag="hear"):
    """Have the dialogue heard for words."""

    is_again: bool = False
    language: Text = Text()
    n_speakers: Samples | None = None


class ListenToMix(Struct, frozen=True, kw_only=True, tag_field="kind", tag="listen"):
    """Have the mix listened to for lost words."""


class KeepGlossary(Struct, frozen=True, kw_only=True, tag_field="kind", tag="glossary"):
    """Keep the names and terms of the workspace."""

    text: str


class TellApart(Struct, frozen=True, kw_only=True, tag_field="kind", tag="speakers"):
    """Tell apart anew who speaks."""

    n_speakers: Samples | None = None


class StopWork(Struct, frozen=True, kw_only=True, tag_field="kind", tag="stop"):
    """Stop hearing and listening."""


Work = HearWords | ListenToMix | KeepGlossary | TellApart | StopWork
ImportKind = Literal["captions", "text"]
