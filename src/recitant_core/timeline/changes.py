"""What an edit does to one row: the shape in which the log keeps it."""

from typing import Any

Change = dict[str, Any]
"""table, id, and ``set`` (name to old and new), ``insert`` or ``delete`` (all values)."""
