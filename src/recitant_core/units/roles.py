"""Roles of tracks, and the levels that are common practice for each."""

import re
from typing import ClassVar, Final


class Role(str):
    """Purpose of a track, and the stem it goes to: one of five kinds, or a stem of one's own of a kind.

    A stem of one's own is written behind its kind, "effects:foley": it has a fader, processors and a file of its own,
    and is treated as its kind is. Equal texts are the same object.
    """

    __slots__ = ()
    NARRATION: ClassVar["Role"]
    DIALOGUE: ClassVar["Role"]
    MUSIC: ClassVar["Role"]
    EFFECTS: ClassVar["Role"]
    ATMOSPHERE: ClassVar["Role"]

    def __new__(cls, text: str) -> "Role":
        """The role of a text.

        Raises:
            ValueError: it names none.
        """
        # Plans and rows from before there was narration.
        known = "atmosphere" if text == "ambience" else text
        if known not in _ROLES:
            if not _ROLE.fullmatch(known):
                raise ValueError(f"{text!r} is no role")
            _ROLES[known] = super().__new__(cls, known)
        return _ROLES[known]

    @property
    def value(self) -> str:
        """It as plain text."""
        return str(self)

    @property
    def kind(self) -> "Role":
        """Kind of the five that it is treated as."""
        return Role(self.partition(":")[0])

    @property
    def own_name(self) -> str:
        """Of a stem of one's own what follows its kind; empty for the five."""
        return self.partition(":")[2]

    @property
    def is_speech(self) -> bool:
        """Whether people are to be understood on it."""
        return self.kind in (Role.NARRATION, Role.DIALOGUE)

    @property
    def letter(self) -> str:
        """The capital that stands for it; two letters for a stem of one's own."""
        return self.own_name[:2].capitalize() or self[0].upper()

    @property
    def label(self) -> str:
        """Its name for people."""
        return (self.own_name or self.value).replace("-", " ").capitalize()

    @property
    def file_part(self) -> str:
        """It as a part of a file's name."""
        return self.replace(":", "-")

    @property
    def order(self) -> tuple[int, str]:
        """By which stems are summed and shown: kinds in their order, stems of one's own behind their kind."""
        return ROLES.index(self.kind), self.own_name


_ROLES: Final[dict[str, Role]] = {}
_ROLE: Final = re.compile(r"(narration|dialogue|music|effects|atmosphere)(:[a-z0-9][a-z0-9-]{0,12})?")
Role.NARRATION, Role.DIALOGUE, Role.MUSIC = Role("narration"), Role("dialogue"), Role("music")
Role.EFFECTS, Role.ATMOSPHERE = Role("effects"), Role("atmosphere")
ROLES: Final = (Role.NARRATION, Role.DIALOGUE, Role.MUSIC, Role.EFFECTS, Role.ATMOSPHERE)
"""The five kinds, in the order their stems are summed."""


def is_role(text: str) -> bool:
    """Whether a text names a role: one of the five kinds, behind a colon the name of a workspace's own stem.

    >>> [is_role(text) for text in ("dialogue", "music:live", "ambience", "sound")]
    [True, True, True, False]
    """
    return text == "ambience" or _ROLE.fullmatch(text) is not None


OPEN_LU: Final = {"narration": 0.0, "dialogue": 0.0, "music": -4.0, "effects": -4.0, "atmosphere": -15.0}
"""Level of a kind where nobody speaks, in LU against the dialogue's aim. Common practice."""
UNDER_LU: Final = {"dialogue": -14.0, "music": -12.0, "effects": -10.0, "atmosphere": -15.0}
"""Level of a kind under speech, in LU against the dialogue's aim; of dialogue under narration. Common practice."""
