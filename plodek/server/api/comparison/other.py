"""The state that is looked at beside the present one: another project, revision, or values."""

from __future__ import annotations

from typing import NamedTuple

from plodek.core.check.measure import CellValues
from plodek.core.errors import NotReady
from plodek.core.grid.grid import Grid
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.parameters import with_values
from plodek.core.units import factor
from plodek.server.api.comparison.messages import OtherIn
from plodek.server.api.context import engine, files_of
from plodek.server.api.grids.routes import measured
from plodek.server.door.roles import need_role
from plodek.server.store import projects
from plodek.server.store.tables import Project


class State(NamedTuple):
    """A state that is looked at: its project, its recipe evaluated, and its grid, measured.

    ``own`` tells that lengths are in its project's own unit.
    """

    project: Project
    evaluation: Evaluation
    grid: Grid
    cells: CellValues
    own: bool = True


def looked_at(found: Project, other: OtherIn, unit: str) -> State:
    """Look at another state than the present one of a project, lengths in ``unit``.

    Raises NothingFound for what is not there, or may not be seen; NotReady where its smoothing has not run.
    """
    project = found if other.project is None else _seen(other.project)
    recipe = document.of(projects.document_of(project, other.revision))
    evaluation = engine().evaluate(with_values(recipe, other.values), files_of(project))
    if evaluation.error is not None:
        raise evaluation.error
    try:
        _, cells, _ = measured(project, evaluation, smoothed=other.smoothed)
    except NotReady as error:
        raise NotReady(
            "the smoothing of the other state has not been run",
            remedy="compare it as filled, or run it there",
        ) from error
    scale = factor(evaluation.model.unit, unit)
    cells = cells.scaled(scale)
    return State(project, evaluation, cells.grid, cells, own=scale == 1.0)


def name_of(found: Project, project: Project, other: OtherIn) -> str:
    """Say in words what the other state is."""
    words = [] if project == found else [project.name]
    words += [] if other.revision is None else [f"revision {other.revision}"]
    words += [f"{name} = {value}" for name, value in other.values.items()]
    words += [] if other.smoothed else ["as filled"]
    return ", ".join(words) or "the same"


def _seen(project: int) -> Project:
    found = projects.get(project)
    need_role(found, "see")
    return found
