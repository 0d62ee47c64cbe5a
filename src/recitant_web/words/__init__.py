"""The Words page."""
