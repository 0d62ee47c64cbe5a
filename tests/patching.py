"""Patches put into states in Python, for tests: what static/js/lib/patches.js does in pages."""


def patched(value, patch):
    """A state with a patch in it; nothing is changed in place."""
    if isinstance(value, list):
        rows = [
            patched(row, patch["in"][str(row["id"])]) if str(row["id"]) in patch.get("in", {}) else row for row in value
        ]
        if "order" not in patch:
            return rows
        known = {str(row["id"]): row for row in [*rows, *patch.get("rows", [])]}
        return [known[str(row_id)] for row_id in patch["order"]]
    found = {**value, **patch.get("set", {})}
    found = {key: inner for key, inner in found.items() if key not in patch.get("drop", [])}
    return found | {key: patched(value[key], inner) for key, inner in patch.get("in", {}).items()}
