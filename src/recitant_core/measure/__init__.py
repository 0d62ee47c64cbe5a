"""Audio in, numbers out."""
