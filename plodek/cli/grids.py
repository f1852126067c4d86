"""Commands about files of grids: check, convert, prove, dry-run."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from plodek.cli.command import GATE_FAILED, plodek
from plodek.cli.options import (
    JSON,
    OPTIONS,
    VALUES,
    choices_of,
    evaluated,
    lines_of_findings,
    tell,
    told,
    write,
)
from plodek.core.errors import BadValue

if TYPE_CHECKING:
    from plodek.core.proof.findings import Finding


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--metric", default="scaled_jacobian", show_default=True, help="What --worst and --by tell.")
@click.option("--worst", type=click.IntRange(0, 100_000), default=0, help="List so many of the worst cells.")
@click.option("--by", type=click.Choice(["block", "region", "patch"]), help="Tell the metric by these.")
@click.option("--csv", "to", type=click.Path(path_type=Path), help="Write what --worst or --by lists here.")
@click.option("--section", "place", metavar="x=PLACE", help="Tell what a plane at x, y or z cuts.")
@click.option("--picture", type=click.Path(path_type=Path), help="Draw the section, or the outside, as PNG.")
@JSON
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
    facts = facts_of(grid, cells) | {"unit": unit, "files": [str(file)], "notes": list(grid.notes)}
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

        write(picture, picture_of(cells, metric, place, unit or ""))
    tell(facts, found.gate, as_json)


@plodek.command()
@click.argument("source", metavar="IN", type=click.Path(path_type=Path))
@click.argument("target", metavar="OUT", type=click.Path(path_type=Path))
@OPTIONS
@click.option("--from-unit", default=None, help="Length unit of IN, where the file does not say.")
@click.option("--unit", default=None, help="Length unit of OUT; that of IN where left out.")
@JSON
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
    other = next((key for key in choices_of(options) if key != one.key), None)
    if other is not None:
        raise BadValue(f"“{other}” is not the format of {target.name}", remedy=f"that is {one.key}")
    found = converted(source, target, choices_of(options).get(one.key), from_unit=from_unit, unit=unit)
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
        "notes": list(found.grid.notes),
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
    for note in found.grid.notes:
        click.echo(f"  {note}")
    for before, after in found.renamed.items():
        click.echo(f"  “{before}” is called {after} now")
    for file in found.files:
        click.echo(f"  {file}")


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--against", type=click.Path(path_type=Path), help="A recipe that the file was built from.")
@VALUES
@JSON
def prove(file: Path, against: Path | None, values: tuple[str, ...], as_json: bool) -> None:
    """Read the grid FILE back and tell what holds of it: patches, interfaces, cells, closure."""
    from plodek.core.formats.cargo import Cargo
    from plodek.core.proof.proof import prove as proved
    from plodek.core.units import METRES, factor

    wanted = None
    if against is not None:
        from plodek.core.build.build import build
        from plodek.core.formats import registry

        model = evaluated(against, values).model
        unit = registry.opened(file)[1]
        times = factor(model.unit, unit) if unit in METRES else 1.0
        wanted = Cargo(build(model).grid, unit or model.unit, times)
    found = proved(file, wanted)
    _tell_findings(found.findings, {"file": str(file)}, as_json)


@plodek.command("dry-run")
@click.argument("file", type=click.Path(path_type=Path))
@JSON
def dry_run(file: Path, as_json: bool) -> None:
    """Solve on the grid FILE: a linear field, a manufactured one, and the flow that its patches say."""
    from plodek.core.dryrun.dry_run import dry_run as run

    found = run(file)
    facts = {
        "file": str(file),
        "balance": None if found.flow is None else dict(found.flow.balance),
        "order": None if found.order is None else found.order.order,
    }
    _tell_findings(found.findings, facts, as_json)


def _tell_findings(findings: Sequence[Finding], facts: dict[str, Any], as_json: bool) -> None:
    """Print what was found; exit code 1 where something is wrong."""
    holds = all(finding.fine is not False for finding in findings)
    if as_json:
        click.echo(json.dumps(facts | {"holds": holds, "findings": told(findings)}, ensure_ascii=False))
    else:
        click.echo("\n".join(lines_of_findings(findings)))
    if not holds:
        sys.exit(GATE_FAILED)
