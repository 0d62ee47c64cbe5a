"""What is wrong or odd about a recording, and what it probably is."""
