"""A workspace: one data folder and what belongs to it, the database, the caches, the desk of long work."""

from __future__ import annotations

from pathlib import Path

from plodek.server.engine import Engine
from plodek.server.jobs.desk import Desk
from plodek.server.settings import Settings
from plodek.server.store.tables import open_database


class Workspace:
    """All that server and worker share; ``immediate`` runs jobs within the call that asks for them."""

    def __init__(self, folder: Path, settings: Settings | None = None, *, immediate: bool = False) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        #: Files that mean nothing once the server has ended.
        self.temporary = folder / "temporary"
        self.settings = settings or Settings()
        self.database = open_database(folder / "plodek.db")
        self.engine = Engine(folder / "cache")
        self.desk = Desk(self.engine, self.database, immediate=immediate)
