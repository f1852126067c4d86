"""Jobs in space as an analyst would do them, from nothing to the gate: bodies, tubes, typed blocks, CAD parts."""

import itertools
import json
import math

import numpy as np
import pytest
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.GeomAbs import GeomAbs_Circle
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from plodek.core.shape.curves.wing_section import section
from plodek.core.shape.files.cad_writing import write_step
from tests.conftest import DEMO_FILES, demo_file, numbered
from tools.make_stage_sections import CHORD, SECTIONS, on_cylinder

pytestmark = pytest.mark.slow


class Job:
    """A recipe brought to a grid, with what Check says of it."""

    def __init__(self, steps, files=DEMO_FILES):
        found = Evaluator().evaluate(document.of({"steps": numbered(steps)}), files)
        assert found.error is None, str(found.error)
        self.model = found.model
        self.grid = build.build(self.model).grid
        self.cells = measure(self.grid)
        self.walls = walls_of(self.model, self.grid)
        self.gate = gate(self.cells, self.model.limits, self.walls)

    def sound(self):
        """Passed, unfolded, closed, and every wall height as asked."""
        assert self.gate.passed, [verdict.sentence for verdict in self.gate.verdicts if verdict.missed]
        assert self.gate.folded == 0
        assert self.model.facts.findings == []
        for wall in self.walls.heights:
            if wall.wanted is not None:
                assert wall.smallest == pytest.approx(wall.wanted, rel=0.05)
                assert wall.largest == pytest.approx(wall.wanted, rel=0.05)
        return self


def out_to(size, *edges):
    """Cells that grow away from a body, along edges that start at it."""
    return [
        {
            "kind": "space",
            "tier": {"at": at, "start": start},
            "law": "geometric",
            "first": size,
            "growth": 1.2,
        }
        for at, start in edges
    ]


ROOM = {"kind": "frame", "shape": "box", "corner": [-6, -4, 0], "width": 18, "height": 8, "depth": 6}
AROUND_BODY = [
    ([-3.5, -0.6, 1.8], [-1, -0.6, 1.8]),
    ([7, -0.6, 1.8], [2, -0.6, 1.8]),
    ([-1, -2.3, 1.8], [-1, -0.6, 1.8]),
    ([-1, 2.3, 1.8], [-1, 0.6, 1.8]),
    ([-1, -0.6, 3.9], [-1, -0.6, 1.8]),
]


def body_in_room(cuts, solid, thickness, size, layers):
    """A body of hollow blocks in a room, ringed, with wall layers on it and on the ground."""
    layer = {
        "kind": "wall-layer",
        "first": "2 mm",
        "growth": 1.2,
        "layers": layers,
        "far": "size",
        "far_size": size,
    }
    return [
        ROOM,
        *({"kind": "cut", "by": axis, "at": at} for axis, at in zip("xyz", cuts, strict=True)),
        {"kind": "hollow", "blocks": {"each": solid}},
        {"kind": "patch", "name": "body", "faces": {"around": {"hollow": True}}},
        {"kind": "ring", "blocks": {"hollow": True}, "thickness": thickness},
        {"kind": "patch", "name": "ground", "faces": {"side": "z-"}},
        {"kind": "patch", "name": "far", "type": "far field", "faces": {"rest": True}},
        {"kind": "wanted-size", "size": size},
        layer | {"walls": {"patch": "body"}},
        layer | {"walls": {"patch": "ground"}},
        *out_to(size, *AROUND_BODY),
    ]  # fmt: skip


def test_a_box_body_above_ground():
    job = Job(body_in_room([[-1, 2], [-0.6, 0.6], [0.8, 1.8]], [[0.5, 0, 1.3]], 0.3, 0.1, 8)).sound()
    assert job.cells.volume.sum() == pytest.approx(18 * 8 * 6 - 3 * 1.2 * 1)
    assert {wall.wall for wall in job.walls.heights} == {"body", "ground"}


def test_a_box_body_on_posts():
    plate = [[x, y, 1.3] for x in (-0.75, -0.35, 0.5, 1.35, 1.75) for y in (-0.4, 0, 0.4)]
    posts = [[x, 0, 0.4] for x in (-0.35, 1.35)]
    cuts = [[-1, -0.5, -0.2, 1.2, 1.5, 2], [-0.6, -0.15, 0.15, 0.6], [0.8, 1.8]]
    job = Job(body_in_room(cuts, plate + posts, 0.15, 0.05, 5)).sound()
    assert job.cells.volume.sum() == pytest.approx(18 * 8 * 6 - 3 * 1.2 * 1 - 2 * 0.3 * 0.3 * 0.8)


def venturi(around):
    """A venturi tube on an axis beside the origin; cone angles and throat of ISO 5167-4."""
    wide, narrow, axis = 0.05, 0.025, 0.25
    length = (
        0.1,
        (wide - narrow) / math.tan(math.radians(10.5)),
        0.05,
        (wide - narrow) / math.tan(math.radians(4)),
        0.1,
    )
    at = [0.0, *itertools.accumulate(length)]
    profile = [[x, axis + r] for x, r in zip(at, (wide, wide, narrow, narrow, wide, wide), strict=True)]
    cones = math.pi / 3 * (wide**2 + wide * narrow + narrow**2) * (length[1] + length[3])
    exact = math.pi * wide**2 * (length[0] + length[4]) + math.pi * narrow**2 * length[2] + cones
    return exact, [
        {"kind": "polyline", "name": "wall", "points": profile},
        {"kind": "frame", "corner": [0, axis], "width": at[-1], "height": wide},
        {"kind": "cut", "by": "x", "at": at[1:-1]},
        *({"kind": "pin", "corner": {"at": [x, axis + wide]}, "to": [x, axis + narrow]} for x in at[2:4]),
        {"kind": "follow", "guide": "wall", "edges": {"looks": [0, 1, 0], "within": 30}},
        {"kind": "revolve", "angle": 360, "at": [0, axis, 0], "along": [1, 0, 0], "parts": 4, "cells": around},
        {"kind": "patch", "name": "inlet", "type": "inlet", "faces": {"side": "x-"}},
        {"kind": "patch", "name": "outlet", "type": "outlet", "faces": {"side": "x+"}},
        {"kind": "patch", "name": "wall", "faces": {"rest": True}},
        {"kind": "butterfly", "blocks": {"all": True}},
        {"kind": "wanted-size", "size": 0.004},
        {"kind": "wall-layer", "walls": {"patch": "wall"}, "first": "0.1 mm", "growth": 1.2, "layers": 8},
    ]  # fmt: skip


def test_a_venturi_beside_its_axis_has_its_volume_at_second_order():
    exact, steps = venturi(32)
    job = Job(steps).sound()
    assert max(fit.misfit for fit in job.walls.fits) < 1e-15
    errors = [exact - float(job.cells.volume.sum())]
    errors += [exact - float(Job(venturi(n)[1]).cells.volume.sum()) for n in (16, 64)]
    assert errors[1] / errors[0] == pytest.approx(4, rel=0.02)
    assert errors[0] / errors[2] == pytest.approx(4, rel=0.02)


def test_a_chamber_of_eighteen_typed_blocks():
    """Three by three by two blocks over a floor that falls: each typed by its corners."""
    xs, ys = (0.0, 1.0, 2.5, 4.0), (0.0, 1.0, 2.2, 3.0)
    levels = (lambda x: -0.15 * x, lambda x: 0.8, lambda x: 1.6 + 0.05 * x)
    steps = []
    for i, j, k in itertools.product(range(3), range(3), range(2)):
        steps.append({
            "kind": "block",
            "corners": [[xs[a], ys[b], levels[c](xs[a])] for c in (k, k + 1) for b in (j, j + 1) for a in (i, i + 1)],
        })  # fmt: skip
    steps += [
        {"kind": "patch", "name": "floor", "faces": {"looks": [0, 0, -1], "within": 12}},
        {"kind": "patch", "name": "inlet", "type": "inlet", "faces": {"side": "x-"}},
        {"kind": "patch", "name": "outlet", "type": "outlet", "faces": {"side": "x+"}},
        {"kind": "patch", "name": "top", "type": "symmetry", "faces": {"looks": [0, 0, 1], "within": 10}},
        {"kind": "patch", "name": "banks", "faces": {"rest": True}},
        {"kind": "wanted-size", "size": 0.1},
        {"kind": "wall-layer", "walls": {"patch": "floor"}, "first": "5 mm", "growth": 1.2, "layers": 6},
    ]
    job = Job(steps).sound()
    assert len(job.model.layout.filled) == 18
    assert len(job.model.layout.corners) == 4 * 4 * 3
    assert job.cells.volume.sum() == pytest.approx(3 * (1.6 * 4 + (0.15 + 0.05) * 4**2 / 2))
    assert [sum(p.name == name for p in job.model.patch_of.values()) for name in ("floor", "banks")] == [
        9,
        12,
    ]


def test_a_tail_of_revolution_with_four_growths():
    profile = [[x / 20, 0.03 + 0.12 * math.cos(math.pi * x / 40) ** 2] for x in range(21)]

    def around(radius, stations):
        part = radius * math.sqrt(0.5)
        return {"each": [[x, part * a, part * b] for x in stations for a in (1, -1) for b in (1, -1)]}

    job = Job([
        {"kind": "spline", "name": "tail", "points": profile},
        {"kind": "frame", "corner": [0, 0.15], "width": 1.0, "height": 0.08},
        {"kind": "pin", "corner": {"at": [1.0, 0.15]}, "to": [1.0, 0.03]},
        {"kind": "follow", "guide": "tail", "edges": {"at": [0.5, 0.15]}},
        {"kind": "pin", "corner": {"at": [1.0, 0.23]}, "to": [1.0, 0.13]},
        {"kind": "revolve", "angle": 360, "parts": 4, "cells": 32},
        {"kind": "patch", "name": "tail", "faces": {"on": "tail"}},
        {"kind": "grow", "sides": {"side": "x+"}, "distance": 0.3},
        {"kind": "grow", "sides": around(0.15, (0.5, 1.15)), "distance": 0.15},
        {"kind": "grow", "sides": around(0.28, (0.5, 1.15)), "distance": 0.3},
        {"kind": "grow", "sides": {"side": "x+"}, "by": "up to a plane", "plane": "x", "value": 3},
        {"kind": "wanted-size", "size": 0.04},
        {"kind": "wall-layer", "walls": {"patch": "tail"}, "first": "0.5 mm", "growth": 1.2, "layers": 8, "cells": 20},
        *out_to(0.012, ([1, 0, 0.2], [1, 0, 0.13])),
    ]).sound()  # fmt: skip
    (fit,) = job.walls.fits
    assert fit.guide == "tail"
    assert fit.misfit < 1e-15
    wall = np.concatenate([job.grid.nodes(side).reshape(-1, 3) for side in job.grid.patches[0].windows])
    line = job.model.guides["tail"].at(np.linspace(0, 1, 100_001))
    radius = np.interp(wall[:, 0], line[:, 0], line[:, 1])
    assert np.hypot(wall[:, 1], wall[:, 2]) == pytest.approx(radius, abs=1e-9)


BORE, FILLET, DEPTH, CAP = 0.7, 0.3, 2.0, 1.5


@pytest.fixture(scope="module")
def bored_plate(tmp_path_factory):
    """A plate with a bore whose rim is rounded, written by the CAD kernel."""
    plate = BRepPrimAPI_MakeBox(gp_Pnt(-2, 0, -2), gp_Pnt(2, DEPTH, 2)).Shape()
    drill = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, -1, 0), gp_Dir(0, 1, 0)), BORE, 5.0).Shape()
    bored = BRepAlgoAPI_Cut(plate, drill).Shape()
    rounding = BRepFilletAPI_MakeFillet(bored)
    edges = TopExp_Explorer(bored, TopAbs_EDGE)
    while edges.More():
        curve = BRepAdaptor_Curve(TopoDS.Edge(edges.Current()))
        if curve.GetType() == GeomAbs_Circle and abs(curve.Circle().Location().Y() - DEPTH) < 1e-9:
            rounding.Add(FILLET, TopoDS.Edge(edges.Current()))
            break
        edges.Next()
    path = tmp_path_factory.mktemp("part") / "bore.step"
    assert write_step(rounding.Shape(), [], [], "MM", str(path))
    return in_memory({"bore.step": path.read_bytes()})


def test_a_part_with_a_bore_and_a_fillet(bored_plate):
    """A quarter of the flow through it in three blocks a section; its faces fit by themselves.

    A volume ratio of 3.7 at the core's corner is what is reached without smoothing in space.
    """
    top = DEPTH + 0.8
    job = Job([
        {"kind": "unit", "unit": "mm"},
        {"kind": "bring-in", "file": "bore.step", "name": "part"},
        {"kind": "circle", "name": "cap", "centre": [0, DEPTH], "radius": CAP, "from_angle": 0, "to_angle": 90},
        {"kind": "block", "corners": [[0, 0], [BORE, 0], [0, DEPTH - FILLET], [BORE, DEPTH - FILLET]]},
        {"kind": "block", "corners": [[0, DEPTH - FILLET], [BORE, DEPTH - FILLET], [0, top], [BORE + FILLET, DEPTH]]},
        {"kind": "block", "corners": [[BORE + FILLET, DEPTH], [0, top], [0, DEPTH + CAP], [CAP, DEPTH]]},
        {"kind": "follow", "guide": "cap", "edges": {"at": [CAP / 2, DEPTH + CAP / 2]}},
        {"kind": "revolve", "angle": 90, "along": [0, 1, 0], "parts": 2, "cells": 16},
        {"kind": "butterfly", "blocks": {"all": True}, "core": 0.45, "bow": 0},
        {"kind": "fit-near", "within": 0.1},
        {"kind": "patch", "name": "wall", "faces": {"any": [{"on": "part.face-2"}, {"on": "part.face-7"}]}},
        {"kind": "wanted-size", "size": 0.05},
        {"kind": "wall-layer", "walls": {"patch": "wall"}, "first": 0.002, "growth": 1.2, "layers": 6, "far": "size", "far_size": 0.05},
        {"kind": "gate", "volume_ratio": 3.7},
    ], bored_plate).sound()  # fmt: skip
    assert len(job.model.layout.filled) == 9
    assert {fit.guide for fit in job.walls.fits} == {"cap", "part.face-1", "part.face-2", "part.face-7"}
    assert max(fit.misfit for fit in job.walls.fits) < 1e-11
    wall = np.concatenate([job.grid.nodes(side).reshape(-1, 3) for side in job.grid.patches[0].windows])
    radius, low = np.hypot(wall[:, 0], wall[:, 2]), wall[:, 1] <= DEPTH - FILLET
    assert radius[low] == pytest.approx(BORE, abs=1e-10)
    off_ring = np.hypot(BORE + FILLET - radius[~low], wall[~low, 1] - DEPTH + FILLET)
    assert off_ring == pytest.approx(FILLET, abs=1e-10)


def on_stage(x, degrees, radius):
    return [x, radius * math.cos(math.radians(degrees)), radius * math.sin(math.radians(degrees))]


@pytest.fixture(scope="module")
def sharp_stage():
    """The pump stage of the demo with vanes whose tails end sharp: a C of blocks, its wake closed to a line."""

    def vane(radius, chord_angle):
        outline = section("4412", 61, sharp=True)[:, :2] - [0.5, 0.0]
        c, s = math.cos(math.radians(chord_angle)), math.sin(math.radians(chord_angle))
        x, t = CHORD * outline @ [c, -s], CHORD * outline @ [s, c]
        return on_cylinder(x + 0.5 * CHORD * c, t / radius, radius)

    outlines = [vane(*each) for each in SECTIONS]
    curves = ["\n".join(",".join(f"{v:.9f}" for v in p) for p in [*o, o[0]]) for o in outlines]
    points = "x, y, z\n" + "\n\n".join(curves) + "\n"
    files = in_memory({"stage-vane.csv": points.encode(), "stage-pitch.csv": demo_file("stage-pitch.csv")})
    steps = json.loads(demo_file("axial-stage.json"))["steps"]
    named = {step["id"]: step for step in steps}
    until = list(named).index("vane-block") + 1
    corners = {
        "root": [(0.005, -12.62, 0.1653, 0.478), (0.005, -8.52, 0.1653, 0.533), (0.1291, 6.8, 0.1702, 0.01), (0.1291, 10.9, 0.1702, 0.99)],
        "tip": [(0.0102, -8.62, 0.36, 0.47), (0.0102, -4.52, 0.36, 0.537), (0.129, 6.13, 0.36, 0.01), (0.129, 10.24, 0.36, 0.99)],
    }  # fmt: skip
    lines = {
        "root": [on_stage(0.07, a, 0.168) for a in (-1, 2)],
        "tip": [on_stage(0.062, a, 0.36) for a in (-0.4, 0.8)],
    }
    noses = {"root": on_stage(0.0, -10.6, 0.165), "tip": on_stage(0.0, -7.5, 0.36)}
    wake = {"at": on_stage(0.19, 14, 0.26)}
    return Job([
        *steps[:until],
        *({"kind": "slide", "corner": {"at": on_stage(x, a, r)}, "guide": name, "fraction": f} for name, at in corners.items() for x, a, r, f in at),
        *({"kind": "follow", "guide": name, "edges": {"each": [noses[name], *lines[name]]}} for name in lines),
        {"kind": "follow", "guide": "vane", "edges": {"each": [on_stage(x, a, 0.26) for x, a in ((0.07, 1.5), (0.07, -1.5), (0, -9))]}},
        {"kind": "ring", "blocks": {"any": [{"hollow": True}, wake]}, "where": "around", "measured": "from straight sides", "thickness": 0.01, "bow": 0.52},
        {"kind": "zip", "blocks": wake, "side": {"at": on_stage(0.19, 16, 0.26)}, "keep": "middle"},
        {"kind": "slide", "corner": {"at": on_stage(0.142, 10.9, 0.1705)}, "guide": "root", "fraction": 0},
        {"kind": "slide", "corner": {"at": on_stage(0.1234, 7.57, 0.36)}, "guide": "tip", "fraction": 0},
        {"kind": "follow", "guide": "tail", "edges": {"at": on_stage(0.135, 9.4, 0.265)}},
        *({"kind": "follow", "guide": name, "edges": {"each": at}} for name, at in lines.items()),
        {"kind": "follow", "guide": "vane", "edges": {"around": {"hollow": True}}},
        *(step for step in steps if step["kind"] == "patch"),
        *(named[name] for name in ("n-nose", "along-vane", "layer-vane", "layer-ends", "up")),
        named["down"] | {"first": "1.2 mm", "match": "none"},
        {"kind": "space", "tier": {"at": on_stage(-0.12, -28.5, 0.36), "start": on_stage(-0.12, -40, 0.36)}, "law": "two-sided", "growth": 1.25, "match": "last"},
        {"kind": "space", "tier": {"at": on_stage(-0.12, 0, 0.36), "start": on_stage(-0.12, -12.6, 0.36)}, "law": "two-sided", "growth": 1.25, "match": "first"},
        {"kind": "gate", "smallest_angle": 26, "largest_angle": 154.5, "skewness": 0.71, "volume_ratio": 5.5},
    ], files)  # fmt: skip


def test_a_pump_stage_with_a_sharp_tail(sharp_stage):
    """Angles of 26° and 154° are what is reached without smoothing in space."""
    sharp_stage.sound()
    assert sharp_stage.grid.cells > 200_000
    assert max(fit.misfit for fit in sharp_stage.walls.fits) < 1e-11
    assert [wall.held for wall in sharp_stage.walls.heights] == [1, 1, 1]


def test_its_wake_leaves_the_sharp_line_of_the_vane(sharp_stage):
    grid, model = sharp_stage.grid, sharp_stage.model
    line = model.guides["tail"]
    (vane,) = [patch for patch in grid.patches if patch.name == "vane"]
    wall = np.concatenate([grid.nodes(side).reshape(-1, 3) for side in vane.windows])
    away = np.linalg.norm(line.at(line.nearest(wall)) - wall, axis=1)
    assert np.sum(away < 1e-13) == 2 * 39  # from hub to casing, once above and once below


def test_what_is_zipped_or_ringed_between_two_surfaces_stays_where_they_meet(sharp_stage):
    """The ends of the wake and of the ring, on the hub or the casing and on the outlet."""
    layout, guides = sharp_stage.model.layout, sharp_stage.model.guides
    there = [c for c in layout.corners if {"outlet"} < set(layout.surfaces_of.get(c, ()))]
    assert len(there) == 10
    for corner in there:
        xyz = layout.places([corner])
        for name in layout.surfaces_of[corner]:
            assert np.linalg.norm(guides[name].onto(xyz) - xyz) < 1e-11
