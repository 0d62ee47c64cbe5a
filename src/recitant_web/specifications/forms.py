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

_OF_FORM = frozenset(field.name for field in fields(Form))


def _number(label: str, unit: str, help_text: str = "", *, is_needed: bool = False) -> forms.FloatField:
    field = forms.FloatField(label=label, required=is_needed, help_text=help_text)
    field.widget = forms.NumberInput(attrs={"step": "any", "class": "gain"})
    field.unit = unit  # type: ignore[attr-defined]
    return field


class SpecForm(forms.Form):
    """Every figure of a specification; the schema says which values are possible."""

    name = forms.CharField(label="Name", max_length=80)
    source = forms.CharField(label="Where the figures come from", max_length=200, required=False)
    note = forms.CharField(label="Note", max_length=500, required=False)
    anchor = forms.ChoiceField(
        label="Measured over", choices=[("programme", "the whole programme"), ("dialogue", "its dialogue")]
    )
    target_lufs = _number("Target", "LUFS", is_needed=True)
    tolerance_lu = _number("Tolerance ±", "LU", is_needed=True)
    mono_target_lufs = _number("Target in mono", "LUFS", "the same, if empty")
    max_true_peak_dbtp = _number("Highest true peak", "dBTP", is_needed=True)
    max_short_term_lufs = _number("Loudest 3 s", "LUFS", "no limit, if empty")
    max_momentary_lufs = _number("Loudest 0.4 s", "LUFS", "no limit, if empty")
    max_range_lu = _number("Widest range", "LU", "reported, if empty")
    least_clearance_lu = _number("Least clearance of speech", "LU", "reported, if empty")
    bit_depth = forms.TypedChoiceField(label="Bit depth", coerce=int, choices=[(24, "24"), (16, "16")])
    container = forms.ChoiceField(label="Container", choices=[(name, name.upper()) for name in CONTAINERS])
    rate_hz = forms.TypedChoiceField(
        label="Rate", coerce=int, choices=[(rate, f"{rate / 1_000:g} kHz") for rate in RATES_HZ]
    )
    channels = forms.ChoiceField(
        label="Channels",
        choices=[("as-mixed", "stereo"), ("mono", "mono, folded down"), ("two-mono", "two mono files")],
    )
    leader = forms.ChoiceField(label="Leader", choices=[("silence", "silence"), ("tone", "tone of 1 kHz")])
    leader_s = _number("Length of the leader", "s")
    tone_dbfs = _number("Level of the tone", "dBFS")
    tail_s = _number("Silence behind", "s")
    start_timecode = forms.CharField(
        label="Programme starts at", required=False, help_text="timecode behind the leader, such as 10:00:00:00"
    )
    names = forms.CharField(
        label="File names",
        max_length=120,
        required=False,
        help_text="of {title} {version} {spec} {role} {lang} {date} {rate}; role and specification, if empty",
    )
    language = forms.CharField(label="Language", max_length=3, required=False, help_text="three letters, such as deu")
    files = forms.CharField(  # type: ignore[assignment]
        label="Files",
        max_length=300,
        required=False,
        help_text="asked for at first, such as mix,stems,m-and-e,mp3:128",
    )

    GROUPS = (
        ("What it is called", ("name", "source", "note")),
        ("Loudness", ("anchor", "target_lufs", "tolerance_lu", "mono_target_lufs", "max_true_peak_dbtp")),
        ("Limits", ("max_short_term_lufs", "max_momentary_lufs", "max_range_lu", "least_clearance_lu")),
        ("Uncompressed files", ("container", "bit_depth", "rate_hz", "channels")),
        ("Before and behind", ("leader", "leader_s", "tone_dbfs", "tail_s", "start_timecode")),
        ("Names and files", ("names", "language", "files")),
    )

    @classmethod
    def of(cls, spec: Spec) -> "SpecForm":
        """A form filled in."""
        data = spec_to_data(spec)
        values = data | data["form"]
        return cls(initial=values | {"language": "" if values["language"] == "und" else values["language"]})

    @property
    def groups(self) -> list[tuple[str, list[forms.BoundField]]]:
        """Its fields under headings."""
        return [(title, [self[name] for name in names]) for title, names in self.GROUPS]

    @property
    def data_of_spec(self) -> dict[str, Any]:
        """The specification that was typed, as JSON data without its id."""
        given = {name: value for name, value in self.cleaned_data.items() if value is not None and value != ""}
        return {"specification": 1} | {
            **{name: value for name, value in given.items() if name not in _OF_FORM},
            "form": {name: value for name, value in given.items() if name in _OF_FORM},
        }

    def __init__(self, *args: object, **kwargs: object) -> None:
        """Django's form, with a name for what is missing and classes for the look."""
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        limits = number_limits("specification")
        for name, field in self.fields.items():
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
