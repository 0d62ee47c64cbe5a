"""What jobs tell the rooms above them."""

from django.dispatch import Signal

tried_again = Signal()
"""job: one that ended badly is sent again; who refused something because of it takes that back."""
