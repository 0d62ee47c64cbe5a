"""The shape of what comes in."""

from django import forms

from recitant_text.notices import notice
from recitant_text.spec_form import SPEC_CHOICE_LABEL
from recitant_web.accounts.models import Workspace
from recitant_web.programme.queries import frame_rates
from recitant_web.specifications.queries import shipped_specs, specs_of


class ProgrammeForm(forms.Form):
    """A new programme."""

    title = forms.CharField(max_length=200, error_messages={"required": notice("no_title")})
    spec_id = forms.ChoiceField(label=SPEC_CHOICE_LABEL)
    frame_rate = forms.ChoiceField(initial="25")

    def __init__(self, workspace: Workspace | None, *args: object) -> None:
        """
        Args:
            workspace: whose specifications can be chosen.
        """
        super().__init__(*args)  # type: ignore[arg-type]
        found = shipped_specs() if workspace is None else specs_of(workspace)
        choices = {"spec_id": [(spec.spec_id, spec.name) for spec in found]}
        choices["frame_rate"] = [(name, name) for name in frame_rates()]
        for name, of_field in choices.items():
            field = self.fields[name]
            assert isinstance(field, forms.ChoiceField)
            field.choices = of_field
        for name, css in (("title", "form-control"), ("spec_id", "form-select"), ("frame_rate", "form-select")):
            self.fields[name].widget.attrs["class"] = css
