"""What the process has imported that evaluators and workers are forked off: each is ready in an instant."""

from __future__ import annotations

import shapely  # noqa: F401
from numba.core.registry import cpu_target

from plodek.server.app import load_routes
from plodek.server.jobs import worker  # noqa: F401
from plodek.server.pool import evaluator  # noqa: F401

load_routes()
cpu_target.target_context.refresh()  # no kernel may run here: threads do not survive a fork
