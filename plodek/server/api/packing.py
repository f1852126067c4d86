"""Binary pictures: the length of a JSON index (uint32, little endian), the index, then the arrays."""

from __future__ import annotations

import json
from typing import Any

import numpy as np


def packed(index: dict[str, Any], arrays: dict[str, np.ndarray[Any, Any]]) -> bytes:
    """Pack arrays with a JSON index that says where each lies."""
    places, parts, start = {}, [], 0
    for name, array in arrays.items():
        data = np.ascontiguousarray(array).tobytes()
        places[name] = {"type": array.dtype.name, "start": start, "length": int(array.size)}
        pad = -len(data) % 4
        parts.append(data + b"\0" * pad)
        start += len(data) + pad
    head = json.dumps(index | {"arrays": places}).encode()
    head += b" " * (-len(head) % 4)
    return b"".join([np.uint32(len(head)).tobytes(), head, *parts])
