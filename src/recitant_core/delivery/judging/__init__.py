"""Verdicts and quality checks of finished sound."""
