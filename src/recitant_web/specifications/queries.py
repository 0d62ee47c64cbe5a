"""Specifications that a workspace has: what ships, and its own."""

from collections.abc import Iterable
from typing import Any

from recitant_core.delivery.specification.catalogue import CATALOGUE, spec_by_id
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_from_data, spec_to_data
from recitant_core.errors import UnknownSpec
from recitant_text.specs import form_words, limit_words
from recitant_web.accounts.models import Workspace
from recitant_web.specifications.models import OwnSpec

_SHIPPED = frozenset(spec.spec_id for spec in CATALOGUE)


def specs_of(workspace: Workspace) -> tuple[Spec, ...]:
    """Everything that is offered, what ships first."""
    return (*CATALOGUE, *own_specs_of(workspace))


def own_specs_of(workspace: Workspace) -> list[Spec]:
    """The workspace's own that are offered, in the order they were made."""
    rows = OwnSpec.objects.filter(workspace=workspace, left_out_at__isnull=True)
    return [spec_from_data(data) for data in rows.values_list("data", flat=True)]


def spec_row(spec: Spec) -> dict[str, Any]:
    """A specification as the page lists it."""
    return {
        "id": spec.spec_id,
        "name": spec.name,
        "limits": limit_words(spec),
        "form": form_words(spec),
        "source": spec.source,
        "is_from_memory": spec.is_from_memory,
        "note": spec.note,
    }


def shipped_specs() -> tuple[Spec, ...]:
    """Specifications that ship."""
    return CATALOGUE


def is_own(workspace: Workspace, spec_id: str) -> bool:
    """Whether a workspace has a specification of this id that is its own."""
    return OwnSpec.objects.filter(workspace=workspace, spec_id=spec_id).exists()


def spec_data(workspace: Workspace, spec_id: str) -> dict[str, Any] | None:
    """A specification as JSON data; None where there is none of this id."""
    try:
        return spec_to_data(spec_named(workspace.pk, spec_id))
    except UnknownSpec:
        return None


def spec_named(workspace_id: int, spec_id: str) -> Spec:
    """The specification of this id, also one that is offered no longer.

    Raises:
        UnknownSpec: the workspace has none of this id.
    """
    if spec_id in _SHIPPED:
        return spec_by_id(spec_id)
    row = OwnSpec.objects.filter(workspace_id=workspace_id, spec_id=spec_id).first()
    return spec_by_id(spec_id) if row is None else spec_from_data(row.data)


def specs_named(wanted: Iterable[tuple[int, str]]) -> dict[tuple[int, str], Spec]:
    """Many specifications at once, by workspace and id."""
    found = set(wanted)
    own = {one for one in found if one[1] not in _SHIPPED}
    rows = OwnSpec.objects.filter(workspace_id__in={workspace_id for workspace_id, _ in own}) if own else ()
    read = {(row.workspace_id, row.spec_id): row.data for row in rows}
    return {one: spec_from_data(read[one]) if one in read else spec_by_id(one[1]) for one in found}
