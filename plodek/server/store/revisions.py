"""The kept revisions of a project, told by what each changed."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from plodek.server.store.tables import Project, Revision

#: Revisions that are told at most.
_MOST = 60
#: Changed steps that are named at most.
_NAMED = 3


@dataclass(frozen=True)
class Told:
    """A revision: its number, when it was kept (seconds since 1970), and what it changed."""

    number: int
    created: float
    what: str


def revisions(project: Project) -> list[Told]:
    """List the last revisions of a project, the newest first, with what each changed against its parent."""
    rows = list(
        Revision.select().where(Revision.project == project).order_by(Revision.number.desc()).limit(_MOST + 1)
    )
    documents = {row.number: json.loads(row.document) for row in rows}
    return [
        Told(row.number, row.created, _changed(documents.get(row.parent), documents[row.number]))
        for row in rows[:_MOST]
    ]


def _changed(before: dict[str, Any] | None, after: dict[str, Any]) -> str:
    if before is None:
        return f"{len(after['steps'])} steps"
    old = {step["id"]: step for step in before["steps"]}
    new = {step["id"]: step for step in after["steps"]}
    words = [f"{new[name]['kind']} added" for name in new if name not in old]
    words += [f"{old[name]['kind']} taken out" for name in old if name not in new]
    words += [f"{step['kind']} changed" for name, step in new.items() if name in old and old[name] != step]
    if not words:
        same = list(old) == list(new)
        return "nothing" if same and before == after else "parameters" if same else "order of steps"
    more = len(words) - _NAMED
    return ", ".join(words[:_NAMED]) + (f" and {more} more" if more > 0 else "")
