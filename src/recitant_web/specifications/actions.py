"""Own specifications made, changed and left out."""

import re
import unicodedata
from dataclasses import replace
from typing import Any, Final

from django.db import transaction
from django.utils import timezone

from recitant_core.delivery.specification.catalogue import CATALOGUE
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_from_data, spec_to_data
from recitant_core.errors import EditRefused, PlanError
from recitant_io.formats.json_file import data_from_text, require_valid
from recitant_io.formats.spec_file import require_files
from recitant_text.names import source_as_changed
from recitant_web.accounts.models import Workspace
from recitant_web.specifications.models import OwnSpec
from recitant_web.specifications.queries import spec_named

MOST_SPECS: Final = 100
_MOST_LETTERS: Final = 31


@transaction.atomic
def copy_spec(workspace: Workspace, spec_id: str, name: str) -> Spec:
    """A specification of the workspace's own with the figures of another.

    Raises:
        UnknownSpec: no such specification. EditRefused: no name, or too many. PlanError: a name that is too long.
    """
    like = spec_named(workspace.pk, spec_id)
    name = " ".join(name.split())
    if not name:
        raise EditRefused("spec_needs_a_name")
    source = source_as_changed(like.name) if like in CATALOGUE else like.source
    made = replace(like, spec_id=_free_id(workspace, name), name=name, source=source, is_from_memory=False)
    return _kept_new(workspace, made)


@transaction.atomic
def read_spec(workspace: Workspace, text: bytes) -> Spec:
    """A specification from a JSON file; one of the same id is replaced.

    Raises:
        PlanError: it says what a specification cannot. EditRefused: too many.
    """
    data = data_from_text(text, "specification")
    found = spec_from_data(data)
    require_files(found)
    if OwnSpec.objects.filter(workspace=workspace, spec_id=found.spec_id).exists():
        return change_spec(workspace, found.spec_id, data)
    return _kept_new(workspace, found)


@transaction.atomic
def change_spec(workspace: Workspace, spec_id: str, data: dict[str, Any]) -> Spec:
    """New figures for one of the workspace's own. Deliveries keep those that they were made with.

    Args:
        data: as the schema has it; its id is not looked at.

    Raises:
        PlanError: it says what a specification cannot; ``field`` tells where. EditRefused: no such one.
    """
    row = OwnSpec.objects.select_for_update().filter(workspace=workspace, spec_id=spec_id).first()
    if row is None:
        raise EditRefused("no_own_spec")
    data = data | {"id": spec_id}
    require_valid(data, "specification")
    found = spec_from_data(data)
    require_files(found)
    row.data, row.left_out_at = spec_to_data(found), None
    row.save()
    return found


@transaction.atomic
def leave_out_spec(workspace: Workspace, spec_id: str) -> None:
    """Offer one of the workspace's own no longer; what uses it goes on using it."""
    OwnSpec.objects.filter(workspace=workspace, spec_id=spec_id).update(left_out_at=timezone.now())


def _kept_new(workspace: Workspace, spec: Spec) -> Spec:
    Workspace.objects.select_for_update().get(pk=workspace.pk)
    if OwnSpec.objects.filter(workspace=workspace, left_out_at__isnull=True).count() >= MOST_SPECS:
        raise EditRefused("too_many_specs", most=MOST_SPECS)
    data = spec_to_data(spec)
    require_valid(data, "specification")
    OwnSpec.objects.create(workspace=workspace, spec_id=spec.spec_id, data=data)
    return spec


def _free_id(workspace: Workspace, name: str) -> str:
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    stem = re.sub(r"[^a-z0-9]+", "-", plain).strip("-") or "own"
    taken = {spec.spec_id for spec in CATALOGUE}
    taken |= set(OwnSpec.objects.filter(workspace=workspace).values_list("spec_id", flat=True))
    for number in range(1, len(taken) + 2):
        ending = "" if number == 1 else f"-{number}"
        found = stem[: _MOST_LETTERS - len(ending)].rstrip("-") + ending
        if found not in taken:
            return found
    raise PlanError("spec_id_taken", field="id", spec_id=stem)
