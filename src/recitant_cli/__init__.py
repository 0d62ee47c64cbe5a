"""The core from the command line, with no server and no framework."""
