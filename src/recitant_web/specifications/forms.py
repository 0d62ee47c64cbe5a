"""The shape of a specification as it is typed."""

from dataclasses import fields
from typing import Any

from django import forms
from django.core.validators import MaxValueValidator, MinValueValidator

from recitant_core.delivery.specification.form import CONTAINERS, RATES_HZ, Form
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_to_data
from recitant_core.errors import RecitantError
from recitant_io.formats.json_file import number_limits
from recitant_text.notices import notice
from recitant_text.sentences import sentence, signed
from recitant_text.spec_form import FIELD_CHOICES, FIELD_GROUPS, FIELD_HELP, FIELD_LABELS

_OF_FORM = frozenset(field.name for field in fields(Form))


def _number(unit: str, *, is_needed: bool = False) -> forms.FloatField:
    field = forms.FloatField(required=is_needed)
    field.widget = forms.NumberInput(attrs={"step": "any", "class": "gain"})
    field.unit = unit  # type: ignore[attr-defined]
    return field


def _choice(name: str) -> forms.ChoiceField:
    return forms.ChoiceField(choices=list(FIELD_CHOICES[name].items()))


class SpecForm(forms.Form):
    """Every figure of a specification; the schema says which values are possible."""

    name = forms.CharField(max_length=80)
    source = forms.CharField(max_length=200, required=False)
    note = forms.CharField(max_length=500, required=False)
    anchor = _choice("anchor")
    target_lufs = _number("LUFS", is_needed=True)
    tolerance_lu = _number("LU", is_needed=True)
    mono_target_lufs = _number("LUFS")
    max_true_peak_dbtp = _number("dBTP", is_needed=True)
    max_short_term_lufs = _number("LUFS")
    max_momentary_lufs = _number("LUFS")
    max_range_lu = _number("LU")
    least_clearance_lu = _number("LU")
    bit_depth = forms.TypedChoiceField(coerce=int, choices=[(24, "24"), (16, "16")])
    container = forms.ChoiceField(choices=[(name, name.upper()) for name in CONTAINERS])
    rate_hz = forms.TypedChoiceField(coerce=int, choices=[(rate, f"{rate / 1_000:g} kHz") for rate in RATES_HZ])
    channels = _choice("channels")
    leader = _choice("leader")
    leader_s = _number("s")
    tone_dbfs = _number("dBFS")
    tail_s = _number("s")
    start_timecode = forms.CharField(required=False)
    names = forms.CharField(max_length=120, required=False)
    language = forms.CharField(max_length=3, required=False)
    files = forms.CharField(max_length=300, required=False)  # type: ignore[assignment]

    @classmethod
    def of(cls, spec: Spec) -> "SpecForm":
        """A form filled in."""
        data = spec_to_data(spec)
        values = data | data["form"]
        return cls(initial=values | {"language": "" if values["language"] == "und" else values["language"]})

    @property
    def groups(self) -> list[tuple[str, list[forms.BoundField]]]:
        """Its fields under headings."""
        return [(title, [self[name] for name in names]) for title, names in FIELD_GROUPS]

    @property
    def data_of_spec(self) -> dict[str, Any]:
        """The specification that was typed, as JSON data without its id."""
        given = {name: value for name, value in self.cleaned_data.items() if value is not None and value != ""}
        return {"specification": 1} | {
            **{name: value for name, value in given.items() if name not in _OF_FORM},
            "form": {name: value for name, value in given.items() if name in _OF_FORM},
        }

    def __init__(self, *args: object, **kwargs: object) -> None:
        """Django's form, with labels, a name for what is missing and classes for the look."""
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        limits = number_limits("specification")
        for name, field in self.fields.items():
            field.label, field.help_text = FIELD_LABELS[name], FIELD_HELP.get(name, "")
            if name in limits:
                least, most = limits[name]
                words = notice("from_to", least=signed(least, 0), most=signed(most, 0))
                field.validators += [MinValueValidator(least, words), MaxValueValidator(most, words)]
            field.error_messages["required"] = notice("needed")
            field.error_messages["invalid"] = notice("no_number")
            if isinstance(field, forms.ChoiceField):
                field.widget.attrs["class"] = "plain-select"
            elif "class" not in field.widget.attrs:
                field.widget.attrs["class"] = "gain wide"

    def refuse(self, error: RecitantError) -> None:
        """Say what is wrong beside the field that is meant."""
        name = str(error.facts.get("field", "")).rpartition(".")[2]
        self.add_error(name if name in self.fields else None, sentence(error))
