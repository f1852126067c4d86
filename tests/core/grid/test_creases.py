"""Sides over creases are told: on extruded corners, several surfaces, triangles; smooth walls and rims are not."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.creases import crease_under
from plodek.core.formats.handoff import hand_off
from plodek.core.shape.surfaces.analytic import sphere
from plodek.core.shape.surfaces.triangulated import Triangulated
from tests.conftest import model_of, numbered

ROOF = [[0, 1, 0], [1, 1.5, 0], [2, 1, 0]]


def box(*more, guides):
    return numbered([
        *guides,
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1},
        *more,
        {"kind": "count", "tier": {"all": True}, "cells": 5},
    ])  # fmt: skip


ROOFS = {
    "extruded": ("roof", [{"kind": "polyline", "name": "line", "points": ROOF}, {"kind": "extrude-curve", "name": "roof", "guide": "line", "by": [0, 0, 1]}]),
    "several": ("left", [{"kind": "plane", "name": "left", "centre": [0.5, 1.25, 0.5], "width": math.hypot(1, 0.5), "height": 1, "normal": [-0.5, 1, 0], "along": [1, 0.5, 0]},
                         {"kind": "plane", "name": "right", "centre": [1.5, 1.25, 0.5], "width": math.hypot(1, 0.5), "height": 1, "normal": [0.5, 1, 0], "along": [1, -0.5, 0]}]),
}  # fmt: skip


@pytest.mark.parametrize("name", ROOFS)
def test_a_side_over_a_roof_is_told_with_its_angle_and_place(name):
    """The ridge turns by 2 atan(1/2) = 53.13°; cut there and followed it is no crease under a side."""
    guide, guides = ROOFS[name]
    also = {"also": ["right"]} if name == "several" else {}
    follow = {"kind": "follow", "guide": guide, "edges": {"looks": [0, 1, 0], "within": 40}, **also}
    model = model_of(box(follow, guides=guides))
    (fit,) = walls_of(model, build.build(model).grid).fits
    assert fit.crease.degrees == pytest.approx(math.degrees(2 * math.atan(0.5)))
    assert fit.crease.at[:2] == pytest.approx([1, 1.5], abs=1e-3)
    ridge = ({"kind": "pin", "corner": {"at": [1, 1, z]}, "to": [1, 1.5, z]} for z in (0, 1))
    parted = model_of(box({"kind": "cut", "by": "x", "at": [1]}, *ridge, follow, guides=guides))
    (fit,) = walls_of(parted, build.build(parted).grid).fits
    assert fit.misfit < 1e-12
    assert fit.crease is None


@pytest.mark.parametrize("radius", [1.05, 4.0])
def test_a_round_wall_has_no_crease_however_coarse_it_is(radius):
    cylinder = {
        "kind": "cylinder",
        "name": "c",
        "along": [0, 0, 1],
        "base": [1, 0, -1],
        "radius": radius,
        "height": 3,
    }
    follow = {"kind": "follow", "guide": "c", "edges": {"side": "y+"}}
    model = model_of(
        [
            *box(follow, guides=[cylinder])[:-1],
            {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 2},
        ]
    )
    grid = build.build(model).grid
    (fit,) = walls_of(model, grid).fits
    assert fit.crease is None


def test_the_report_tells_it(tmp_path):
    guide, guides = ROOFS["extruded"]
    patch = {"kind": "patch", "name": "all", "faces": {"rest": True}}
    model = model_of(box({"kind": "follow", "guide": guide, "edges": {"side": "y+"}}, patch, guides=guides))
    grid = build.build(model).grid
    done = hand_off(
        grid,
        tmp_path,
        name="roof",
        unit="m",
        limits=model.limits,
        walls=walls_of(model, grid),
        formats=["vtk"],
    )
    assert "A side on roof runs over a crease of 53°." in (tmp_path / "report.md").read_text()
    assert done.facts["guides"]["roof"]["crease"] == pytest.approx(53.13, abs=0.01)


def test_creases_of_triangles_are_told_and_facets_are_not():
    """A faceted ball is smooth, as its facets turn by less than a crease; a faceted box is not."""
    ball = sphere(np.zeros(3), np.eye(3), 1.0, (-np.pi / 2, np.pi / 2), 2 * np.pi).facets
    corners = np.array([[x, y, z] for x in (-1.0, 1) for y in (-1.0, 1) for z in (-1.0, 1)])
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    triangles = np.array([t for a, b, c, d in sides for t in ((a, b, c), (a, c, d))])
    u, v = np.meshgrid(np.linspace(-0.6, 0.6, 8), np.linspace(-0.6, 0.6, 8), indexing="ij")
    aslant = np.stack([u, 1 + 0 * u, 1 + 0 * u], -1) + np.stack([0 * u, v, -v], -1)
    for surface, wanted in (
        (Triangulated(ball.xyz, ball.triangles), None),
        (Triangulated(corners, triangles), 90),
    ):
        where = surface.nearest(aslant.reshape(-1, 3))
        nodes, normals = surface.at(where).reshape(8, 8, 3), surface.normal(where).reshape(8, 8, 3)
        found = crease_under(surface, nodes, normals)
        assert (found and round(found.degrees)) == wanted
