"""What the gain is at each sample."""
