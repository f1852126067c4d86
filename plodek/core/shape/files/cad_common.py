"""What reading and writing with the CAD kernel share: telling progress, refusing, and names of surfaces."""

from __future__ import annotations

from typing import Any


class Unreadable(Exception):
    """What is wrong with a file, and what helps."""

    def __init__(self, what: str, remedy: str) -> None:
        super().__init__(what)
        self.what, self.remedy = what, remedy


def tell(share: float, words: str) -> None:
    """Tell how far the work is."""
    print(f"@{share:.3f} {words}", flush=True)


def type_of(kind: Any) -> str:
    """Give the name that an elementary surface of the kernel has in packed contents, such as ``plane``."""
    return str(kind.__name__).removeprefix("Geom_").removesuffix("Surface").lower()
