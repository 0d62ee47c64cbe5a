"""What tells one state of a page from another, as a patch: small where an edit changed one clip in a thousand.

A state is JSON data. A patch of an object holds ``set`` (values by key), ``drop`` (keys that are gone) and ``in``
(patches by key); one of a list whose items all have an ``id`` holds ``rows`` (new items), ``in`` (patches by id) and,
where items came, went or moved, ``order`` (all ids). Any other value that differs is set whole. The page puts it
together again: static/js/lib/patches.js.
"""

from collections.abc import Mapping, Sequence
from typing import Any

Patch = dict[str, Any]


def patch_between(before: Mapping[str, Any], after: Mapping[str, Any]) -> Patch:
    """The patch that makes one object into another; empty where they are equal."""
    patch: Patch = {}
    changed: dict[str, Any] = {}
    inside: dict[str, Patch] = {}
    for key, value in after.items():
        if key not in before:
            changed[key] = value
        elif before[key] is not value and before[key] != value:
            found = _patch_of_value(before[key], value)
            if found is None:
                changed[key] = value
            else:
                inside[key] = found
    gone = [key for key in before if key not in after]
    for name, part in (("set", changed), ("in", inside), ("drop", gone)):
        if part:
            patch[name] = part
    return patch


def _patch_of_value(before: Any, after: Any) -> Patch | None:
    """The patch between two values that differ; None where the new one is better sent whole."""
    if isinstance(before, dict) and isinstance(after, dict):
        return patch_between(before, after)
    if _has_ids(before) and _has_ids(after):
        return _patch_of_rows(before, after)
    return None


def _has_ids(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(item, dict) and "id" in item for item in value)


def _patch_of_rows(before: Sequence[dict[str, Any]], after: Sequence[dict[str, Any]]) -> Patch:
    known = {row["id"]: row for row in before}
    new, inside = [], {}
    for row in after:
        was = known.get(row["id"])
        if was is None:
            new.append(row)
        elif was is not row and (found := patch_between(was, row)):
            inside[str(row["id"])] = found
    patch: Patch = {}
    if new:
        patch["rows"] = new
    if inside:
        patch["in"] = inside
    if [row["id"] for row in before] != [row["id"] for row in after]:
        patch["order"] = [row["id"] for row in after]
    return patch
