"""The hand-offs that a project has seen."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from plodek.server.store.tables import Job, Project

#: So many are listed, the last ones.
MOST = 50


@dataclass(frozen=True)
class HandedOff:
    """A hand-off: when it ended, of which revision, how it was asked for, its files and what proof found.

    ``facts`` are those of its grid.
    """

    id: str
    ended: float
    revision: int
    asked: dict[str, Any]
    name: str
    files: list[str]
    bytes: int
    digest: str
    cells: int
    holds: bool
    factor: float
    facts: dict[str, Any]


def last_dry_run(project: Project, revision: int) -> tuple[str, dict[str, Any], dict[str, Any]] | None:
    """Give the last dry run on files of a revision: its job, how it was asked for, and its result."""
    done = (Job.project == project) & (Job.kind == "dry_run") & (Job.state == "done")
    for job in Job.select().where(done).order_by(Job.changed.desc()).limit(MOST):
        asked = json.loads(job.asked)
        handoff = Job.get_or_none(Job.id == asked["handoff"])
        if handoff is not None and json.loads(handoff.asked).get("revision") == revision:
            return job.id, asked, json.loads(job.result)
    return None


def listed(project: Project) -> list[HandedOff]:
    """List the last hand-offs of a project, the last first; those of versions without proof are left out."""
    done = (Job.project == project) & (Job.kind == "handoff") & (Job.state == "done")
    found = []
    for job in Job.select().where(done).order_by(Job.changed.desc()).limit(MOST):
        asked, result = json.loads(job.asked), json.loads(job.result)
        if "factor" in result:
            found.append(
                HandedOff(
                    job.id, job.changed, asked["revision"], asked, result["name"], result["files"],
                    result["bytes"], result["digest"], result["facts"]["cells"],
                    all(proof["holds"] for proof in result["proofs"]), result["factor"], result["facts"],
                )
            )  # fmt: skip
    return found
