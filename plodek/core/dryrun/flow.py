"""What the dry run solves on a grid: a potential flow by the types of its patches, or a linear field."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, dot
from plodek.core.dryrun.diffusion import Diffusion, Solved
from plodek.core.dryrun.volumes import Volumes
from plodek.core.errors import NotReady


@dataclass(frozen=True)
class Flow:
    """A flow: its potential, what leaves through each patch, and all that flows ``through``."""

    words: str
    solved: Solved
    balance: Mapping[str, float]
    through: float

    @property
    def rest(self) -> float:
        """What does not come out again, as a share of what flows in."""
        return abs(sum(self.balance.values())) / self.through if self.through else 0.0

    @property
    def speed(self) -> Floats:
        """The speed in each cell."""
        return np.sqrt(dot(self.solved.gradient, self.solved.gradient))


def flow_through(volumes: Volumes) -> Flow | None:
    """Solve the flow that the types of patches say; None where there is neither inlet nor far field.

    Inlets let it in at speed 1, square to them; at outlets the potential is 0; the far field has that of a
    uniform stream along x; nothing goes through the others. Raises NotReady where it cannot be solved.
    """
    outer = volumes.outer
    of_kind = {
        kind: [n for n, (_, own) in enumerate(volumes.patches) if own == kind]
        for kind in ("inlet", "outlet", "far field")
    }
    fixed = [*of_kind["outlet"], *of_kind["far field"]]
    if not of_kind["inlet"] and not of_kind["far field"]:
        return None
    if not np.isin(outer.patch, fixed).any():
        raise NotReady(
            "what flows in at the inlet cannot leave: no patch is an outlet", remedy="give a patch this type"
        )
    given = np.zeros(len(outer.cell))
    inlet, far = (np.isin(outer.patch, of_kind[kind]) for kind in ("inlet", "far field"))
    given[inlet] = -np.linalg.norm(outer.area[inlet], axis=1)
    given[far] = outer.middle[far, 0]
    solved = Diffusion.with_values_on(volumes, fixed).solve(given)
    # The velocity is the gradient of the potential: what leaves is counted as positive.
    balance = {
        name: float(solved.flux[outer.patch == n].sum())
        for n, (name, _) in enumerate(volumes.patches)
        if (outer.patch == n).any()
    }
    words = "a potential flow " + ("from the inlets" if of_kind["inlet"] else "along x")
    return Flow(words, solved, balance, -float(solved.flux[solved.flux < 0].sum()))
