"""Where someone speaks."""
