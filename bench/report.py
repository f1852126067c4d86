"""What the parts of the bench share: the best of several runs, a line of the report, the demo."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import plodek.demo
from plodek.core.recipe.files import Files

DEMO = Path(next(iter(plodek.demo.__path__)))
#: With --quick all sizes are small: the whole of it runs in a minute, and the numbers mean nothing.
QUICK = "--quick" in sys.argv
FINER = 1 if QUICK else 6


def seconds(work: Callable[[], object], times: int = 5) -> float:
    """Give the best of several runs, in seconds."""
    best = float("inf")
    for _ in range(times):
        began = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - began)
    return best


def say(what: str, value: str, wanted: str) -> None:
    """Print one line of the report."""
    print(f"{what:<62} {value:>18}   wanted {wanted}")


def demo_steps() -> list[dict[str, Any]]:
    """Give the steps of the demo recipe."""
    return json.loads((DEMO / "intake-pier.json").read_text())["steps"]


FILES = Files(lambda name: (DEMO / name).read_bytes())
