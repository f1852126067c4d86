"""Messages about recipes."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from plodek.core.recipe.document import MOST_STEPS
from plodek.server.api.messages import Message
from plodek.server.store.sharing import Role


class RecipeOut(Message):
    """A recipe at a revision."""

    project: int
    name: str
    revision: int
    steps: list[dict[str, Any]]
    parameters: dict[str, Any]
    can_undo: bool
    can_redo: bool
    role: Role
    files: list[str]


class RecipeIn(Message):
    """New steps, and the revision they are based on; parameters stay where they are left out."""

    base: int
    steps: list[dict[str, Any]] = Field(max_length=MOST_STEPS)
    parameters: dict[str, Any] | None = None


class BaseIn(Message):
    """The revision an undo or redo is based on."""

    base: int


class OptionOut(Message):
    """Something to choose about a format, the usual choice first."""

    key: str
    title: str
    choices: list[str]


class FormatOut(Message):
    """A file format that grids are written in; ``plane`` ones take grids of the plane too."""

    key: str
    label: str
    about: str
    plane: bool
    options: list[OptionOut]


class SchemaOut(Message):
    """The schema of recipes, the formats of grids, and the version of the program."""

    schema_: dict[str, Any] = Field(alias="schema")
    formats: list[FormatOut]
    version: str
