"""The command line: thin, over the core and the server."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from plodek.core.build import build as building
from plodek.core.check.metrics import measure
from plodek.core.check.quality import DEFAULT_LIMITS, Gate, gate
from plodek.core.errors import BadFile, BadValue, FoldedGrid, PlodekError
from plodek.core.formats.cgns import cgns
from plodek.core.formats.handoff import FORMATS, Format, facts_of, hand_off
from plodek.core.model.model import Model
from plodek.core.recipe import recipe as recipes
from plodek.core.recipe import selectors
from plodek.core.shape.files import export
from plodek.core.units import METRES

GATE_FAILED, BAD_INPUT = 1, 2


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="plodek")
def plodek() -> None:
    """Block-structured hexahedral grids: lay out blocks, set spacing, smooth, check, hand off."""


@plodek.command()
@click.argument("recipe", type=click.Path(path_type=Path))
@click.option("--to", "folder", type=click.Path(path_type=Path), required=True, help="Folder for the files.")
@click.option("--format", "formats", default=",".join(FORMATS), show_default=True, help="Formats, by commas.")
@click.option("--unit", default=None, help="Length unit of the files; the recipe's where left out.")
@click.option("--scale", default=1.0, show_default=True, help="Factor on all coordinates.")
@click.option("--folded-too", is_flag=True, help="Hand off even where cells are folded.")
@click.option("--set", "values", multiple=True, metavar="NAME=VALUE", help="Set a parameter, or step.field.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def build(
    recipe: Path,
    folder: Path,
    formats: str,
    unit: str | None,
    scale: float,
    folded_too: bool,
    values: tuple[str, ...],
    as_json: bool,
) -> None:
    """Build the grid of RECIPE and write it to a folder."""
    model = _model_of(recipe, values)
    done = hand_off(
        building.build(model).grid,
        folder,
        name=recipe.stem,
        unit=model.unit,
        limits=model.limits,
        formats=_formats(formats),
        file_unit=unit,
        scale=scale,
        folded_too=folded_too,
    )
    _tell(done.facts | {"files": [str(f) for f in done.files]}, done.gate, as_json)


@plodek.command()
@click.argument("recipe", type=click.Path(path_type=Path))
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="A .step or .stl file.")
@click.option("--guides", "names", default="", help="Guides or groups, by commas; all where left out.")
@click.option("--unit", default=None, help="Length unit of an STL file; the recipe's where left out.")
def guides(recipe: Path, file: Path, names: str, unit: str | None) -> None:
    """Write the guides of RECIPE as STEP or STL."""
    model = _model_of(recipe)
    wished = [name.strip() for name in names.split(",") if name.strip()]
    chosen = selectors.guides(model, wished) if wished else list(model.guides)
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


def _model_of(recipe: Path, values: tuple[str, ...] = ()) -> Model:
    """Evaluate a recipe file with values set; its error names the step.

    Files that it reads are looked for beside it, and then where the command was called.
    """
    wrong = next((value for value in values if "=" not in value), None)
    if wrong is not None:
        raise BadValue(f"“{wrong}” sets nothing", remedy="write --set name=value")
    found = recipes.with_values(
        recipes.read(_bytes_of(recipe), recipe.name), dict(value.split("=", 1) for value in values)
    )

    def read_file(name: str) -> bytes:
        beside = recipe.parent / name
        return _bytes_of(beside if beside.is_file() else Path(name))

    evaluation = recipes.Evaluator().evaluate(found, read_file)
    if evaluation.error is not None:
        step = found.steps[len(evaluation.models)]
        error = evaluation.error
        where = f"step {len(evaluation.models) + 1} ({step.kind} “{step.id}”)"
        where += f", {error.where}" if error.where else ""
        raise type(error)(error.what, where=where, remedy=error.remedy)
    return evaluation.model


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def check(file: Path, as_json: bool) -> None:
    """Read a CGNS FILE and tell its quality and patches."""
    if not file.is_file():
        raise BadFile("there is no such file", where=str(file), remedy="check the path")
    grid, unit = cgns.read(file)
    cells = measure(grid)
    facts = facts_of(grid, cells) | {"unit": unit, "files": [str(file)]}
    _tell(facts, gate(cells, DEFAULT_LIMITS), as_json)


@plodek.command()
def schema() -> None:
    """Print the JSON schema of a recipe."""
    click.echo(json.dumps(recipes.schema(), indent=2, ensure_ascii=False))


def _serve_options(command: Callable[..., None]) -> Callable[..., None]:
    command = click.option("--host", default="127.0.0.1", show_default=True)(command)
    command = click.option("--port", default=8040, show_default=True)(command)
    return click.option(
        "--data", type=click.Path(path_type=Path), default=Path.home() / ".plodek", show_default=True,
        help="Folder of the database and the cache.",
    )(command)  # fmt: skip


@plodek.command()
@_serve_options
def serve(host: str, port: int, data: Path) -> None:
    """Start the web application."""
    _start(host, port, data, demo=False)


@plodek.command()
@_serve_options
def demo(host: str, port: int, data: Path) -> None:
    """Start the web application with the demo data."""
    _start(host, port, data, demo=True)


def _start(host: str, port: int, data: Path, *, demo: bool) -> None:
    from plodek.server.serve import (
        serve as start,
    )  # Flask and the database only where they are wanted

    try:
        start(host, port, data, with_demo=demo)
    except OSError as error:
        raise BadValue(
            f"port {port} cannot be used ({error.strerror})", remedy="choose another one with --port"
        ) from error


def _formats(text: str) -> tuple[Format, ...]:
    wanted = [part.strip() for part in text.split(",") if part.strip()]
    unknown = [part for part in wanted if part not in FORMATS]
    if unknown or not wanted:
        raise BadValue(f"“{text}” names no known format", remedy=f"use {', '.join(FORMATS)}")
    return tuple(f for f in FORMATS if f in wanted)


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadFile("it cannot be read", where=str(path), remedy="check the path") from error


def _tell(facts: dict[str, Any], outcome: Gate, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(facts | {"gate": outcome.passed}, ensure_ascii=False))
    else:
        click.echo(
            f"{facts['cells']} cells in {facts['blocks']} blocks, {facts['folded']} folded, angles "
            f"{facts['smallest_angle']:.1f}° to {facts['largest_angle']:.1f}°"
        )
        for verdict in outcome.verdicts:
            click.echo(f"  {'no ' if verdict.missed else 'ok '} {verdict.sentence}")
        for name, patch in facts["patches"].items():
            click.echo(f"  {name}: {patch['type']}, {patch['faces']} faces")
        if facts["unnamed_faces"]:
            click.echo(f"  {facts['unnamed_faces']} faces belong to no patch")
        for file in facts["files"]:
            click.echo(f"  {file}")
    if not outcome.passed:
        sys.exit(GATE_FAILED)


def main() -> None:
    """Run the command line; bad input ends with one sentence on stderr and exit code 2."""
    try:
        plodek.main(standalone_mode=False)
    except FoldedGrid as error:
        click.echo(f"plodek: {error}", err=True)
        sys.exit(GATE_FAILED)
    except PlodekError as error:
        click.echo(f"plodek: {error}", err=True)
        sys.exit(BAD_INPUT)
    except click.ClickException as error:
        click.echo(f"plodek: {error.format_message()}", err=True)
        sys.exit(BAD_INPUT)
    except click.Abort:
        sys.exit(BAD_INPUT)


if __name__ == "__main__":
    main()
