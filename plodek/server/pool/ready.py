"""What the process has imported that evaluators and workers are forked off: each is ready in an instant."""

from __future__ import annotations

import os

import h5py  # noqa: F401
import scipy.interpolate
import scipy.optimize
import scipy.spatial  # noqa: F401
import shapely  # noqa: F401
from numba.core.registry import cpu_target

from plodek.core import lifeline
from plodek.core.formats.cgns import read as _  # noqa: F401
from plodek.core.recipe.step import kinds
from plodek.server.app import load_routes
from plodek.server.jobs import worker  # noqa: F401
from plodek.server.pool import evaluator  # noqa: F401

# It ends with the server, and those forked off it with it.
lifeline.end_with(os.getppid())
load_routes()
for kind in kinds():
    kind.model_rebuild()  # each reads its own steps from now on
cpu_target.target_context.refresh()  # no kernel may run here: threads do not survive a fork
