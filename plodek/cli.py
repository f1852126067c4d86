"""The command line: thin, over the core and the server; each command imports only what it needs."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path
from types import ModuleType
from typing import TYPE_CHECKING, Any

import click

from plodek.core.errors import BadFile, BadValue, FoldedGrid, PlodekError

if TYPE_CHECKING:
    from plodek.core.check.quality import Gate
    from plodek.core.recipe.evaluation import Evaluation

GATE_FAILED, BAD_INPUT = 1, 2

_RECIPE = click.argument("recipe", type=click.Path(path_type=Path))
_VALUES = click.option(
    "--set", "values", multiple=True, metavar="NAME=VALUE", help="Set a parameter, or step.field."
)
_DATA = click.option(
    "--data", type=click.Path(path_type=Path), default=Path.home() / ".plodek", show_default=True,
    envvar="PLODEK_DATA", show_envvar=True, help="Folder of the database and the cache.",
)  # fmt: skip
_OPTIONS = click.option(
    "--option", "options", multiple=True, metavar="FORMAT.KEY=CHOICE", help="Choose something of a format."
)
_JSON = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="plodek")
def plodek() -> None:
    """Block-structured hexahedral grids: lay out blocks, set spacing, smooth, check, hand off."""


@plodek.command()
@_RECIPE
@click.option("--to", "folder", type=click.Path(path_type=Path), required=True, help="Folder for the files.")
@click.option("--format", "formats", default="cgns", show_default=True, help="Formats, by commas.")
@_OPTIONS
@click.option("--unit", default=None, help="Length unit of the files; the recipe's where left out.")
@click.option("--scale", default=1.0, show_default=True, help="Factor on all coordinates.")
@click.option("--folded-too", is_flag=True, help="Hand off even where cells are folded.")
@click.option("--poles-too", is_flag=True, help="Hand off cells at poles, marked as degenerate.")
@_VALUES
@_JSON
def build(
    recipe: Path,
    folder: Path,
    formats: str,
    options: tuple[str, ...],
    unit: str | None,
    scale: float,
    folded_too: bool,
    poles_too: bool,
    values: tuple[str, ...],
    as_json: bool,
) -> None:
    """Build the grid of RECIPE and write it to a folder."""
    from plodek.core.build.build import build as built
    from plodek.core.build.walls import wall_units_of, walls_of
    from plodek.core.formats.handoff import hand_off

    evaluation = _evaluated(recipe, values)
    model = evaluation.model
    grid = built(model).grid
    done = hand_off(
        grid,
        folder,
        name=recipe.stem,
        unit=model.unit,
        limits=model.limits,
        walls=walls_of(model, grid),
        own_limits=model.part_limits,
        wall_units=wall_units_of(model),
        formats=_by_commas(formats),
        options=_choices(options),
        recipe=evaluation.recipe.model_dump_json(exclude_defaults=True),
        file_unit=unit,
        scale=scale,
        folded_too=folded_too,
        poles_too=poles_too,
    )
    _tell(done.facts | {"files": [str(f) for f in done.files]}, done.gate, as_json)


def _choices(options: tuple[str, ...]) -> dict[str, dict[str, str]]:
    """Read what is chosen of formats, by format and key."""
    found: dict[str, dict[str, str]] = {}
    for option in options:
        left, equals, choice = option.partition("=")
        one, dot, key = left.partition(".")
        if not (equals and dot):
            raise BadValue(f"“{option}” chooses nothing", remedy="write --option plot3d.form=text")
        found.setdefault(one.strip(), {})[key.strip()] = choice.strip()
    return found


@plodek.command()
@click.argument("source", metavar="IN", type=click.Path(path_type=Path))
@click.argument("target", metavar="OUT", type=click.Path(path_type=Path))
@_OPTIONS
@click.option("--from-unit", default=None, help="Length unit of IN, where the file does not say.")
@click.option("--unit", default=None, help="Length unit of OUT; that of IN where left out.")
@_JSON
def convert(
    source: Path,
    target: Path,
    options: tuple[str, ...],
    from_unit: str | None,
    unit: str | None,
    as_json: bool,
) -> None:
    """Read the grid in IN and write it to OUT, in the format that its ending says."""
    from plodek.core.formats import registry
    from plodek.core.formats.convert import convert as converted

    one = registry.writer_of(target)
    other = next((key for key in _choices(options) if key != one.key), None)
    if other is not None:
        raise BadValue(f"“{other}” is not the format of {target.name}", remedy=f"that is {one.key}")
    found = converted(source, target, _choices(options).get(one.key), from_unit=from_unit, unit=unit)
    patches = {p.name: {"type": p.type, "faces": found.grid.patch_faces(p)} for p in found.grid.patches}
    facts = {
        "cells": found.grid.cells,
        "blocks": len(found.grid.xyz),
        "interfaces": len(found.grid.interfaces),
        "periodic": len(found.grid.periodic),
        "patches": patches,
        "renamed": dict(found.renamed),
        "unit": found.unit,
        "files": [str(file) for file in found.files],
    }
    if as_json:
        click.echo(json.dumps(facts, ensure_ascii=False))
        return
    click.echo(
        f"{facts['cells']} cells in {facts['blocks']} blocks, {facts['interfaces']} interfaces"
        + (f", {facts['periodic']} periodic" if facts["periodic"] else "")
        + (f"; coordinates in {found.unit}" if found.unit else "; no unit is said")
    )
    for name, patch in patches.items():
        click.echo(f"  {name}: {patch['type']}, {patch['faces']} faces")
    for before, after in found.renamed.items():
        click.echo(f"  “{before}” is called {after} now")
    for file in found.files:
        click.echo(f"  {file}")


@plodek.command()
@_RECIPE
@_VALUES
@_JSON
def explain(recipe: Path, values: tuple[str, ...], as_json: bool) -> None:
    """Tell for every step of RECIPE what its rules found: labels, ids and places."""
    from plodek.core.recipe.explaining import explained, lines_of

    found = explained(_evaluated(recipe, values, whole=False))
    click.echo(json.dumps(found, indent=2, ensure_ascii=False) if as_json else "\n".join(lines_of(found)))


@plodek.command()
@_RECIPE
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="A .step or .stl file.")
@click.option("--guides", "names", default="", help="Guides or groups, by commas; all where left out.")
@click.option("--unit", default=None, help="Length unit of an STL file; the recipe's where left out.")
def guides(recipe: Path, file: Path, names: str, unit: str | None) -> None:
    """Write the guides of RECIPE as STEP or STL."""
    from plodek.core.recipe.selectors import guides as found_guides
    from plodek.core.shape.files import export
    from plodek.core.units import METRES

    model = _evaluated(recipe).model
    wished = _by_commas(names)
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


def _evaluated(recipe: Path, values: tuple[str, ...] = (), *, whole: bool = True) -> Evaluation:
    """Evaluate a recipe file with values set; where the ``whole`` is wanted its error is raised."""
    from plodek.core.recipe import document, evaluation
    from plodek.core.recipe.files import beside, bytes_of
    from plodek.core.recipe.parameters import with_values

    wrong = next((value for value in values if "=" not in value), None)
    if wrong is not None:
        raise BadValue(f"“{wrong}” sets nothing", remedy="write --set name=value")
    read = document.read(bytes_of(recipe), recipe.name)
    found = evaluation.Evaluator().evaluate(
        with_values(read, dict(value.split("=", 1) for value in values)), beside(recipe)
    )
    if whole and found.error is not None:
        step = found.recipe.steps[len(found.models)]
        error = found.error
        where = f"step {len(found.models) + 1} ({step.name_of_kind()} “{step.id}”)"
        where += f", {error.where}" if error.where else ""
        raise type(error)(error.what, where=where, remedy=error.remedy)
    return found


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--metric", default="scaled_jacobian", show_default=True, help="What --worst and --by tell.")
@click.option("--worst", type=click.IntRange(0, 100_000), default=0, help="List so many of the worst cells.")
@click.option("--by", type=click.Choice(["block", "region", "patch"]), help="Tell the metric by these.")
@click.option("--csv", "to", type=click.Path(path_type=Path), help="Write what --worst or --by lists here.")
@click.option("--section", "place", metavar="x=PLACE", help="Tell what a plane at x, y or z cuts.")
@click.option("--picture", type=click.Path(path_type=Path), help="Draw the section, or the outside, as PNG.")
@_JSON
def check(
    file: Path,
    metric: str,
    worst: int,
    by: str | None,
    to: Path | None,
    place: str | None,
    picture: Path | None,
    as_json: bool,
) -> None:
    """Read a grid FILE and tell its quality and patches."""
    from plodek.core.check.checked import check as checked
    from plodek.core.check.listing import lines_of, looked_into, write_csv
    from plodek.core.formats import registry
    from plodek.core.formats.handoff import facts_of

    grid, unit = registry.read(file)
    found = checked(grid)
    cells = found.cells
    facts = facts_of(grid, cells) | {"unit": unit, "files": [str(file)]}
    lists = looked_into(grid, cells, metric, worst=worst, by=by, place=place)
    if to is not None:
        write_csv(to, [rows for name, rows in lists.items() if name != "section"])
    if as_json:
        facts |= lists
    else:
        for line in lines_of(lists):
            click.echo(line)
    if picture is not None:
        from plodek.core.report.drawing import picture_of

        _write(picture, picture_of(cells, metric, place, unit or ""))
    _tell(facts, found.gate, as_json)


@plodek.command()
@_RECIPE
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="An .html or .pdf file.")
@click.option("--title", default=None, help="Its title; the recipe's name where left out.")
@click.option("--note", default="", help="Words to begin with.")
@click.option("--metric", default="scaled_jacobian", show_default=True, help="What its pictures show.")
@click.option("--section", "places", multiple=True, metavar="x=PLACE", help="A section at x, y or z.")
@_VALUES
def report(
    recipe: Path,
    file: Path,
    title: str | None,
    note: str,
    metric: str,
    places: tuple[str, ...],
    values: tuple[str, ...],
) -> None:
    """Report on the grid of RECIPE as a page with pictures."""
    from plodek.core.build.build import build as built
    from plodek.core.build.walls import wall_units_of, walls_of
    from plodek.core.check.listing import plane_of
    from plodek.core.check.measure import measure
    from plodek.core.recipe.sentences import sentences
    from plodek.core.report.report import Wish, report_of
    from plodek.core.report.writing import written

    found = _evaluated(recipe, values)
    sections = [(place, plane_of(place)) for place in places]
    wish = Wish(title or recipe.stem, note, metric, sections)
    grid = built(found.model).grid
    cells, walls = measure(grid, wall_units_of(found.model)), walls_of(found.model, grid)
    made = report_of(found.model, cells, walls, sentences(found), wish)
    _write(file, written(made, file.suffix))
    click.echo(str(file))


def _write(file: Path, data: bytes) -> None:
    """Write a file. Raises BadFile where that cannot be done."""
    try:
        file.write_bytes(data)
    except OSError as error:
        raise BadFile(
            f"it cannot be written ({error.strerror})", where=str(file), remedy="choose another file"
        ) from error


@plodek.command()
def schema() -> None:
    """Print the JSON schema of a recipe."""
    # Written by `make reference`: to make it takes all steps, and with them the compiled kernels.
    click.echo((resources.files("plodek.core.recipe") / "schema.json").read_text("utf-8"), nl=False)


def _serve_options(command: Callable[..., None]) -> Callable[..., None]:
    command = click.option("--host", default="127.0.0.1", show_default=True)(command)
    command = click.option("--port", default=8040, show_default=True)(command)
    return _DATA(command)


@plodek.command()
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="The file to write.")
@_DATA
def backup(file: Path, data: Path) -> None:
    """Write all projects, with their revisions and files, to one file; a server may go on meanwhile."""
    from plodek.server.store.backup import back_up

    count = back_up(data, file)
    click.echo(f"{count} projects written to {file} ({file.stat().st_size / 1e6:.1f} MB)")


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@_DATA
def restore(file: Path, data: Path) -> None:
    """Put the backup FILE into a data folder that no server holds; what was there is kept beside it."""
    from plodek.server.store.backup import restore as put_back
    from plodek.server.store.holding import held

    with held(data, "a restore"):
        count, before = put_back(file, data)
    click.echo(
        f"{count} projects restored to {data}" + (f"; what was there is in {before}" if before else "")
    )


@plodek.group()
def user() -> None:
    """Say who may come in; once there is a user, everyone has to log in."""


@user.command("add")
@click.argument("name")
@click.option(
    "--password", prompt=True, hide_input=True, confirmation_prompt=True, help="Asked for where left out."
)
@_DATA
def add_user(name: str, password: str, data: Path) -> None:
    """Add the user NAME, or give them another password, which ends their sessions."""
    with _users(data) as users:
        users.add(name, password)
    click.echo(f"{name} may come in")


@user.command("remove")
@click.argument("name")
@_DATA
def remove_user(name: str, data: Path) -> None:
    """Take the user NAME out, which ends their sessions; their projects are given to others before."""
    with _users(data) as users:
        users.remove(name)
        left = len(users.names())
    click.echo(f"{name} is out" + ("" if left else "; that was the last one: nobody has to log in now"))


@user.command("give")
@click.argument("name")
@click.argument("other")
@_DATA
def give_projects(name: str, other: str, data: Path) -> None:
    """Give all projects of NAME to OTHER."""
    from plodek.server.store import sharing

    with _users(data) as users:
        users.need_name(other)
        count = sharing.give_all(name, other)
    click.echo(f"projects of {name} that {other} owns now: {count}")


@user.command("list")
@_DATA
def list_users(data: Path) -> None:
    """List the users."""
    with _users(data) as users:
        for name in users.names():
            click.echo(name)


@contextmanager
def _users(data: Path) -> Iterator[ModuleType]:
    """Give the users of a data folder, which a server may be working on."""
    from plodek.server.store import users
    from plodek.server.store.backup import DATABASE
    from plodek.server.store.tables import open_database

    with open_database(data / DATABASE).connection_context():
        yield users


@plodek.command()
@_DATA
@_JSON
def doctor(data: Path, as_json: bool) -> None:
    """Look whether all is well: the folder, its database and cache, free space, memory, programs."""
    from plodek.server.doctor import examined

    found = examined(data)
    if as_json:
        click.echo(json.dumps([{"what": f.what, "fine": f.fine, "said": f.said} for f in found]))
    else:
        for one in found:
            click.echo(f"  {'ok ' if one.fine else 'no '} {one.what}: {one.said}")
    if not all(one.fine for one in found):
        sys.exit(GATE_FAILED)


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
    from plodek.server.pool import forked

    forked.begin()
    from plodek.server.serve import serve as start

    try:
        start(host, port, data, with_demo=demo)
    except OSError as error:
        raise BadValue(
            f"port {port} cannot be used ({error.strerror})", remedy="choose another one with --port"
        ) from error


def _by_commas(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


def _tell(facts: dict[str, Any], outcome: Gate, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(facts | {"gate": outcome.passed}, ensure_ascii=False))
    else:
        poles = f", {facts['poles']} at poles" if facts["poles"] else ""
        click.echo(
            f"{facts['cells']} cells in {facts['blocks']} blocks, {facts['folded']} folded{poles}, angles "
            f"{facts['smallest_angle']:.1f}° to {facts['largest_angle']:.1f}°"
        )
        for verdict in outcome.verdicts:
            click.echo(f"  {'no ' if verdict.missed else 'ok '} {verdict.sentence}")
        for name, patch in facts["patches"].items():
            click.echo(f"  {name}: {patch['type']}, {patch['faces']} faces")
        if len(facts["regions"]) > 1:
            for name, cells in facts["regions"].items():
                click.echo(f"  region {name}: {cells} cells")
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
