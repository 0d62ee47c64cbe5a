"""The frozen plan of a programme."""
