"""The queue of long work: huey on SQLite, and a worker process of its own."""

from __future__ import annotations

import os
from pathlib import Path

from huey import SqliteHuey


def data_folder() -> Path:
    """Give the data folder that the server hands to its worker through the environment."""
    return Path(os.environ.get("PLODEK_DATA", Path.home() / ".plodek"))


data_folder().mkdir(parents=True, exist_ok=True)
queue = SqliteHuey(
    "plodek",
    filename=str(data_folder() / "queue.db"),
    immediate=os.environ.get("PLODEK_JOBS") == "immediate",
    immediate_use_memory=True,
)
