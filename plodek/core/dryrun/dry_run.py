"""The dry run: a small receiving solver that reads an exported file, and nothing else, and solves on it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from plodek.core.arrays import dot
from plodek.core.budget import need
from plodek.core.dryrun.flow import Flow, flow_through
from plodek.core.dryrun.manufactured import Order, given_all_round, linear_error, order_on
from plodek.core.dryrun.outside import Outside, seen_from_outside
from plodek.core.dryrun.volumes import Volumes
from plodek.core.errors import BadFile, NotReady, PlodekError
from plodek.core.formats import registry
from plodek.core.formats.mesh import Mesh, mesh_of
from plodek.core.grid.slab import slab
from plodek.core.proof.findings import Finding
from plodek.core.telling import Tell, unheard_of

#: A uniform stream stays one within this share of the area of a cell's faces.
_UNIFORM = 1e-12
_LINEAR = 1e-6
_BALANCED = 1e-6
#: What flows through a patch is told where it is more than this share of all.
_LEAST = 1e-9
#: Between these an order counts as second.
_SECOND = (1.6, 3.0)


@dataclass(frozen=True)
class DryRun:
    """What came of it: findings, and the flow where there is one, with what is seen from ``outside``."""

    file: Path
    findings: tuple[Finding, ...]
    flow: Flow | None = None
    order: Order | None = None
    outside: Outside | None = None

    @property
    def holds(self) -> bool:
        """Whether nothing is wrong."""
        return all(finding.fine is not False for finding in self.findings)


def dry_run(path: Path, tell: Tell = unheard_of) -> DryRun:
    """Solve on the grid in a file. What cannot be read or solved is a finding and no error.

    ``tell`` hears how far it is, and may end it by raising Halted.
    Raises OverBudget for more cells than a dry run takes on.
    """
    tell(0.0, "reading the file")
    try:
        found, unit = registry.opened(path)
    except PlodekError as error:
        return DryRun(path, (Finding("It can be read", False, str(error)),))
    need("dry_run_cells", found.cells, where=path.name)
    findings, front = [], None
    if not isinstance(found, Mesh) and found.dim != 3:
        found, deep = slab(found)
        front = found.patches[-2].name
        said = f"{deep:.4g}{f' {unit}' if unit else ''} deep, between planes of symmetry"
        findings.append(Finding("It is plane, and solved on one cell deep", True, said))
    mesh = found if isinstance(found, Mesh) else mesh_of(found)
    try:
        volumes = Volumes.of(mesh)
    except BadFile as error:
        return DryRun(path, (*findings, Finding("Its faces fit together", False, str(error))))
    findings.append(_uniform(volumes))
    unnamed = int((volumes.outer.patch < 0).sum())
    if unnamed:
        findings.append(
            Finding("The flow sees only patches", False, f"{unnamed} faces are in none: they count as walls")
        )
    bad = int((volumes.volume <= 0).sum())
    if bad:
        said = f"{bad} of {len(volumes.volume)} cells have no volume, or one inside out"
        return DryRun(path, (*findings, Finding("Every cell can be solved on", False, said)))
    findings.append(_outward(volumes))
    flow, order = None, None
    try:
        tell(0.15, "a linear field")
        # Fields that are known beforehand are not periodic: their values are given on twin sides as well.
        equations = given_all_round(Volumes.of(mesh, periodic=False) if mesh.twins else volumes)
        findings.append(_linear(linear_error(equations)))
        tell(0.4, "the order of accuracy")
        if not isinstance(found, Mesh):
            order = order_on(found, equations)
        findings.append(_order(order))
        del equations
        tell(0.7, "the flow")
        flow = flow_through(volumes)
        findings += _judged(flow)
    except NotReady as error:
        findings.append(Finding("The flow can be solved", False, str(error)))
    seen = None if flow is None else seen_from_outside(mesh, volumes, flow, front)
    return DryRun(path, tuple(findings), flow, order, seen)


def _uniform(volumes: Volumes) -> Finding:
    """Judge whether the faces of every cell close: only then a uniform stream goes through unchanged."""
    cells = len(volumes.volume)
    rest, size = np.zeros((cells, 3)), np.zeros(cells)
    inner, outer = volumes.inner, volumes.outer
    theirs = inner.turned(inner.area)
    for cell, area in ((inner.ours, inner.area), (inner.theirs, -theirs), (outer.cell, outer.area)):
        size += np.bincount(cell, np.linalg.norm(area, axis=1), cells)
        for axis in range(3):
            rest[:, axis] += np.bincount(cell, area[:, axis], cells)
    off = float((np.linalg.norm(rest, axis=1) / np.where(size > 0, size, 1.0)).max())
    return Finding("A uniform stream stays uniform", off <= _UNIFORM, f"within {off:.1e} in every cell")


def _outward(volumes: Volumes) -> Finding:
    """Judge whether the faces of each cell look away from its centre, as those of a folded one do not."""
    inner, outer = volumes.inner, volumes.outer
    bad = np.zeros(len(volumes.volume), dtype=bool)
    bad[outer.cell[dot(outer.area, outer.middle - volumes.centre[outer.cell]) <= 0]] = True
    back = dot(inner.area, inner.apart) <= 0
    bad[inner.ours[back | (inner.share <= 0)]] = True
    bad[inner.theirs[back | (inner.share >= 1)]] = True
    return Finding(
        "The faces of every cell look out of it", not bad.any(), f"{int(bad.sum())} cells where they do not"
    )


def _linear(off: float) -> Finding:
    return Finding("A linear field is met exactly", off <= _LINEAR, f"within {off:.1e} of its range")


def _judged(flow: Flow | None) -> list[Finding]:
    if flow is None:
        said = "there is neither inlet nor far field: nothing flows"
        return [Finding("The flow is solved", None, said)]
    solved, speed = flow.solved, flow.speed
    parts = [
        f"{name} {flux:+.4g}" for name, flux in flow.balance.items() if abs(flux) > _LEAST * flow.through
    ]
    steps = f"{flow.words}; {solved.steps} steps, {solved.left:.0e} left"
    return [
        Finding("The flow is solved", True, f"{steps}; speeds {speed.min():.3g} to {speed.max():.3g}"),
        Finding(
            "What flows in flows out", flow.rest <= _BALANCED, f"{', '.join(parts)}: within {flow.rest:.1e}"
        ),
    ]


def _order(order: Order | None) -> Finding:
    what = "The error falls with the second order"
    if order is None:
        return Finding(what, None, "there is no coarser grid of these blocks to compare with")
    low, high = _SECOND
    (fine, coarse), (many, few) = (order.fine, order.coarse), order.cells
    said = f"order {order.order:.2f}: error {fine:.1e} on {many} cells, {coarse:.1e} on {few}"
    return Finding(what, True if low <= order.order <= high else None, said)
