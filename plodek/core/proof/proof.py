"""Proof of a grid file: it is read back, and what must hold of it is looked at, with figures."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from plodek.core.errors import OverBudget, PlodekError
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.tables.write import EDGES
from plodek.core.proof.blocks import prove_blocks
from plodek.core.proof.cells import prove_cells
from plodek.core.proof.findings import Finding
from plodek.core.proof.table import prove_tables
from plodek.core.telling import Tell, unheard_of

_CHECKER = "cgnscheck"
#: Seconds that the standard's checker has.
_PATIENCE = 600


@dataclass(frozen=True)
class Proof:
    """What was found of a file; whether it holds a ``grid``, on which a dry run can be made."""

    file: Path
    findings: tuple[Finding, ...]
    grid: bool = True

    @property
    def holds(self) -> bool:
        """Whether nothing is wrong with it."""
        return all(finding.fine is not False for finding in self.findings)


def prove(path: Path, wanted: Cargo | None = None) -> Proof:
    """Read a file back and look at it; held against the grid that was ``wanted``, where there is one.

    A file that cannot be read is a finding and no error.
    """

    def looked() -> Iterable[Finding]:
        found, unit = registry.opened(path)
        return prove_cells(found, wanted) if isinstance(found, Mesh) else prove_blocks(found, unit, wanted)

    findings = _found(looked)
    if path.suffix.lower() == ".cgns":
        findings.insert(1, _checked(path))
    return Proof(path, tuple(findings))


def prove_all(files: Sequence[Path], wanted: Cargo | None = None, tell: Tell = unheard_of) -> list[Proof]:
    """Prove those of the files of a hand-off that a format reads: each grid once, not its pieces.

    ``tell`` hears how far it is, and may end it by raising Halted.
    """
    endings = [one.endings[0] for one in registry.readers()]
    todo = [(file, partial(prove, file, wanted)) for file in files if file.suffix in endings]
    if wanted is not None:
        todo += [(file, partial(_proved, file, look)) for file, look in _of_parts(files, wanted)]
    found = []
    for number, (file, work) in enumerate(todo):
        tell(number / len(todo), f"proving {file.name}")
        found.append(work())
    return found


def _of_parts(files: Sequence[Path], wanted: Cargo) -> Iterator[tuple[Path, Callable[[], Iterable[Finding]]]]:
    """Give how to look at what no format reads as a grid: triangles of patches, and tables."""
    triangles = [file for file in files if file.suffix == ".stl"]
    if triangles:
        from plodek.core.proof.surface import prove_surface  # its reader takes half a second to load

        yield triangles[0], partial(prove_surface, triangles, wanted)
    for edges in (file for file in files if file.name.endswith(EDGES)):
        nodes = edges.with_name(edges.name.removesuffix(EDGES) + ".csv")
        yield nodes, partial(prove_tables, nodes, edges, wanted)


def _proved(file: Path, look: Callable[[], Iterable[Finding]]) -> Proof:
    return Proof(file, tuple(_found(look)), grid=False)


def _found(look: Callable[[], Iterable[Finding]]) -> list[Finding]:
    """Look at a file; that it cannot be read is a finding."""
    try:
        return list(look())
    except OverBudget as error:
        return [Finding("It can be read back", None, f"not tried: {error}")]
    except PlodekError as error:
        return [Finding("It can be read back", False, str(error))]


def told_in(report: Path, proofs: Sequence[Proof]) -> None:
    """Add what was found to the report of a hand-off."""
    signs = {True: "✓", False: "✗", None: "–"}
    lines = ["## Read back", ""]
    for proof in proofs:
        lines += [f"**{proof.file.name}**", ""]
        lines += [f"- {signs[f.fine]} {f.what}: {f.said}" for f in proof.findings]
        lines.append("")
    with report.open("a", encoding="utf-8") as file:
        file.write("\n" + "\n".join(lines))


def _checked(path: Path) -> Finding:
    """Ask the standard's own checker, where it is installed."""
    what = "The standard's own checker accepts it"
    program = shutil.which(_CHECKER)
    if program is None:
        return Finding(what, None, f"{_CHECKER} is not installed")
    try:
        done = subprocess.run(
            [program, str(path)],
            capture_output=True,
            text=True,
            errors="replace",
            check=False,
            timeout=_PATIENCE,
        )
    except subprocess.TimeoutExpired:
        return Finding(what, None, f"{_CHECKER} had not ended after {_PATIENCE} s")
    said = done.stdout + done.stderr
    errors, warnings = said.count("ERROR"), said.count("WARNING")
    if not errors and "checking complete" in said:
        return Finding(what, True, f"no error, {warnings} warnings" if warnings else "no error, no warning")
    first = next((line.strip() for line in said.splitlines() if "ERROR" in line), "it ended early")
    return Finding(what, False, first)
