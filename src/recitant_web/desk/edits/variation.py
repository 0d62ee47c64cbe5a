"""A clip's change of speed or pitch: a job first, an edit when its recording is rendered."""

from django.contrib.auth.models import User

from recitant_core.errors import MalformedRequest
from recitant_web.desk import models
from recitant_web.desk.edits.registry import Edit
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Db, Id


class Vary(Edit, frozen=True, kw_only=True, tag="vary"):
    """Another speed or pitch; rendered by arrange.time_stretch."""

    id: Id
    speed: Db
    semitones: Db
    keeps_pitch: bool = False

    def carry_out(self, programme: Programme, user: User | None) -> list[models.Edit]:
        """It is asked for where jobs can be followed, and carried out by one.

        Raises:
            MalformedRequest: always.
        """
        raise MalformedRequest("malformed", field="kind")
