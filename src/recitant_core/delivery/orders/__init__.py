"""What is ordered and what it came to."""
