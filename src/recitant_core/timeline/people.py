"""Names of people who speak: as somebody gave them, else as clips and tracks call them.

Held to: tests/core/test_people.py
"""

import re
from collections.abc import Mapping, Sequence
from typing import Final

from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan
from recitant_core.timeline.words import SpokenTurn
from recitant_core.units.roles import ROLES

NUMBERED: Final = re.compile(r"Speaker \d+")
"""Name of somebody who was told apart and not named."""
LEAST_SHARE: Final = 0.6
"""Share of somebody's words that must lie under a name."""


def named(plan: Plan, spoken: Sequence[SpokenTurn], names: Mapping[str, str]) -> dict[str, str]:
    """Names of all people by id; who has none of his own is called as the clips that hold his words.

    A clip's speaker counts before the name of its track; a track that is called after a role names nobody, and a name
    belongs to whoever says most under it.

    Args:
        spoken: turns in programme time.
        names: kept by id.
    """
    clips, roles = clips_by_id(plan), {role.label.casefold() for role in ROLES}
    counts: dict[str, dict[str, int]] = {}
    totals: dict[str, int] = {}
    for one in spoken:
        for clip_id in one.clip_ids:
            track, clip = clips[clip_id]
            name = clip.speaker or (track.name if track.name.casefold() not in roles else "")
            totals[one.turn.speaker] = totals.get(one.turn.speaker, 0) + 1
            if name:
                mine = counts.setdefault(one.turn.speaker, {})
                mine[name] = mine.get(name, 0) + 1
    taken = {name for name in names.values() if not NUMBERED.fullmatch(name)}
    found = dict(names)
    claims = sorted(((n, person, name) for person, mine in counts.items() for name, n in mine.items()), reverse=True)
    for n, person, name in claims:
        is_open = NUMBERED.fullmatch(found.get(person, "")) is not None
        if is_open and name not in taken and n >= LEAST_SHARE * totals[person]:
            found[person] = name
            taken.add(name)
    return found
