"""Untrimmed surfaces as CAD files have them, each with the parameters that its trim is drawn in."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadFile
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.curves.nurbs import Net, NurbsCurve, NurbsPatch
from plodek.core.shape.surfaces.analytic import Arc2, Line2, Turned
from plodek.core.shape.surfaces.swept import Revolved


class Patch(Protocol):
    """A surface with its derivatives over its own parameters."""

    @property
    def tree(self) -> dict[str, Any] | None:
        """What the patch was read from, in millimetres; None where it was made otherwise."""

    @property
    def breaks(self) -> tuple[Floats, Floats]:
        """The parameters between which the patch is smooth, in u and in v."""

    @property
    def sharp(self) -> tuple[Floats, Floats]:
        """The parameters of its sharp lines in u and in v, ends included."""

    def jet(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives by u, v, uu, uv, vv (n, 3) at parameters (n, 2)."""


class BoundedPatch:
    """A patch that is smooth all over, with bounds (4,): low and high u, low and high v."""

    tree: dict[str, Any] | None = None

    def __init__(self, surface: Turned | Revolved, bounds: Floats, v_breaks: Floats | None = None) -> None:
        self.surface = surface
        low, high = bounds[2:]
        inner = np.empty(0) if v_breaks is None else v_breaks[(v_breaks > low) & (v_breaks < high)]
        self.breaks = bounds[:2], np.concatenate([[low], inner, [high]])
        self.sharp = bounds[:2], bounds[2:]

    def jet(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives by u, v, uu, uv, vv (n, 3) at parameters (n, 2)."""
        return self.surface.derivatives(uv)


class _OwnParameters(NurbsCurve):
    """A NURBS curve that is addressed by its own parameters instead of fractions of its length."""

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the curve's own parameters."""
        return self.form.jet(s)


def patch_of(tree: dict[str, Any], scale: float) -> Patch:
    """Make the patch that the CAD kernel has read, ``scale`` project units to the millimetre."""
    patch = _made(tree, scale)
    patch.tree = tree
    return patch


def _made(tree: dict[str, Any], scale: float) -> NurbsPatch | BoundedPatch:
    kind = tree["type"]
    if kind == "nurbs":
        nets = [Net(d, tree[k]) for d, k in zip(tree["degrees"], ("u_knots", "v_knots"), strict=True)]
        return NurbsPatch(nets[0], nets[1], tree["poles"] * scale, tree["weights"])
    origin, bounds = tree["origin"] * scale, np.array(tree["bounds"])
    if kind == "plane":
        return _plane(origin, tree["frame"], bounds, scale)
    if kind == "revolution":
        c = tree["curve"]
        curve = _OwnParameters(Net(c["degree"], c["knots"]), c["poles"] * scale, c["weights"])
        # Turning by one radian, u is the angle itself.
        return BoundedPatch(Revolved(curve, origin, tree["axis"], 1.0), bounds, np.unique(c["knots"]))
    # One radian of turn, and a profile of one unit or radian: u and v are the kernel's own.
    numbers = tree["numbers"]
    if kind == "conical":
        radius, angle = numbers[0] * scale, numbers[1]
        tip = (radius + scale * float(np.sin(angle)), scale * float(np.cos(angle)))
        profile: Line2 | Arc2 = Line2((radius, 0.0), tip)
    elif kind == "cylindrical":
        profile = Line2((numbers[0] * scale, 0.0), (numbers[0] * scale, scale))
    elif kind == "spherical":
        profile = Arc2((0.0, 0.0), numbers[0] * scale, 0.0, 1.0)
    elif kind == "toroidal":
        profile = Arc2((numbers[0] * scale, 0.0), numbers[1] * scale, 0.0, 1.0)
    else:
        raise BadFile(f"it holds a surface of the unknown kind “{kind}”", remedy="read the file anew")
    return BoundedPatch(Turned(kind, origin, tree["frame"], profile, 1.0, check=False), bounds)


def _plane(origin: Floats, frame: Floats, bounds: Floats, scale: float) -> NurbsPatch:
    """Give a plane over its bounds; its parameters are lengths in millimetres."""
    u, v = bounds[:2], bounds[2:]
    places = origin + scale * (u[:, None, None] * frame[0] + v[None, :, None] * frame[1])
    nets = [Net(1, np.repeat(part, 2)) for part in (u, v)]
    return NurbsPatch(nets[0], nets[1], places, np.ones((2, 2)))
