"""Steps through the log: undo, redo, to a step, to a version."""

from django.contrib.auth.models import User

from recitant_core.errors import EditRefused
from recitant_text.steps import label
from recitant_web.desk import models
from recitant_web.desk.edits.registry import Edit, RowChanges, RowEdit
from recitant_web.desk.log import changes_back, go_to, redo, undo
from recitant_web.desk.versions import return_to_version, save_version
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Id, Name, Samples

Steps = list[models.Edit]


class Undo(Edit, frozen=True, kw_only=True, tag="undo"):
    """Take the newest step back."""

    def carry_out(self, programme: Programme, user: User | None) -> Steps:
        """See Edit."""
        return [undo(programme, self.revision)]


class Redo(Edit, frozen=True, kw_only=True, tag="redo"):
    """Put the step back that was undone last."""

    def carry_out(self, programme: Programme, user: User | None) -> Steps:
        """See Edit."""
        return [redo(programme, self.revision)]


class GoTo(Edit, frozen=True, kw_only=True, tag="go-to"):
    """Undo or redo until a step is the newest in force; 0 for the very beginning."""

    edit_id: Samples

    def carry_out(self, programme: Programme, user: User | None) -> Steps:
        """See Edit."""
        return go_to(programme, self.edit_id, self.revision)


class SaveVersion(Edit, frozen=True, kw_only=True, tag="version-save"):
    """Keep this state under a name."""

    name: Name

    def carry_out(self, programme: Programme, user: User | None) -> Steps:
        """See Edit."""
        save_version(programme, user, self.name, self.revision)
        return []


class ReturnToVersion(Edit, frozen=True, kw_only=True, tag="version-return"):
    """Make the programme what a version kept."""

    id: Id

    def carry_out(self, programme: Programme, user: User | None) -> Steps:
        """See Edit."""
        made = return_to_version(programme, user, self.id.number, self.revision)
        return [made] if made is not None else []


class StepBack(RowEdit, frozen=True, kw_only=True, tag="step-back"):
    """Take one step back while later ones stay."""

    edit_id: Samples

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        edit = models.Edit.objects.filter(pk=self.edit_id, programme=programme, state=models.EditState.DONE).first()
        if edit is None:
            raise EditRefused("no_such_edit")
        return label("took-back", step=edit.label), changes_back(edit), []
