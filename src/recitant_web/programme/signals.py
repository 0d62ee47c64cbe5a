"""What this app tells the apps above it."""

from django.dispatch import Signal

source_ready = Signal()
"""Sent with ``source`` inside the transaction that makes it ready."""
