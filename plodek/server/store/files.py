"""The geometry files of a project as recipes read them: hashes are stored, contents come from the cache."""

from __future__ import annotations

from plodek.core.recipe.files import Files
from plodek.server.engine import Engine
from plodek.server.store import projects
from plodek.server.store.tables import Project


class ProjectFiles(Files):
    """The files of a project; bytes are read from the database only where they are needed."""

    def __init__(self, project: Project, engine: Engine) -> None:
        super().__init__(lambda name: projects.read_file(project, name))
        self._project, self._engine, self._reading = project, engine, engine.reading

    def geometry(self, name: str) -> bytes:
        """Give the packed contents of a file, from the engine's cache where they have been read before."""
        return self._engine.geometry(self.read(name), name, self.hash(name))

    def hash(self, name: str) -> str:
        """Give the hash that was stored with the file."""
        return projects.hash_of(self._project, name)
