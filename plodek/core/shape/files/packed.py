"""Nested dictionaries and lists with arrays in them, as one piece of bytes: JSON, then the arrays."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

_MARK = "$array"


def pack(tree: Any) -> bytes:
    """Write a tree of dictionaries, lists, texts, numbers and arrays."""
    parts: list[bytes] = []
    done = 0

    def plain(value: Any) -> Any:
        nonlocal done
        if isinstance(value, np.ndarray):
            data = np.ascontiguousarray(value)
            parts.append(data.tobytes())
            mark = [done, data.dtype.str, list(data.shape)]
            done += data.nbytes
            return {_MARK: mark}
        if isinstance(value, dict):
            return {key: plain(part) for key, part in value.items()}
        if isinstance(value, list | tuple):
            return [plain(part) for part in value]
        return value

    head = json.dumps(plain(tree)).encode()
    return b"".join([len(head).to_bytes(8, "little"), head, *parts])


def unpack(data: bytes) -> Any:
    """Read what `pack` wrote."""
    size = int.from_bytes(data[:8], "little")
    body = memoryview(data)[8 + size :]

    def full(value: Any) -> Any:
        if isinstance(value, dict):
            if _MARK in value:
                start, kind, shape = value[_MARK]
                count = int(np.prod(shape)) if shape else 1
                return np.frombuffer(body, np.dtype(kind), count, start).reshape(shape).copy()
            return {key: full(part) for key, part in value.items()}
        if isinstance(value, list):
            return [full(part) for part in value]
        return value

    return full(json.loads(data[8 : 8 + size]))
