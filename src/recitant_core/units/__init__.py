"""Levels, sample time, timecode and channel meaning."""
