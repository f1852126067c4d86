"""The runs over the grid that a project has seen, with what each has reached."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from peewee import fn
from pydantic import TypeAdapter, ValidationError

from plodek.core.smooth.outcome import Reached
from plodek.server.store.tables import Job, Project, Revision

#: So many are listed, the last ones.
MOST = 20
_REACHED = TypeAdapter(list[Reached])


@dataclass(frozen=True)
class Ran:
    """A build that ran: the revision it gave or was made of, when, its steps, and what each run reached."""

    revision: int
    ended: float
    steps: list[dict[str, Any]]
    reached: list[Reached]


def listed(project: Project) -> list[Ran]:
    """List the last builds of a project that ran over its whole recipe, the last first, one for a revision.

    Those that an earlier version of the program has kept in another way are left out.
    """
    revision = fn.COALESCE(
        fn.json_extract(Job.result, "$.revision"), fn.json_extract(Job.asked, "$.base")
    ).alias("kept")
    builds = (
        Job.select(revision, Job.changed, Job.result)
        .where(
            (Job.project == project)
            & (Job.kind == "build")
            & Job.state.in_(("done", "stopped"))
            & fn.json_extract(Job.asked, "$.upto").is_null()
        )
        .order_by(Job.changed.desc())
        .tuples()
    )
    found: dict[int, Ran] = {}
    for number, ended, result in builds.iterator():
        if number in found:
            continue
        try:
            reached = _REACHED.validate_python(json.loads(result).get("runs"))
        except ValidationError:
            continue
        kept = Revision.get_or_none((Revision.project == project) & (Revision.number == number))
        if kept is not None and reached:
            found[number] = Ran(number, ended, json.loads(kept.document).get("steps", []), reached)
        if len(found) == MOST:
            break
    return list(found.values())
