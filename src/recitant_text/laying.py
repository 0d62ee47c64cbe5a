"""Ways to lay recordings that came together, in words."""

from typing import Final

from recitant_core.timeline.laying import Laying

LAYING_WORDS: Final = {
    Laying.ROW: "one after another on one track",
    Laying.NAMES: "one after another, a track a name",
    Laying.ROLES: "one after another, a track a role",
    Laying.TIMES: "by their time of day",
    Laying.APART: "each on a track of its own",
}
