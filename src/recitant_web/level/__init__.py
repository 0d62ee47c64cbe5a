"""The Level page: the sheet of clips, chains, evening out, presets."""
