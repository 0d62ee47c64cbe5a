"""What each role in a workspace allows."""

from typing import Final, Literal

Right = Literal["see", "remark", "edit", "deliver", "own"]
"""To see and listen; to leave remarks; to change the programme; to hand it over; to delete for good."""

OWNER: Final = "owner"
RIGHTS: Final[dict[str, frozenset[Right]]] = {OWNER: frozenset({"see", "remark", "edit", "deliver", "own"})}
"""By the role that a membership names."""


def roles_with(right: Right) -> list[str]:
    """Roles that allow something."""
    return [role for role, rights in RIGHTS.items() if right in rights]
