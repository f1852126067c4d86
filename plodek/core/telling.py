"""How long work tells how far it is, and is stopped."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

#: Hears the share that is done and what is being done; may raise Halted.
Tell: TypeAlias = Callable[[float, str], None]


def unheard_of(share: float, words: str) -> None:
    """Hear nothing."""
