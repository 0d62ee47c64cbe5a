"""Who speaks in a programme, by name: the one home of it for pages, captions and files."""

from collections.abc import Sequence

from recitant_core.timeline.model import Plan
from recitant_core.timeline.people import named
from recitant_core.timeline.words import SpokenTurn, turns_in_programme
from recitant_web.programme.models import Programme
from recitant_web.transcript.queries import speakers_of, words_of


def names_of_people(programme: Programme, plan: Plan, spoken: Sequence[SpokenTurn] | None = None) -> dict[str, str]:
    """Names of everybody who speaks, by id; see recitant_core.timeline.people.

    Args:
        spoken: turns of the programme where they are known already.
    """
    turns = turns_in_programme(plan, words_of(programme)) if spoken is None else spoken
    return named(plan, turns, speakers_of(programme))
