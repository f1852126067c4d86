"""Options and arguments that several commands have, and how they are read and answered."""

from __future__ import annotations

import json
import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from plodek.cli.command import GATE_FAILED
from plodek.core.errors import BadFile, BadValue

if TYPE_CHECKING:
    from collections.abc import Sequence

    from plodek.core.check.quality import Gate
    from plodek.core.proof.findings import Finding
    from plodek.core.recipe.evaluation import Evaluation
    from plodek.core.smooth.outcome import Reached

RECIPE = click.argument("recipe", type=click.Path(path_type=Path))
VALUES = click.option(
    "--set", "values", multiple=True, metavar="NAME=VALUE", help="Set a parameter, or step.field."
)
DATA = click.option(
    "--data", type=click.Path(path_type=Path), default=Path.home() / ".plodek", show_default=True,
    envvar="PLODEK_DATA", show_envvar=True, help="Folder of the database and the cache.",
)  # fmt: skip
OPTIONS = click.option(
    "--option", "options", multiple=True, metavar="FORMAT.KEY=CHOICE", help="Choose something of a format."
)
JSON = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def evaluated(
    recipe: Path, values: tuple[str, ...] = (), *, whole: bool = True, ran: list[Reached] | None = None
) -> Evaluation:
    """Evaluate a recipe file with values set; where the ``whole`` is wanted its error is raised.

    What runs have reached whose grid later steps work on is added to ``ran``.
    """
    from plodek.core.recipe import document, evaluation
    from plodek.core.recipe.files import beside, bytes_of
    from plodek.core.recipe.parameters import with_values

    wrong = next((value for value in values if "=" not in value), None)
    if wrong is not None:
        raise BadValue(f"“{wrong}” sets nothing", remedy="write --set name=value")
    read = document.read(bytes_of(recipe), recipe.name)

    found = evaluation.Evaluator(running=partial(evaluation.run_here, ran=ran)).evaluate(
        with_values(read, dict(value.split("=", 1) for value in values)), beside(recipe)
    )
    if whole and found.error is not None:
        step = found.recipe.steps[len(found.models)]
        error = found.error
        where = f"step {len(found.models) + 1} ({step.name_of_kind()} “{step.id}”)"
        where += f", {error.where}" if error.where else ""
        raise type(error)(error.what, where=where, remedy=error.remedy)
    return found


def choices_of(options: tuple[str, ...]) -> dict[str, dict[str, str]]:
    """Read what is chosen of formats, by format and key."""
    found: dict[str, dict[str, str]] = {}
    for option in options:
        left, equals, choice = option.partition("=")
        one, dot, key = left.partition(".")
        if not (equals and dot):
            raise BadValue(f"“{option}” chooses nothing", remedy="write --option plot3d.form=text")
        found.setdefault(one.strip(), {})[key.strip()] = choice.strip()
    return found


def by_commas(text: str) -> list[str]:
    """Give the parts of a text between commas."""
    return [part.strip() for part in text.split(",") if part.strip()]


def write(file: Path, data: bytes) -> None:
    """Write a file. Raises BadFile where that cannot be done."""
    try:
        file.write_bytes(data)
    except OSError as error:
        raise BadFile(
            f"it cannot be written ({error.strerror})", where=str(file), remedy="choose another file"
        ) from error


def tell(facts: dict[str, Any], outcome: Gate, as_json: bool) -> None:
    """Print what is known of a grid; exit code 1 where its gate fails."""
    if as_json:
        click.echo(json.dumps(facts | {"gate": outcome.passed}, ensure_ascii=False))
    else:
        poles = f", {facts['poles']} at poles" if facts["poles"] else ""
        left = f" ({facts['left_handed']} left-handed)" if facts["left_handed"] else ""
        click.echo(
            f"{facts['cells']} cells in {facts['blocks']} blocks{left}, {facts['folded']} folded{poles}, "
            f"angles {facts['smallest_angle']:.1f}° to {facts['largest_angle']:.1f}°"
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
        for note in facts.get("notes", ()):
            click.echo(f"  {note}")
        for file in facts["files"]:
            click.echo(f"  {file}")
    if not outcome.passed:
        sys.exit(GATE_FAILED)


def told(findings: Sequence[Finding]) -> list[dict[str, Any]]:
    """Give findings as plain values."""
    return [{"what": f.what, "fine": f.fine, "said": f.said} for f in findings]


def lines_of_findings(findings: Sequence[Finding]) -> list[str]:
    """Give findings as lines: whether each holds, what, and the figures."""
    signs = {True: "ok ", False: "no ", None: " – "}
    return [f"  {signs[finding.fine]} {finding.what}: {finding.said}" for finding in findings]
