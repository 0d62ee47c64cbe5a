"""What this app tells the apps above it."""

from django.dispatch import Signal

source_heard = Signal()
"""Sent with ``source`` after the whole of it was heard for speech."""
source_ready = Signal()
"""Sent with ``source`` inside the transaction that makes it ready."""
