"""The surface without a trim that faces of a CAD file are parts of: whole, with its seam and its poles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plodek.core.shape.curves.nurbs import NurbsCurve
from plodek.core.shape.surfaces.analytic import Turned
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.patch import BoundedPatch, Patch
from plodek.core.shape.surfaces.surface import Facets
from plodek.core.shape.surfaces.swept import Revolved

#: Places of the faces are on what carries them within this share of their size.
_ON = 1e-7
#: The sine of the angle between normals that are one direction.
_PARALLEL = 1e-3


def carrier_of(patches: Sequence[Patch], facets: Sequence[Facets]) -> GeneratedSurface | None:
    """Give the surface of revolution that faces with these patches are parts of; ``facets`` are theirs.

    Cylinders, cones, spheres, tori and revolved curves, all round, as far as the facets reach; None where a
    patch is no such surface, or not all places lie on it and look its way.
    """
    first = patches[0]
    if not isinstance(first, BoundedPatch) or not all(isinstance(p, BoundedPatch) for p in patches):
        return None
    xyz, normals = np.concatenate([f.xyz for f in facets]), np.concatenate([f.normals for f in facets])
    if not len(xyz):
        return None
    size = float(np.linalg.norm(np.ptp(xyz, axis=0)))
    surface = first.surface
    if isinstance(surface, Turned):
        found: GeneratedSurface = surface.whole(xyz)
    else:
        assert isinstance(surface, Revolved)
        assert isinstance(surface.curve, NurbsCurve)
        form = surface.curve.form
        curve = NurbsCurve(form.net, form.poles, form.weights)
        found = Revolved(curve, surface.origin, surface.axis, 2 * np.pi)
    where = found.nearest(xyz)
    off = np.linalg.norm(found.at(where) - xyz, axis=1)
    across = found.normal(where)
    aslant = np.linalg.norm(np.cross(across, normals), axis=1)
    return found if off.max() <= _ON * size and aslant.max() <= _PARALLEL else None
