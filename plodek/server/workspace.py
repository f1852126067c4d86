"""A workspace: one data folder and what belongs to it, the database, the caches, the desk of long work."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

from plodek.core.recipe.files import Reading
from plodek.server.engine import Engine
from plodek.server.jobs.desk import Desk
from plodek.server.settings import Settings
from plodek.server.store import projects
from plodek.server.store.contents import FILES
from plodek.server.store.tables import DATABASE, open_database

#: Projects that were taken off the shelf may be brought back for so many seconds.
KEEP_DELETED = 30 * 24 * 3600.0
#: In a data folder: what is derived, and files that mean nothing once the server has ended.
CACHE, TEMPORARY = "cache", "temporary"


class Workspace:
    """All that server and worker share; ``immediate`` runs jobs within the call that asks for them.

    Files are read in place, or as a ``reading`` says.
    """

    def __init__(
        self,
        folder: Path,
        settings: Settings | None = None,
        reading: Reading | None = None,
        *,
        immediate: bool = False,
    ) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        self.temporary = folder / TEMPORARY
        self.settings = settings or Settings()
        (folder / FILES).mkdir(exist_ok=True)
        self.database = open_database(folder / DATABASE)
        #: What keeps the files beside the database there until the very end of the process.
        self.database_kept_open: sqlite3.Connection | None = None
        self.engine = Engine(folder / CACHE, reading)
        self.desk = Desk(self.engine, immediate=immediate)

    def sweep_out(self) -> None:
        """Throw away files of the cache that are old, what was taken off the shelf long ago, and old jobs."""
        self.engine.sweep_out()
        with self.database.connection_context():
            projects.sweep_out(time.time() - KEEP_DELETED)
            self.desk.prune()
