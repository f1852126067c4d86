"""Two states of a grid side by side, and the revisions there are."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response

from plodek.core.check.compare import Pair, apart, both_spread, compare
from plodek.core.check.measure import CellValues, Summary
from plodek.core.check.metrics import known
from plodek.core.check.quality import Histogram, gate
from plodek.core.model.model import Model
from plodek.server.api.comparison.messages import (
    ApartOut,
    ComparisonIn,
    ComparisonOut,
    GridFacts,
    OtherPictureIn,
    PairOut,
    RevisionOut,
    RevisionsOut,
    SideOut,
)
from plodek.server.api.comparison.other import looked_at, name_of
from plodek.server.api.context import evaluated_upto, sends
from plodek.server.api.grids.pictures import finite, grid_picture
from plodek.server.api.grids.routes import measured, unit_of
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart, large_alone
from plodek.server.store import projects
from plodek.server.store.revisions import revisions

blueprint = APIBlueprint("comparison", __name__)


@blueprint.post("/projects/<int:project>/comparison")
@blueprint.input(ComparisonIn)
@blueprint.output(ComparisonOut)
@needs("see")
@evaluated_apart()
def compare_states(project: int, json_data: ComparisonIn) -> ComparisonOut:
    """Compare the present state with another: filled and smoothed, two revisions, values, or projects."""
    key, found = known(json_data.metric).key, projects.get(project)
    evaluation = evaluated_upto(found, json_data.upto)
    model = evaluation.model
    grid, cells, _ = measured(found, evaluation, smoothed=json_data.smoothed)
    other = looked_at(found, json_data.other, model.unit)
    ours_spread, theirs_spread = both_spread(cells, other.cells, key, log=json_data.log)
    off = apart(grid, other.grid)
    own_name = "now" if json_data.smoothed else "now, as filled"
    return ComparisonOut(
        ours=_facts(own_name, model, cells, ours_spread),
        theirs=_facts(
            name_of(found, other.project, json_data.other), other.evaluation.model, other.cells, theirs_spread
        ),
        pairs=[_pair(pair, model) for pair in compare(cells, other.cells)],
        metric=key,
        bounds=ours_spread.bounds.tolist(),
        apart=ApartOut(largest=off.largest, mean=off.mean, at=list(off.at)) if off else None,
    )


@blueprint.post("/projects/<int:project>/comparison/picture")
@blueprint.input(OtherPictureIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@needs("see")
@evaluated_apart()
def draw_other(project: int, json_data: OtherPictureIn) -> Response:
    """Draw the other state from outside, in the unit of the present one."""
    if json_data.metric is not None:
        known(json_data.metric)
    found = projects.get(project)
    unit = evaluated_upto(found, json_data.upto).model.unit
    other = looked_at(found, json_data.other, unit)
    picture = grid_picture(other.grid, other.cells, json_data.metric, other.evaluation.model)
    return Response(picture, mimetype="application/octet-stream")


def _facts(name: str, model: Model, cells: CellValues, spread: Histogram) -> GridFacts:
    return GridFacts(
        name=name,
        cells=cells.grid.cells,
        folded=int(cells.folded.sum()),
        passed=gate(cells, model.limits, own=model.part_limits).passed,
        counts=spread.counts,
        volumes=spread.volumes,
    )


def _pair(pair: Pair, model: Model) -> PairOut:
    return PairOut(
        key=pair.metric.key,
        label=pair.metric.label,
        unit=unit_of(pair.metric, model),
        ours=_side(pair.ours),
        theirs=_side(pair.theirs),
        verdict=pair.verdict,
    )


def _side(found: Summary | None) -> SideOut | None:
    if found is None:
        return None
    return SideOut(worst=finite(found.worst), mean=finite(found.mean), cells=found.cells)


@blueprint.get("/projects/<int:project>/revisions")
@blueprint.output(RevisionsOut)
@large_alone
def get_revisions(project: int) -> RevisionsOut:
    """List the last revisions of a project, and what each changed."""
    found = revisions(projects.get(project))
    return RevisionsOut(
        revisions=[RevisionOut(number=r.number, created=r.created, what=r.what) for r in found]
    )
