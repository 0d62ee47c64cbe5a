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

LAYING_CHOICES: Final = (
    ("auto", "Automatic", "as the files suggest; by time of day where all carry one"),
    ("names", "A track for each name", "interview 01 and interview 02 share one"),
    ("row", "All on one track", ""),
    ("roles", "A track for each role", "dialogue, music, effects …"),
    ("times", "By the time of day they carry", "what carries none follows behind"),
    ("apart", "Each on a track of its own", "all from the start, or where the file says"),
)
"""Ways to choose from on Intake: value, words, and what it means."""
