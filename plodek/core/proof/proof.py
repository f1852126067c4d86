"""Proof of a grid file: it is read back, and what must hold of it is looked at, with figures."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from plodek.core.errors import OverBudget, PlodekError
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.handoff import Tell, unheard_of
from plodek.core.formats.mesh import Mesh
from plodek.core.proof.blocks import prove_blocks
from plodek.core.proof.cells import prove_cells
from plodek.core.proof.findings import Finding

_CHECKER = "cgnscheck"
#: Seconds that the standard's checker has.
_PATIENCE = 600


@dataclass(frozen=True)
class Proof:
    """What was found of a file."""

    file: Path
    findings: tuple[Finding, ...]

    @property
    def holds(self) -> bool:
        """Whether nothing is wrong with it."""
        return all(finding.fine is not False for finding in self.findings)


def prove(path: Path, wanted: Cargo | None = None) -> Proof:
    """Read a file back and look at it; held against the grid that was ``wanted``, where there is one.

    A file that cannot be read is a finding and no error.
    """
    try:
        found, unit = registry.opened(path)
        looked = prove_cells(found, wanted) if isinstance(found, Mesh) else prove_blocks(found, unit, wanted)
        findings = list(looked)
    except OverBudget as error:
        findings = [Finding("It can be read back", None, f"not tried: {error}")]
    except PlodekError as error:
        findings = [Finding("It can be read back", False, str(error))]
    if path.suffix.lower() == ".cgns":
        findings.insert(1, _checked(path))
    return Proof(path, tuple(findings))


def prove_all(files: Sequence[Path], wanted: Cargo | None = None, tell: Tell = unheard_of) -> list[Proof]:
    """Prove those of the files of a hand-off that a format reads: each grid once, not its pieces.

    ``tell`` hears how far it is, and may end it by raising Halted.
    """
    endings = [one.endings[0] for one in registry.readers()]
    whole = [file for file in files if file.suffix in endings]
    found = []
    for number, file in enumerate(whole):
        tell(number / len(whole), f"proving {file.name}")
        found.append(prove(file, wanted))
    return found


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
            [program, str(path)], capture_output=True, text=True, check=False, timeout=_PATIENCE
        )
    except subprocess.TimeoutExpired:
        return Finding(what, None, f"{_CHECKER} had not ended after {_PATIENCE} s")
    said = done.stdout + done.stderr
    errors, warnings = said.count("ERROR"), said.count("WARNING")
    if not errors and "checking complete" in said:
        return Finding(what, True, f"no error, {warnings} warnings" if warnings else "no error, no warning")
    first = next((line.strip() for line in said.splitlines() if "ERROR" in line), "it ended early")
    return Finding(what, False, first)
