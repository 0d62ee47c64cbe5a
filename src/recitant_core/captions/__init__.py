"""Captions: cues made from words, and the rules they keep."""
