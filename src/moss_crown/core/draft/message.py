"""How binary messages are laid out."""

from __future__ import annotations

import struct


def framed(head: bytes, body: bytes) -> bytes:
    """A binary message: length of the head (uint32, little-endian), the head (JSON) padded to 4 bytes, the body."""
    text = head + b" " * (-len(head) % 4)
    return struct.pack("<I", len(text)) + text + body
