"""Reports of a grid: a page with pictures, as HTML or PDF."""

from __future__ import annotations

import io
from dataclasses import fields
from typing import Literal

import numpy as np
from apiflask import APIBlueprint
from flask import Response, send_file
from pydantic import Field

from plodek.core.dryrun.outside import Outside
from plodek.core.proof.findings import Finding
from plodek.core.recipe.sentences import sentences
from plodek.core.report.report import Solved, Wish, report_of
from plodek.core.report.writing import KINDS, written
from plodek.server.api.context import UpTo, engine, evaluated_upto, sends
from plodek.server.api.grids.routes import measured
from plodek.server.api.sections.cutters import cutter_of, words_of
from plodek.server.api.sections.messages import SectionsOut
from plodek.server.jobs.work import field_path
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import handoffs, projects
from plodek.server.store.tables import Project

blueprint = APIBlueprint("reports", __name__)


class ReportQuery(UpTo):
    """What the report is wanted as, its words, and the metric that its pictures show."""

    kind: Literal["html", "pdf"] = "html"
    title: str = Field(default="", max_length=200)
    note: str = Field(default="", max_length=5000)
    metric: str = "scaled_jacobian"
    smoothed: bool = True


@blueprint.get("/projects/<int:project>/report")
@blueprint.input(ReportQuery, location="query")
@blueprint.doc(responses=sends("an HTML page or a PDF file", "application/octet-stream"))
@evaluated_apart()
def get_report(project: int, query_data: ReportQuery) -> Response:
    """Report on the grid, with the sections that are kept and shown, and the last dry run of this state."""
    found = projects.get(project)
    evaluation = evaluated_upto(found, query_data.upto)
    model = evaluation.model
    _, cells, walls = measured(found, evaluation, smoothed=query_data.smoothed)
    kept = SectionsOut.model_validate_json(found.sections).sections
    sections = [(words_of(one, model.unit), cutter_of(one, model)) for one in kept if one.shown]
    solved = _solved(found) if query_data.upto is None else None
    wish = Wish(query_data.title or found.name, query_data.note, query_data.metric, sections, solved)
    made = report_of(model, cells, walls, sentences(evaluation), wish)
    ending = f".{query_data.kind}"
    data, (_, kind) = written(made, ending), KINDS[ending]
    return send_file(io.BytesIO(data), mimetype=kind, download_name=f"report{ending}")


def _solved(project: Project) -> Solved | None:
    """Give the last dry run of the project as it is."""
    last = handoffs.last_dry_run(project, project.revision)
    if last is None:
        return None
    job, asked, result = last
    findings = [Finding(**one) for one in result["findings"]]
    path = field_path(engine(), job)
    if not path.is_file():
        return Solved(asked["file"], findings)
    with np.load(path, allow_pickle=False) as seen:
        parts = {field.name: seen[field.name] for field in fields(Outside)}
    parts["names"] = tuple(parts["names"].tolist())
    return Solved(asked["file"], findings, Outside(**parts), asked["factor"])
