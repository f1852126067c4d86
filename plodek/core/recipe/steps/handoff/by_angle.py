"""The step that names outer faces part by part, where they go on smoothly."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import partial
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge
from plodek.core.build.turns import smooth_parts
from plodek.core.errors import NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.model.named import Patch
from plodek.core.recipe.fields import Degrees, PatchName
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.recipe.steps.handoff.parting import parted
from plodek.core.recipe.steps.handoff.patch import need_name
from plodek.core.tolerances import CUT_MARGIN

#: Places of an edge that are looked at: what turns nearer to its ends is taken to turn at these.
_LOOKED = np.union1d(np.linspace(0.0, 1.0, 65), [1e-4, 1.0 - 1e-4])
#: A part that turns is looked at in so many pieces, and so on down to this share of the edge.
_PIECES, _FINEST = 64, 1e-7


class PatchesByAngle(Step):
    """Name all outer faces that are in no patch yet: one patch for each part that goes on smoothly."""

    kind: Literal["patches-by-angle"] = "patches-by-angle"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "blocks"
    verb: ClassVar[str] = "Patches by angle"
    key: ClassVar[str] = "A"
    order: ClassVar[int] = 25
    known_as: ClassVar[tuple[str, ...]] = ("feature angle", "automatic")
    sentence: ClassVar[str] = "Name what turns by no more than {angle} one patch each, {name}-1 …, {type}"
    name: PatchName = Field(default="part", title="Names begin with")
    angle: Degrees = Field(default=30.0, title="Sharp from", gt=0, lt=180)
    type: PatchType = Field(default="wall", title="Type")
    cut: Literal["no", "yes"] = Field(
        default="no",
        title="Cut where sides turn",
        description="edges of these sides that turn sharply between their corners are cut there first",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        need_name(f"{self.name}-100")
        if not model.unnamed:
            raise NothingFound("every outer face is in a patch", remedy="rename patches that are there")
        if self.cut == "yes":
            model = parted(model, self.id, model.unnamed, partial(_turns, degrees=self.angle))
        taken = {patch.name.lower() for patch in model.patches}
        found, number = [], 0
        for sides in smooth_parts(model, model.unnamed, self.angle):
            number += 1
            while f"{self.name}-{number}".lower() in taken:
                number += 1
            found.append(Patch(f"{self.name}-{number}", self.type, tuple(sides)))
        return replace(model, patches=(*model.patches, *found), known=model.facts)


def _turns(model: Model, edges: Iterable[Edge], degrees: float) -> dict[Edge, list[float]]:
    """Give where edges turn by more than an angle between their corners, as rising fractions."""
    found = {}
    for edge in edges:
        path = edge_path(model.layout, model.guides, edge)
        inner = [_at_corner(path, at) for at in _sharp(path, _LOOKED, degrees)]
        inner = [at for at in inner if CUT_MARGIN < at < 1 - CUT_MARGIN]
        if inner:
            found[edge] = inner
    return found


def _sharp(path: EdgePath, s: Floats, degrees: float) -> list[float]:
    """Give the fractions among ``s`` (n,) at which a path turns by more than an angle within no length."""
    if s[-1] - s[0] < _FINEST:
        return [0.5 * float(s[0] + s[-1])]
    steps = np.diff(path.at(s), axis=0)
    # A turn within a piece shows between the one before it and the one after it, and in these a part of it.
    much = np.flatnonzero(_between(steps[:-2], steps[2:]) > degrees) + 1
    runs = np.split(much, np.flatnonzero(np.diff(much) > 1) + 1) if len(much) else []
    closer = (np.linspace(s[run[0] - 1], s[run[-1] + 2], _PIECES + 1) for run in runs)
    return [at for part in closer for at in _sharp(path, part, degrees)]


def _between(one: Floats, other: Floats) -> Floats:
    """Give the angles (n,) in degrees between ways (n, 3)."""
    size = np.linalg.norm(np.cross(one, other), axis=1)
    return np.asarray(np.degrees(np.arctan2(size, np.sum(one * other, axis=1))))


def _at_corner(path: EdgePath, fraction: float) -> float:
    """Give the very fraction of the sharp corner of a path's curve that was found near one; else that one."""
    if path.curve is None or path.span == 0.0:
        return fraction
    away = path.curve.corners - path.from_fraction
    if path.curve.closed:
        away = away % 1.0 if path.span > 0 else -(-away % 1.0)
    there = away / path.span
    nearest = float(there[np.argmin(np.abs(there - fraction))])
    return nearest if abs(nearest - fraction) < _FINEST else fraction
