"""JSON files of ours, checked against their published schemas before anything reads them."""

import difflib
import json
import math
from functools import cache
from pathlib import Path
from typing import Any, Final

import jsonschema

from recitant_core.errors import PlanError

MOST_BYTES: Final = 50_000_000
"""A thousand clips with their curves are a tenth of it."""
_SCHEMAS = {"plan": "plan.schema.json", "specification": "spec.schema.json"}


@cache
def _validator(kind: str) -> Any:
    schema = Path(__file__).with_name(_SCHEMAS[kind])
    return jsonschema.Draft202012Validator(json.loads(schema.read_text(encoding="utf-8")))


def checked_data(path: Path, kind: str) -> dict[str, Any]:
    """Data of a JSON file, valid under the schema of its kind.

    Args:
        kind: "plan" or "specification".

    Raises:
        PlanError: no such file, not text, not JSON, not of the schema; ``field`` tells where.
    """
    return data_from_text(_bytes_of(path, kind), kind, str(path))


def text_of(path: Path, kind: str) -> str:
    """A text file in UTF-8.

    Args:
        kind: what it is, for what is said of it.

    Raises:
        PlanError: no such file, or not text.
    """
    try:
        return _bytes_of(path, kind).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise PlanError("json_not_readable", field="", kind=kind, file=str(path)) from error


def _bytes_of(path: Path, kind: str) -> bytes:
    try:
        if path.exists() and not path.is_file():
            raise PlanError("json_not_a_file", field="", kind=kind, file=str(path))
        if path.stat().st_size > MOST_BYTES:
            raise PlanError("json_too_large", field="", kind=kind, file=str(path), most_mb=MOST_BYTES // 1_000_000)
        return path.read_bytes()
    except FileNotFoundError as error:
        raise PlanError("no_json_file", field="", kind=kind, file=str(path)) from error
    except OSError as error:
        raise PlanError("json_not_readable", field="", kind=kind, file=str(path)) from error


def data_from_text(text: bytes, kind: str, file: str = "") -> dict[str, Any]:
    """Data of JSON in UTF-8, valid under the schema of its kind.

    Args:
        kind: "plan" or "specification".
        file: its name, for what is said of it.

    Raises:
        PlanError: not text, not JSON, not of the schema; ``field`` tells where.
    """
    try:
        data = json.loads(text.decode("utf-8"))
    except (UnicodeDecodeError, RecursionError) as error:
        raise PlanError("json_not_readable", field="", kind=kind, file=file) from error
    except json.JSONDecodeError as error:
        raise PlanError("not_json", field="", kind=kind, line=error.lineno, column=error.colno) from error
    except ValueError as error:  # a number of more digits than Python reads
        raise PlanError("json_not_readable", field="", kind=kind, file=file) from error
    require_valid(data, kind)
    return data  # type: ignore[no-any-return]


def require_valid(data: Any, kind: str) -> None:
    """Refuse data that the schema of its kind does not allow.

    Raises:
        PlanError: what is wrong, at the property that is meant.
    """
    worst = jsonschema.exceptions.best_match(_validator(kind).iter_errors(data))
    if worst is not None:
        raise _shape_error(worst, kind)
    _require_finite(data, "", kind)


def number_limits(kind: str) -> dict[str, tuple[float, float]]:
    """Least and greatest value of every number that a schema limits on both sides, by the name of its property."""
    found: dict[str, tuple[float, float]] = {}
    waiting = [_validator(kind).schema]
    while waiting:
        for name, schema in waiting.pop().get("properties", {}).items():
            waiting.append(schema)
            if "minimum" in schema and "maximum" in schema:
                found[name] = (schema["minimum"], schema["maximum"])
    return found


def _shape_error(worst: Any, kind: str) -> PlanError:
    field = _field(worst.absolute_path)
    known = worst.schema.get("properties", {}) if isinstance(worst.schema, dict) else {}
    if worst.validator == "additionalProperties" and isinstance(worst.instance, dict):
        name = next((name for name in worst.instance if name not in known), "")
        meant = difflib.get_close_matches(name, known, n=1, cutoff=0.5)
        code = "plan_property_meant" if meant else "plan_property_unknown"
        facts = {"meant": meant[0]} if meant else {"known": ", ".join(sorted(known))}
        return PlanError(code, field=f"{field}.{name}".lstrip("."), name=name, **facts)
    if worst.validator == "required" and isinstance(worst.instance, dict):
        missing = next(name for name in worst.validator_value if name not in worst.instance)
        return PlanError("plan_property_missing", field=f"{field}.{missing}".lstrip("."), name=missing)
    return PlanError("plan_shape", field=field, kind=kind, schema=_SCHEMAS[kind], message=worst.message[:300])


def _field(path: Any) -> str:
    return "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in path).lstrip(".")


def _require_finite(value: Any, field: str, kind: str) -> None:
    # JSON readers take NaN and Infinity, which pass every limit of a schema.
    if isinstance(value, float) and math.isnan(value):
        raise PlanError("plan_shape", field=field, kind=kind, schema=_SCHEMAS[kind], message="NaN is not a number")
    if isinstance(value, dict):
        for name, part in value.items():
            _require_finite(part, f"{field}.{name}".lstrip("."), kind)
    if isinstance(value, list):
        for index, part in enumerate(value):
            _require_finite(part, f"{field}[{index}]", kind)
