"""What is kept so that it need not be worked out twice: bounded by bytes, and safe for several threads."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Generic, TypeVar

from cachetools import LRUCache

_Value = TypeVar("_Value")


class Cache(Generic[_Value]):
    """Values by keys, those asked for longest ago let go first, where all take more than so many bytes."""

    def __init__(self, most_bytes: int, size: Callable[[_Value], int]) -> None:
        self._kept: LRUCache[str, _Value] = LRUCache(most_bytes, getsizeof=size)
        self._size, self._lock = size, Lock()

    def __contains__(self, key: str) -> bool:
        with self._lock:
            return key in self._kept

    def get(self, key: str) -> _Value | None:
        """Give what is kept by a key; None for nothing."""
        with self._lock:
            return self._kept.get(key)

    def keep(self, key: str, value: _Value) -> None:
        """Keep a value, unless it alone is more than may be kept."""
        if self._size(value) <= self._kept.maxsize:
            with self._lock:
                self._kept[key] = value
