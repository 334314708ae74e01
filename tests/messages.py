"""Binary messages of the application, opened."""

import json
import struct

import numpy as np


def unframed(message):
    """The head of a framed message, and its body."""
    (length,) = struct.unpack_from("<I", message)
    return json.loads(message[4 : 4 + length]), message[4 + length :]


def opened(draft):
    """The head of a draft, and its tables as numbers, one after the other."""
    head, body = unframed(draft)
    return head, np.frombuffer(body, "<f4")
