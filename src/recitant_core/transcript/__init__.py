"""Words of recordings: heard, told apart by speaker, corrected, aligned."""
