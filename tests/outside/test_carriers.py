"""Sides over several faces of a CAD file that are parts of one surface: over seams between them, and round poles."""

import math

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeRevol, BRepPrimAPI_MakeSphere
from OCP.Geom import Geom_BezierCurve
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt
from OCP.OCP.collections import Array1_gp_Pnt

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from plodek.core.shape.files.cad_writing import write_step
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.together import Together
from tests.conftest import numbered

pytestmark = pytest.mark.slow

FAR = 9.0
WEST, EAST = ((-FAR, -FAR, -FAR), (0, FAR, FAR)), ((0, -FAR, -FAR), (FAR, FAR, FAR))
SOUTH, NORTH = ((-FAR, -FAR, -FAR), (FAR, 0, FAR)), ((-FAR, 0, -FAR), (FAR, FAR, FAR))
CUTS = {1: [()], 2: [(SOUTH,), (NORTH,)], 4: [(SOUTH, WEST), (SOUTH, EAST), (NORTH, WEST), (NORTH, EAST)]}
#: The profile of a slender nose: a Bézier curve in (x, z), square to the axis at its tip.
NOSE = [(0.0, 3.0), (0.35, 3.0), (0.5, 1.5), (0.5, 0.0)]


def ball(cut):
    shape = BRepPrimAPI_MakeSphere(1.0).Shape()
    for low, high in cut:
        shape = BRepAlgoAPI_Cut(shape, BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()).Shape()
    return shape


def nose(part, parts):
    places = Array1_gp_Pnt(1, len(NOSE))
    turn = math.tau * part / parts
    for n, (r, z) in enumerate(NOSE, 1):
        places.SetValue(n, gp_Pnt(r * math.cos(turn), r * math.sin(turn), z))
    edge = BRepBuilderAPI_MakeEdge(Geom_BezierCurve(places)).Edge()
    return BRepPrimAPI_MakeRevol(edge, gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), math.tau / parts).Shape()


def brought_in(shapes, folder):
    """The steps that bring shapes in, and their files."""
    data = {}
    for n, shape in enumerate(shapes):
        path = folder / f"part{n}.step"
        assert write_step(shape, [], [], "MM", str(path))
        data[path.name] = path.read_bytes()
    steps = [{"kind": "bring-in", "file": name, "name": name[:5], "edges": "no"} for name in data]
    return [{"kind": "unit", "unit": "mm"}, *steps], in_memory(data)


def evaluated(steps, files):
    found = Evaluator().evaluate(document.of({"steps": numbered(steps)}), files)
    assert found.error is None, str(found.error)
    return found.model


def top_of(steps, files, area, frame, cells=12):
    """Fill a box whose upper side lies on the faces of an area; gives the model, the grid and that side's nodes."""
    guides = evaluated(steps, files).own_guides
    names = [name for name, guide in guides.items() if abs(guide.area / area - 1) < 0.05]
    follow = {"kind": "follow", "guide": names[0], "also": names[1:], "edges": {"side": "z+"}}
    count = {"kind": "count", "tier": {"all": True}, "cells": cells}
    model = evaluated([*steps, frame, follow, count], files)
    grid = build.build(model).grid
    return model, grid, grid.xyz[0][:, :, -1]


def box(half, low, high):
    low_corner, sides = [-half, -half, low], {"width": 2 * half, "height": 2 * half, "depth": high - low}
    return {"kind": "frame", "shape": "box", "corner": low_corner, **sides}


@pytest.mark.parametrize("faces", [1, 2, 4])
def test_a_side_over_the_pole_of_a_ball_is_the_same_on_any_number_of_faces(faces, tmp_path):
    steps, files = brought_in([ball(cut) for cut in CUTS[faces]], tmp_path)
    corner = 0.96 * math.sqrt(0.5)
    model, grid, top = top_of(steps, files, 4 * math.pi / faces, box(corner, -0.5, 0.28))
    assert not measure(grid).folded.any()
    assert np.linalg.norm(top, axis=2) == pytest.approx(1, abs=1e-14)
    assert top[6, 6] == pytest.approx([0, 0, 1], abs=1e-9)
    steps = [np.linalg.norm(np.diff(top, axis=axis), axis=2) for axis in (0, 1)]
    assert min(map(np.min, steps)) > 0.6 * max(map(np.max, steps))  # filled flat it was 0.27
    (fit,) = walls_of(model, grid).fits
    assert fit.misfit < 1e-11
    assert fit.crease is None


@pytest.mark.parametrize("faces", [1, 2, 3])
def test_a_slender_nose_in_several_faces_is_covered_to_its_tip(faces, tmp_path):
    """Filled flat, a side round its base comes to lie beside the tip: the nearest places are on the flanks."""
    steps, files = brought_in([nose(n, faces) for n in range(faces)], tmp_path)
    area = sum(guide.area for guide in evaluated(steps, files).own_guides.values())
    half = 0.495 * math.sqrt(0.5)
    model, grid, top = top_of(steps, files, area / faces, box(half, -1.0, 0.15), cells=16)
    assert top[8, 8] == pytest.approx([0, 0, 3], abs=1e-6)
    cells = measure(grid)
    assert not cells.folded.any()
    (fit,) = walls_of(model, grid).fits
    assert fit.misfit < 1e-9
    guide = next(model.guides[name] for name in model.layout.lies.values())
    assert isinstance(guide.carrier, GeneratedSurface)


def test_faces_of_different_surfaces_have_no_carrier(tmp_path):
    steps, files = brought_in([ball(CUTS[2][0]), nose(0, 1)], tmp_path)
    model = evaluated(steps, files)
    round_, flat = (guide for guide in model.own_guides.values() if "part0" in guide_name(model, guide))
    assert round_.carrier is not None
    assert flat.carrier is None

    (other,) = (guide for guide in model.own_guides.values() if "part1" in guide_name(model, guide))
    assert Together([round_, other]).carrier is None
    assert Together([round_, flat]).carrier is None


def guide_name(model, guide):
    return next(name for name, one in model.guides.items() if one is guide)
