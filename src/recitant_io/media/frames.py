"""What passes between a reader in a child process and its parent.

A frame is its kind (one byte), the length of its content (eight bytes, little-endian) and the content: MessagePack, or
samples as float32.
"""

import struct
from typing import Any, Final

import msgspec

HEAD: Final = struct.Struct("<BQ")
NUMBER: Final = struct.Struct("<i")
"""Of a reader's process, and then how it ended: its exit code, negative for a signal."""
FACTS, BLOCK, PROGRESS, ANSWER, REFUSAL = range(1, 6)


class Request(msgspec.Struct):
    """One operation on one file."""

    operation: str
    path: bytes
    """As the system has it: names need not be text in any encoding."""
    arguments: dict[str, Any] = {}


class Refusal(msgspec.Struct):
    """An error of the core, as it travels."""

    kind: str
    """Name of its class."""
    code: str
    facts: dict[str, Any]
    """Text that is none in any encoding, as names may be, comes as the system has it."""
    cause: str = ""
    """What a library said, for a log."""
