"""Ten million cells measured in a process of its own: how long it takes, and what memory it needs."""

from __future__ import annotations

import json
import resource
import sys

import numpy as np
from report import seconds

from plodek.core.check.measure import measure
from plodek.core.check.metric import BASIC
from plodek.core.check.metrics import BY_KEY
from plodek.core.check.quality import histogram, worst_cells
from plodek.core.grid.grid import Grid


def peak() -> float:
    """Give the peak memory of this process so far, in MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main(n: int) -> None:
    """Print seconds and MB for a block of n³ cells as JSON."""
    small = np.stack(np.meshgrid(*[np.arange(4.0)] * 3, indexing="ij"), axis=-1)
    assert measure(Grid(3, ("a",), (small,))).summary  # kernels are loaded
    nodes = np.empty((n + 1,) * 3 + (3,))
    rng = np.random.default_rng(2)
    for axis in range(3):
        line = np.arange(n + 1.0).reshape([-1 if a == axis else 1 for a in range(3)])
        nodes[..., axis] = line
    for part in nodes:
        part += rng.uniform(-0.2, 0.2, part.shape)
    grid = Grid(3, ("a",), (nodes,))
    before = peak()
    basic = seconds(lambda: measure(grid), 1)
    cells = measure(grid)
    others = seconds(lambda: [cells.of(key) for key in BY_KEY if key not in BASIC], 1)
    looks = seconds(lambda: (histogram(cells, "skewness"), worst_cells(grid, cells, "skewness")), 1)
    print(json.dumps({"basic": basic, "others": others, "looks": looks, "memory": peak() - before}))


if __name__ == "__main__":
    main(int(sys.argv[1]))
