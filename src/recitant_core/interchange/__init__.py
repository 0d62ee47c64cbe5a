"""Formats as values: plain data in, core values out."""
