"""One file a command, read when it is wanted: its arguments, and what it does."""
