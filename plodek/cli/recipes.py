"""Commands about recipes: build, explain, guides, report, schema."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

import click

from plodek.cli.command import GATE_FAILED, plodek
from plodek.cli.options import (
    JSON,
    OPTIONS,
    RECIPE,
    VALUES,
    by_commas,
    choices_of,
    evaluated,
    lines_of_findings,
    tell,
    told,
    write,
)
from plodek.core.errors import BadValue

if TYPE_CHECKING:
    from plodek.core.smooth.outcome import Reached


@plodek.command()
@RECIPE
@click.option("--to", "folder", type=click.Path(path_type=Path), required=True, help="Folder for the files.")
@click.option("--format", "formats", default="cgns", show_default=True, help="Formats, by commas, or all.")
@OPTIONS
@click.option("--unit", default=None, help="Length unit of the files; the recipe's where left out.")
@click.option("--scale", default=1.0, show_default=True, help="Factor on all coordinates.")
@click.option("--folded-too", is_flag=True, help="Hand off even where cells are folded.")
@click.option("--poles-too", is_flag=True, help="Hand off cells at poles, marked as degenerate.")
@click.option("--prove", is_flag=True, help="Read the files back and tell what holds of them.")
@VALUES
@JSON
def build(
    recipe: Path,
    folder: Path,
    formats: str,
    options: tuple[str, ...],
    unit: str | None,
    scale: float,
    folded_too: bool,
    poles_too: bool,
    prove: bool,
    values: tuple[str, ...],
    as_json: bool,
) -> None:
    """Build the grid of RECIPE and write it to a folder."""
    from plodek.core.build.build import build as built
    from plodek.core.build.walls import wall_units_of, walls_of
    from plodek.core.formats.handoff import hand_off
    from plodek.core.formats.registry import fitting
    from plodek.core.proof.proof import prove_all, told_in

    ran: list[Reached] = []
    evaluation = evaluated(recipe, values, ran=ran)
    model = evaluation.model
    made = built(model)
    grid = made.grid
    done = hand_off(
        grid,
        folder,
        name=recipe.stem,
        unit=model.unit,
        limits=model.limits,
        walls=walls_of(model, grid),
        own_limits=model.part_limits,
        wall_units=wall_units_of(model),
        labels=model.layout.labels,
        formats=fitting(grid) if formats == "all" else by_commas(formats),
        options=choices_of(options),
        recipe=evaluation.recipe.model_dump_json(exclude_defaults=True),
        file_unit=unit,
        scale=scale,
        folded_too=folded_too,
        poles_too=poles_too,
    )
    proofs = prove_all(done.files, done.sent) if prove else []
    if prove:
        told_in(done.report, proofs)
    runs = [*ran, *(run.reached() for run in made.runs)]
    facts = done.facts | {"files": [str(f) for f in done.files], "runs": [asdict(run) for run in runs]}
    if prove:
        facts["proofs"] = {proof.file.name: told(proof.findings) for proof in proofs}
    if not as_json:
        for number, run in enumerate(runs, 1):
            click.echo(f"run {number}: {run.sentence}")
        for proof in proofs:
            click.echo("\n".join([proof.file.name, *lines_of_findings(proof.findings)]))
    tell(facts, done.gate, as_json)
    if not all(proof.holds for proof in proofs):
        sys.exit(GATE_FAILED)


@plodek.command()
@RECIPE
@VALUES
@JSON
def explain(recipe: Path, values: tuple[str, ...], as_json: bool) -> None:
    """Tell for every step of RECIPE what its rules found: labels, ids and places."""
    from plodek.core.recipe.explaining import explained, lines_of

    found = explained(evaluated(recipe, values, whole=False))
    click.echo(json.dumps(found, indent=2, ensure_ascii=False) if as_json else "\n".join(lines_of(found)))


@plodek.command()
@RECIPE
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="A .step or .stl file.")
@click.option("--guides", "names", default="", help="Guides or groups, by commas; all where left out.")
@click.option("--unit", default=None, help="Length unit of an STL file; the recipe's where left out.")
def guides(recipe: Path, file: Path, names: str, unit: str | None) -> None:
    """Write the guides of RECIPE as STEP or STL."""
    from plodek.core.recipe.selectors import guides as found_guides
    from plodek.core.shape.files import export
    from plodek.core.units import METRES

    model = evaluated(recipe).model
    wished = by_commas(names)
    chosen = found_guides(model, wished) if wished else list(model.own_guides)
    found = {name: model.guides[name] for name in chosen}
    kind = file.suffix.lower()
    if kind not in (".step", ".stp", ".stl"):
        raise BadValue(f"“{file.name}” ends in neither .step nor .stl", remedy="give it one of these endings")
    if unit is not None and unit not in METRES:
        raise BadValue(f"“{unit}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    if kind == ".stl":
        file.write_bytes(export.stl(found, model.unit, unit or model.unit))
    else:
        file.write_bytes(export.step(found, model.unit))
    click.echo(f"{len(found)} guides written to {file}")


@plodek.command()
@RECIPE
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="An .html or .pdf file.")
@click.option("--title", default=None, help="Its title; the recipe's name where left out.")
@click.option("--note", default="", help="Words to begin with.")
@click.option("--metric", default="scaled_jacobian", show_default=True, help="What its pictures show.")
@click.option("--section", "places", multiple=True, metavar="x=PLACE", help="A section at x, y or z.")
@click.option("--dry-run", "solved", type=click.Path(path_type=Path), help="A file of the grid to solve on.")
@VALUES
def report(
    recipe: Path,
    file: Path,
    title: str | None,
    note: str,
    metric: str,
    places: tuple[str, ...],
    solved: Path | None,
    values: tuple[str, ...],
) -> None:
    """Report on the grid of RECIPE as a page with pictures."""
    from plodek.core.build.build import build as built
    from plodek.core.build.walls import wall_units_of, walls_of
    from plodek.core.check.listing import plane_of
    from plodek.core.check.measure import measure
    from plodek.core.dryrun.dry_run import dry_run
    from plodek.core.recipe.sentences import sentences
    from plodek.core.report.report import Solved, Wish, report_of
    from plodek.core.report.writing import written

    found = evaluated(recipe, values)
    sections = [(place, plane_of(place)) for place in places]
    run = None if solved is None else dry_run(solved)
    told_of = None if run is None else Solved(run.file.name, run.findings, run.outside)
    wish = Wish(title or recipe.stem, note, metric, sections, told_of)
    grid = built(found.model).grid
    cells, walls = measure(grid, wall_units_of(found.model)), walls_of(found.model, grid)
    made = report_of(found.model, cells, walls, sentences(found), wish)
    write(file, written(made, file.suffix))
    click.echo(str(file))


@plodek.command()
def schema() -> None:
    """Print the JSON schema of a recipe."""
    # Written by `make reference`: to make it takes all steps, and with them the compiled kernels.
    click.echo((resources.files("plodek.core.recipe") / "schema.json").read_text("utf-8"), nl=False)
