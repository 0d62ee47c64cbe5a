"""A specification as JSON data: the values of delivery.spec under names with units.

The shape is published as docs/spec.schema.json and checked by recitant_io.formats.json_file before it gets here.
"""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields
from typing import Any, Final

from recitant_core.delivery.specification.catalogue import CATALOGUE
from recitant_core.delivery.specification.form import Channels, Form, Leader
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.delivery.specification.names import require_pattern
from recitant_core.errors import PlanError, RangeError
from recitant_core.units.clock import SampleSpan
from recitant_core.units.timecode import samples_from_timecode

SPEC_VERSION: Final = 1
_OTHER_NAMES: Final = {"spec_id": "id", "is_from_memory": "from_memory"}
"""Fields that JSON calls otherwise."""
_SHIPPED: Final = frozenset(CATALOGUE)
_NEAR: Final = 1e-6
_ANY_RATE: Final = "60"  # of the timecodes: a programme's own rate is asked again when it is handed over


def spec_from_data(data: Mapping[str, Any]) -> Spec:
    """The specification that this data describes.

    Args:
        data: valid under the schema.

    Raises:
        PlanError: its id is that of a shipped specification with other figures, a pattern that gives no file names,
            or a start that is no timecode; ``field`` says where.
    """
    given = {field.name: data[name] for field in fields(Spec) if (name := _name(field.name)) in data}
    form = _form(data.get("form", {}))
    found = Spec(
        **given | {"anchor": Anchor(data.get("anchor", "programme")), "source": data.get("source", ""), "form": form}
    )
    if any(shipped.spec_id == found.spec_id and shipped != found for shipped in CATALOGUE):
        raise PlanError("spec_id_shipped", field="id", spec_id=found.spec_id)
    return found


def _form(data: Mapping[str, Any]) -> Form:
    found = Form(
        **dict(data)
        | {"channels": Channels(data.get("channels", "as-mixed")), "leader": Leader(data.get("leader", "silence"))}
    )
    for name in ("leader_s", "tail_s"):
        hundredths = 100.0 * getattr(found, name)
        if abs(hundredths - round(hundredths)) > _NEAR:
            raise PlanError("not_hundredths", field=f"form.{name}", found=getattr(found, name))
    try:
        require_pattern(found.names)
        if found.start_timecode:
            samples_from_timecode(found.start_timecode, _ANY_RATE)
    except PlanError as error:
        raise PlanError(error.code, **error.facts | {"field": "form.names"}) from error
    except RangeError as error:
        raise PlanError("not_a_start", field="form.start_timecode", found=found.start_timecode[:40]) from error
    return found


def spec_to_data(spec: Spec) -> dict[str, Any]:
    """A specification as JSON data: what spec_from_data reads back as an equal one."""
    values = {_name(field.name): getattr(spec, field.name) for field in fields(Spec)}
    return {"specification": SPEC_VERSION} | values | {"form": asdict(spec.form)}


def spec_key(spec: Spec) -> str:
    """A name for exactly these figures, up to 40 letters: what was worked out for them is kept under it."""
    if spec in _SHIPPED:
        return spec.spec_id
    text = json.dumps(spec_to_data(spec), sort_keys=True)
    return f"{spec.spec_id}~{hashlib.sha256(text.encode()).hexdigest()[:8]}"


def fit_key(spec: Spec, talk: Sequence[SampleSpan]) -> str:
    """A name for a fit to exactly these figures, up to 40 letters.

    Args:
        talk: where somebody speaks; it counts where the specification is about dialogue.
    """
    if not spec.is_about_speech:
        return spec_key(spec)
    spans = [(span.start_sample, span.length_samples) for span in talk]
    text = json.dumps([spec_to_data(spec), spans], sort_keys=True)
    return f"{spec.spec_id}~{hashlib.sha256(text.encode()).hexdigest()[:8]}"


def _name(field: str) -> str:
    return _OTHER_NAMES.get(field, field)
