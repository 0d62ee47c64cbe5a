"""A plan on disk: read with its recordings, examined, and everything that a first balance needs of it."""
