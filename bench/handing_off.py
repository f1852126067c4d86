"""Writing a large grid against writing its numbers alone, proof, and the dry run of a million cells."""

from __future__ import annotations

import resource
import tempfile
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
from report import QUICK, say, seconds

from plodek.core.dryrun.dry_run import dry_run
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.registry import formats
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchFaces, Window
from plodek.core.proof.proof import prove


def _block(n: int) -> Grid:
    """A sector of a pipe bend of n³ cells, with an inlet, an outlet and walls."""
    r, t, z = np.meshgrid(
        np.linspace(1, 2, n + 1), np.linspace(0, np.pi / 2, n + 1), np.linspace(0, 1, n + 1), indexing="ij"
    )
    nodes = np.stack([r * np.sin(t), r * np.cos(t), z], axis=-1)[:, ::-1].copy()
    sides = {"in": [(1, 0)], "out": [(1, 1)], "walls": [(0, 0), (0, 1), (2, 0), (2, 1)]}
    kinds = {"in": "inlet", "out": "outlet", "walls": "wall"}
    patches = tuple(
        PatchFaces(name, kinds[name], tuple(Window(0, *side) for side in own))  # type: ignore[arg-type]
        for name, own in sides.items()
    )
    return Grid(3, ("bend",), (nodes,), patches=patches)


def _best(work: Callable[[], object], files: list[Path], times: int) -> float:
    """Give the least of some runs, each of them writing files that are not there yet."""

    def once() -> None:
        for file in files:
            file.unlink(missing_ok=True)
        work()

    return min(seconds(once, 1) for _ in range(times))


def handing_off() -> None:
    """Write 20 million nodes as CGNS and prove the file; solve on a million cells."""
    n = 20 if QUICK else 271
    grid = _block(n)
    flat = np.ascontiguousarray(grid.xyz[0][..., 0].T)
    with tempfile.TemporaryDirectory() as folder:
        plain, path = Path(folder, "plain.h5"), Path(folder, "g.cgns")

        def raw() -> None:
            with h5py.File(plain, "w") as file:
                for axis in range(3):
                    file.create_dataset(str(axis), data=flat)

        one = formats()["cgns"]
        assert one.write is not None
        write = one.write
        wanted = _best(raw, [plain], 4)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        took = _best(lambda: write(path, Cargo(grid, "m"), one.choices()), [path], 4)
        more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        size = grid.xyz[0].nbytes / 1e6
        say(
            f"{flat.size / 1e6:.1f} M nodes as CGNS, {size:.0f} MB; the numbers alone {wanted:.2f} s; "
            f"{more:.0f} MB more memory",
            f"{took:.2f} s, {wanted / took:.0%}",
            ">= 70 %",
        )
        say("proof of it", f"{seconds(lambda: prove(path, Cargo(grid, 'm')), 1):.1f} s", "-")
        small = _block(12 if QUICK else 100)
        write(path, Cargo(small, "m"), one.choices())
        say(
            f"dry run of {small.cells / 1e6:.1f} M cells",
            f"{seconds(lambda: dry_run(path), 1):.0f} s",
            "< 60 s",
        )
