"""The Intake page: files brought in, what is wrong with them, what they are, and mending it with one press."""
