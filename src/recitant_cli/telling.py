"""How far a command is, on standard error: a line that is written over at a terminal, a line now and then elsewhere."""

import io
import sys
import time
from typing import Final

from recitant_core.ports import Progress, no_progress

_QUIET_S: Final = 2.0
"""Work that is over sooner says nothing."""
_TERMINAL_S: Final = 0.2
_FILE_S: Final = 15.0


def teller(what: str) -> Progress:
    """Tells how far a work is.

    Args:
        what: that is done, before the percentage.
    """
    try:
        sys.stderr.fileno()
    except (io.UnsupportedOperation, AttributeError):
        return no_progress  # what is said is collected and shown at the end
    began_s = told_s = time.monotonic()
    is_terminal = sys.stderr.isatty()

    def tell(share: float) -> None:
        nonlocal told_s
        now_s = time.monotonic()
        is_over = share >= 1.0 and is_terminal and told_s > began_s
        if now_s - began_s < _QUIET_S or (now_s - told_s < (_TERMINAL_S if is_terminal else _FILE_S) and not is_over):
            return
        told_s = now_s
        start, end = ("\r", "\n" if share >= 1.0 else "") if is_terminal else ("", "\n")
        print(f"{start}recitant: {what} {share:4.0%}", end=end, file=sys.stderr, flush=True)

    return tell
