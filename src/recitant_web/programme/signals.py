"""What this app tells the apps above it."""

from django.dispatch import Signal

original_asked = Signal()
"""Sent with ``original_file``, a path under the media root; who still needs that file answers true."""
pile_changed = Signal()
"""Sent with ``pile`` inside a transaction: all of it was sent, or a file of it will not come."""
channel_refused = Signal()
"""Sent with ``source`` inside a transaction: a channel of a recorder file that will not come."""
source_heard = Signal()
"""Sent with ``source`` after the whole of it was heard for speech."""
source_ready = Signal()
"""Sent with ``source`` inside the transaction that makes it ready."""
copy_missing = Signal()
"""sha256: of a recording whose conformed copy is gone; who hears it answers with the error to raise."""
