"""Presets: chains that a workspace keeps under names."""

from typing import Any

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction

from recitant_core.errors import EditRefused
from recitant_core.processors.model import chain_data, chain_from_data, processor_data
from recitant_web.desk.models import Preset
from recitant_web.programme.models import Programme


def keep_preset(programme: Programme, user: User, name: str, chain: list[Any]) -> Preset:
    """Keep a chain under a name for the workspace; noise that was learned stays with the recording.

    Raises:
        EditRefused: the name is taken, or the chain is empty. PlanError: a chain that cannot be.
    """
    made = chain_data(chain_from_data(chain))
    if not made:
        raise EditRefused("no_such_processor")
    for processor in made:
        processor.pop("profile_db", None)
    try:
        with transaction.atomic():
            return Preset.objects.create(workspace_id=programme.workspace_id, name=name[:80], chain=made, user=user)
    except IntegrityError as error:
        raise EditRefused("preset_name_taken") from error


def drop_preset(programme: Programme, preset_id: int) -> None:
    """Forget a preset.

    Raises:
        EditRefused: it is not of this workspace.
    """
    gone, _ = Preset.objects.filter(pk=preset_id, workspace_id=programme.workspace_id).delete()
    if not gone:
        raise EditRefused("preset_gone")


def presets(programme: Programme) -> list[dict[str, Any]]:
    """Chains that the workspace keeps under names."""
    rows = Preset.objects.filter(workspace=programme.workspace_id).order_by("name")
    return [{"id": row.pk, "name": row.name, "kinds": [p.get("kind") for p in row.chain]} for row in rows]


def chain_of_preset(programme: Programme, preset_id: int) -> list[dict[str, Any]]:
    """The chain of a preset of this workspace.

    Raises:
        EditRefused: it is not of this workspace. PlanError: a newer version made it.
    """
    row = Preset.objects.filter(pk=preset_id, workspace=programme.workspace_id).first()
    if row is None:
        raise EditRefused("preset_gone")
    return [processor_data(p) for p in chain_from_data(row.chain)]
