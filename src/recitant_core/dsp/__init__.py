"""Filters and interpolation: a block and a state in, a block and a state out."""
