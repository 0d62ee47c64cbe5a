"""The shape of the edits that the Arrange page posts."""

import json
import math
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest

from recitant_core.errors import EditRefused

Check = Callable[[Any], Any]
MOST_IDS = 20_000
MOST_POINTS = 5_000
_DAY_SAMPLES = 24 * 3_600 * 48_000


def arrange_edit(request: HttpRequest) -> dict[str, Any]:
    """An edit as the page posts it: kind, revision, and what the kind needs, each of its type.

    Raises:
        EditRefused: not of that shape.
    """
    try:
        data = json.loads(request.body)
        kind = str(data["kind"])
        edit: dict[str, Any] = {"kind": kind, "revision": int(data["revision"])}
        for name, check in FIELDS[kind].items():
            edit[name] = check(data.get(name))
    except (ValueError, KeyError, TypeError, OverflowError) as error:
        raise EditRefused("gone") from error
    return edit


def first_balance_from(request: HttpRequest) -> dict[str, Any]:
    """What a page chose for a first balance.

    Raises:
        EditRefused: not of that shape.
    """
    try:
        data = json.loads(request.body)
        found: dict[str, Any] = {"revision": int(data["revision"])}
        for name, check in FIRST_BALANCE_FIELDS.items():
            found[name] = check(data.get(name))
    except (ValueError, KeyError, TypeError, OverflowError) as error:
        raise EditRefused("gone") from error
    return found


def _whole(value: Any) -> int:
    number = float(value)
    if not math.isfinite(number) or abs(number) > 1e13:
        raise ValueError(value)
    return round(number)


def _place(value: Any) -> int:
    return min(max(0, _whole(value)), _DAY_SAMPLES)


def _whole_or(default: int) -> Check:
    return lambda value: default if value is None else _whole(value)


def _maybe_whole(value: Any) -> int | None:
    return None if value is None else _whole(value)


def _id(value: Any) -> str:
    text = str(value)
    if not (text.isascii() and text.isdecimal() and len(text) < 19):
        raise ValueError(text)
    return str(int(text))


def _row(value: Any) -> int:
    return int(_id(value))


def _ids(value: Any) -> list[str]:
    if not isinstance(value, list) or not 1 <= len(value) <= MOST_IDS:
        raise ValueError("ids")
    return list(dict.fromkeys(_id(one) for one in value))


def _rows(value: Any) -> list[int]:
    return [int(one) for one in _ids(value)]


def _gain(value: Any) -> float:
    text = str(value).replace("−", "-").replace(",", ".").strip()
    try:
        gain_db = float(text)
    except ValueError as error:
        raise EditRefused("not_a_number", found=text[:40]) from error
    if not math.isfinite(gain_db):
        raise EditRefused("not_a_number", found=text[:40])
    return gain_db


def _points(value: Any) -> list[tuple[int, float]]:
    if not isinstance(value, list) or len(value) > MOST_POINTS:
        raise ValueError("points")
    return [(_whole(at), _gain(gain_db)) for at, gain_db in value]


def _one_of(*choices: str) -> Check:
    def check(value: Any) -> str:
        if value not in choices:
            raise ValueError(value)
        return str(value)

    return check


def _maybe(check: Check) -> Check:
    return lambda value: None if value is None else check(value)


def _text(value: Any) -> str:
    text = " ".join(str(value or "").split())[:120]
    return "".join(c for c in text if c.isprintable())


def _name(value: Any) -> str:
    text = _text(value)
    if not text:
        raise EditRefused("not_a_name")
    return text


def _word(value: Any) -> str:
    text = str(value)
    if not (text.isascii() and text.isalnum() and len(text) < 19):
        raise ValueError(text)
    return text


def _number(unit: str) -> Check:
    def check(value: Any) -> float:
        text = str(value).replace("−", "-").replace(",", ".").strip()
        try:
            number = float(text)
        except ValueError as error:
            raise EditRefused("not_a_figure", found=text[:40], unit=unit) from error
        if not math.isfinite(number):
            raise EditRefused("not_a_figure", found=text[:40], unit=unit)
        return number

    return check


_RULE_TEXTS = {"kind", "aim", "start"}
_RULE_FLAGS = {"uses_phrases", "uses_level", "is_frozen", "is_on"}


def _rule(value: Any) -> dict[str, Any]:
    # Numbers come as somebody typed them; which fields there are, the rule itself says.
    if not isinstance(value, dict) or len(value) > 40:
        raise ValueError("rule")
    found: dict[str, Any] = {}
    for name, part in value.items():
        if name in ("room", "live"):
            found[name] = _rule(part)
        elif name == "keys":
            found[name] = [_id(one) for one in part]
        elif name in _RULE_TEXTS:
            found[name] = _text(part)
        elif name in _RULE_FLAGS:
            found[name] = bool(part)
        elif name == "clearance_lu" and part in (None, ""):
            found[name] = None
        else:
            found[str(name)[:40]] = _number(_unit_of(str(name)))(part)
    return found


def _unit_of(name: str) -> str:
    units = {"db": "dB", "lu": "LU", "s": "seconds", "ms": "milliseconds", "hz": "Hz", "dbfs": "dBFS"}
    return units.get(name.rsplit("_", 1)[-1], "that")


_TARGET = _one_of("clip", "track", "stem", "master")


def _words(value: Any) -> list[str]:
    if not isinstance(value, list) or not 1 <= len(value) <= MOST_IDS:
        raise ValueError("ids")
    return list(dict.fromkeys(_word(one) for one in value))


def _chain(value: Any) -> list[Any]:
    # What may stand in a chain the core checks, with a sentence for each fault.
    if not isinstance(value, list):
        raise ValueError("chain")
    return value


def _gains(value: Any) -> list[tuple[str, float]]:
    if not isinstance(value, list) or not 1 <= len(value) <= MOST_IDS:
        raise ValueError("gains")
    return [(_id(clip_id), _gain(gain_db)) for clip_id, gain_db in value]


def _share(value: Any) -> float:
    return min(1.0, max(0.0, _number("percent")(value) / 100.0))


def _limit_db(value: Any) -> float:
    return min(60.0, max(0.1, _number("dB")(value)))


def even_options(value: Any) -> dict[str, Any]:
    """How to even out: goal, by, strength in percent, most_change_db, is_group."""
    if not isinstance(value, dict):
        raise ValueError("options")
    goal = _number("LUFS or dBFS")(value.get("goal"))
    return {
        "goal": min(0.0, max(-70.0, goal)),
        "by": _one_of("loudness", "peak")(value.get("by")),
        "strength": _share(value.get("strength_percent")),
        "most_change_db": _limit_db(value.get("most_change_db")),
        "is_group": bool(value.get("is_group")),
    }


_SHAPE = _one_of("equal-power", "equal-gain", "smooth")
_MARKER = _one_of("sync", "note", "chapter")
_ROLE = _one_of("dialogue", "music", "effects", "ambience")
FIELDS: dict[str, dict[str, Check]] = {
    "move": {"ids": _ids, "by_samples": _whole_or(0), "by_tracks": _whole_or(0)},
    "place": {"ids": _ids, "at_sample": _whole},
    "trim": {"id": _id, "edge": _one_of("start", "end"), "by_samples": _whole},
    "slip": {"id": _id, "by_samples": _whole},
    "split": {"ids": _ids, "at_sample": _whole},
    "delete": {"ids": _ids, "close_gap": bool},
    "paste": {"ids": _ids, "at_sample": _whole},
    "fade": {"ids": _ids, "edge": _one_of("in", "out"), "length_samples": _whole, "shape": _maybe(_SHAPE)},
    "crossfade": {"id": _id, "to_id": _id, "shape": _SHAPE},
    "level": {"ids": _ids, "by_db": _gain},
    "curve": {"ids": _ids, "points": _points},
    "point": {"id": _id, "index": _whole, "at_sample": _whole, "gain_db": _gain},
    "point-add": {"id": _id, "at_sample": _whole},
    "draw": {"id": _id, "points": _points},
    "curve-clear": {"ids": _ids, "from_sample": _whole, "to_sample": _whole},
    "group": {"ids": _ids, "is_grouped": bool},
    "name": {"ids": _ids, "name": _name},
    "mend": {"source_id": _row, "code": _text, "is_undone": bool},
    "use": {
        "source_id": _row,
        "at_sample": _whole,
        "from_sample": _whole_or(0),
        "to_sample": _whole_or(0),
        "track_id": lambda value: _id(value) if value else "",
    },
    "extend": {"id": _id, "length_samples": _whole},
    "fill": {"track_id": _id, "at_sample": _whole},
    "role": {"source_ids": _rows, "role": _ROLE},
    "track-add": {"name": _text, "role": _ROLE},
    "track-set": {
        "id": _row,
        "name": _maybe(_name),
        "role": _maybe(_ROLE),
        "height_px": _maybe(lambda value: min(240, max(28, _whole(value)))),
        "is_mono": _maybe(bool),
        "pan": _maybe(lambda value: min(1.0, max(-1.0, _gain(value)))),
    },
    "track-order": {"id": _row, "to": _whole},
    "track-remove": {"id": _row},
    "marker-add": {"marker": _MARKER, "at_sample": lambda value: max(0, _whole(value)), "text": _text},
    "marker-set": {
        "id": _row,
        "marker": _maybe(_MARKER),
        "at_sample": _maybe(lambda value: max(0, _whole(value))),
        "text": _maybe(_text),
    },
    "marker-remove": {"id": _row},
    "lock": {"is_locked": bool},
    "undo": {},
    "redo": {},
    "go-to": {"edit_id": _whole},
    "version-save": {"name": _name},
    "version-return": {"id": _row},
    "duck-add": {"target": _one_of("stem", "track"), "id": _word, "start": _text},
    "duck-remove": {"id": _id},
    "duck-rule": {"id": _id, "rule": _rule},
    "duck-point": {"id": _id, "index": _whole, "at_sample": _place, "gain_db": _gain},
    "duck-point-add": {"id": _id, "at_sample": _place},
    "duck-point-remove": {"id": _id, "index": _whole},
    "duck-release": {"id": _id, "from_sample": _whole, "to_sample": _whole},
    "cure": {
        "code": _one_of("raise-clip", "lower-clip", "deepen", "add-duck"),
        "target_id": _word,
        "by_db": _gain,
        "start_sample": _whole,
        "length_samples": _whole,
    },
    "speech": {"id": _id, "from_sample": _whole, "to_sample": _whole, "is_speech": bool},
    "clearance": {"asked_lu": _number("LU"), "least_s": _number("seconds")},
    "step-back": {"edit_id": _whole},
    "chain": {"target": _TARGET, "ids": _words, "chain": _chain},
    "ride": {
        "target": _one_of("track", "stem"),
        "id": _word,
        "mode": _one_of("touch", "latch", "overwrite", "set"),
        "is_first": bool,
        "points": _points,
    },
    "gains": {"gains": _gains},
    "even-out": {"ids": _ids, "options": even_options},
    "ride-clips": {
        "ids": _ids,
        "strength": _share,
        "most_db": _limit_db,
        "slope_db_per_s": lambda value: min(40.0, max(0.2, _number("dB a second")(value))),
    },
    "speaker": {"ids": _ids, "name": _text},
    "zones": {name: _number("LU or dBFS") for name in ("quiet_lu", "near_lu", "loud_lu", "peak_dbfs")},
    "vary": {"id": _id, "speed": _gain, "keeps_pitch": bool, "semitones": _gain},
}


def checked_fields(data: dict[str, Any], fields: dict[str, Check]) -> dict[str, Any]:
    """The fields of some data, each through its check.

    Raises:
        EditRefused, ValueError, TypeError: one is not of its shape.
    """
    return {name: check(data.get(name)) for name, check in fields.items()}


LEVEL_CHECKS: dict[str, Check] = {
    "whole": _whole_or(0),
    "target": _TARGET,
    "target_id": _word,
    "ids": _ids,
    "row": _row,
    "name": _name,
    "chain": _chain,
    "what": _one_of("noise", "hum", "resonances", "start"),
    "start": _text,
    "preset": _one_of("keep", "drop", "read"),
    "options": even_options,
}


def _steps(value: Any) -> list[str]:
    check = _one_of("mend", "even-out", "stems", "duck", "check", "fit")
    return [check(one) for one in value]


_AROUND = _one_of("soft", "medium", "forward")
FIRST_BALANCE_FIELDS: dict[str, Check] = {
    "music": _AROUND,
    "effects": _AROUND,
    "ducking": _one_of("gentle", "clear", "strong"),
    "steps": _steps,
    "from_sample": _whole_or(0),
    "to_sample": _whole_or(0),
}
