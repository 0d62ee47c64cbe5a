"""Who speaks: voices as vectors, grouped, and given to words."""
