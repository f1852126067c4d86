"""What the process has imported that evaluators and workers are forked off: each is ready in an instant."""

from __future__ import annotations

import os
from importlib import import_module
from pathlib import Path

import h5py  # noqa: F401
import scipy.interpolate
import scipy.optimize
import scipy.spatial  # noqa: F401
import shapely  # noqa: F401
from numba.core.registry import cpu_target

import plodek.core
from plodek.core import lifeline
from plodek.core.recipe.step import kinds
from plodek.server.app import load_routes
from plodek.server.jobs import worker  # noqa: F401
from plodek.server.pool import evaluator  # noqa: F401

# It ends with the server, and those forked off it with it.
lifeline.end_with(os.getppid())
load_routes()
core = Path(plodek.core.__file__).parent
for path in core.rglob("*.py"):
    if "njit(cache" in path.read_text():  # where numba keeps it is settled here
        import_module(".".join(path.relative_to(core.parents[1]).with_suffix("").parts))
for kind in kinds():
    kind.model_rebuild()  # each reads its own steps from now on
cpu_target.target_context.refresh()  # no kernel may run here: threads do not survive a fork
