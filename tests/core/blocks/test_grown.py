"""Layers grown along normals keep their distance: on bent sides, beside symmetry, in the plane and in space."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Block, Corner, Layout
from plodek.core.blocks.operations.grow import grow
from plodek.core.blocks.operations.layer import Offset
from plodek.core.build.build import filled_grid
from plodek.core.check.measure import measure
from plodek.core.errors import PlodekError, Refused
from plodek.core.model.model import Model
from tests.conftest import evaluated, model_of, numbered

S = np.linspace(0.0, 1.0, 41)
QUARTER = [
    {"kind": "frame", "shape": "polar", "outer": 0.15, "start": 0, "end": 90},
    {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5},
]
ROUND = {"each": [[0.1386, 0.0574], [0.0574, 0.1386]]}
WAVE = [
    {"kind": "frame", "width": 2, "height": 1},
    {"kind": "bend", "edges": {"at": [1, 1]}, "how": "through points", "points": [[0.5, 1.1], [1.5, 0.9]]},
]


def outer_paths(model, chosen):
    """Give places on the outer edges that are chosen by their middle."""
    outer = {edge for side in model.layout.outer for edge in model.layout.rim_of(side)}
    paths = (edge_path(model.layout, model.guides, edge).at(S) for edge in outer)
    return [xyz for xyz in paths if chosen(xyz[20])]


def test_a_round_side_grows_to_an_arc_and_its_ends_stay_on_the_axes():
    """As told of 0.15 m and 1.35 m: the area within is that of the polygon on the circle of 1.5 m."""
    grow = {"kind": "grow", "sides": ROUND, "by": "along normals", "distance": 1.35}
    model = model_of(numbered([*QUARTER, grow]))
    far = outer_paths(model, lambda at: np.hypot(*at[:2]) > 1.2)
    assert len(far) == 2
    assert all(np.abs(np.hypot(xyz[:, 0], xyz[:, 1]) - 1.5).max() < 1e-6 * 1.35 for xyz in far)
    places = [np.array(one.xyz) for one in model.layout.corners.values()]
    ends = [xyz for xyz in places if np.hypot(*xyz[:2]) > 1.4]
    assert sum(min(abs(xyz[0]), abs(xyz[1])) < 1e-15 for xyz in ends) == 2


@pytest.mark.parametrize("distance", [0.05, 0.3])
def test_a_waved_side_grows_by_the_same_distance_all_along(distance):
    grow = {"kind": "grow", "sides": {"side": "y+"}, "by": "along normals", "distance": distance}
    steps = [*WAVE, {"kind": "cut", "by": "x", "at": [0.7]}]
    before = model_of(numbered(steps))
    (curve,) = {id(b): b for e, b in model_of(numbered(WAVE)).layout.bends.items()}.values()
    after = model_of(numbered([*steps, grow | {"sides": {"each": [[0.4, 1.08], [1.4, 0.91]]}}]))
    assert len(after.layout.blocks) == len(before.layout.blocks) + 2
    far = outer_paths(after, lambda at: at[1] > 0.85 + 0.8 * distance and 0.1 < at[0] < 1.9)
    assert len(far) == 2
    for xyz in far:
        gaps = np.linalg.norm(xyz - curve.at(curve.nearest(xyz)), axis=1)
        inner = (xyz[:, 0] > 0.02) & (xyz[:, 0] < 1.98)  # the ends stay in line with the sides beside
        assert np.abs(gaps[inner] - distance).max() < 1e-5 * distance


def test_a_cylinder_grows_to_a_cylinder_and_a_cone_by_its_own_normals():
    def grown(steps, chosen):
        model = model_of(numbered(steps))
        return [xyz for xyz in outer_paths(model, chosen) if np.ptp(np.hypot(xyz[:, 0], xyz[:, 1])) < 1e-3]

    sides = {"each": [[0.3, 0, 0.5], [-0.3, 0, 0.5], [0, 0.3, 0.5], [0, -0.3, 0.5]]}
    tube = {"kind": "frame", "shape": "cylinder", "outer": 0.3, "depth": 1}
    grow = {"kind": "grow", "sides": sides, "by": "along normals", "distance": 0.4}
    rims = grown([tube, grow], lambda at: np.hypot(*at[:2]) > 0.5)
    assert len(rims) == 8 + 4  # those straight along it too
    assert all(np.abs(np.hypot(xyz[:, 0], xyz[:, 1]) - 0.7).max() < 1e-9 for xyz in rims)
    wedge = [
        {"kind": "frame", "corner": [1, 0], "width": 1, "height": 1},
        {"kind": "pin", "corner": {"at": [2, 1]}, "to": [1.5, 1]},
        {"kind": "revolve", "angle": 60, "parts": 1, "cells": 4, "along": [0, 1, 0]},
    ]
    cone = {"kind": "grow", "by": "along normals", "distance": 0.1}
    model = model_of(numbered(wedge))
    (slanting,) = (
        [float(v) for v in model.layout.places(side).mean(axis=0)]
        for side in model.layout.outer
        if np.ptp(np.hypot(*model.layout.places(side)[:, [0, 2]].T)) > 0.4
        and np.hypot(*model.layout.places(side)[:, [0, 2]].T).min() > 1.4
    )
    after = model_of(numbered([*wedge, cone | {"sides": {"at": slanting}}]))
    normal = 1.0 / np.hypot(1.0, 0.5)  # the share of the normal that is along the radius
    far = [np.hypot(xyz[:, 0], xyz[:, 2]) for xyz in outer_paths(after, lambda at: True)]
    for foot in (2.0, 1.5):
        assert any(np.abs(radii - (foot + 0.1 * normal)).max() < 1e-7 for radii in far)


def test_a_layer_within_a_hollow_bend_is_refused_with_where_before_it_folds():
    steps = [
        {"kind": "frame", "width": 2, "height": 1},
        {"kind": "bend", "edges": {"at": [1, 1]}, "how": "through points", "points": [[1, 0.5]]},
        {"kind": "grow", "sides": {"at": [1, 0.5]}, "by": "along normals", "distance": 1.5},
    ]
    found = evaluated(numbered(steps))
    with pytest.raises(
        PlodekError, match=r"folds at \((0.9|1).*, 0.5.*\), where the side is bent to a radius"
    ):
        raise found.error
    near = model_of(numbered([*steps[:2], steps[2] | {"distance": 0.2}]))
    assert len(near.layout.blocks) == 2


@settings(deadline=None, max_examples=60)
@given(st.sets(st.tuples(*[st.integers(0, 2)] * 3), min_size=1, max_size=8), st.sampled_from([2, 3]))
def test_layers_round_any_pile_of_cubes_cover_what_mitred_ones_do(cubes, dim):
    """At convex corners go round, elsewhere meet in the middle: always the same space, and less skewed."""
    cubes = sorted({cube[:dim] for cube in cubes})
    corners = {"-".join(map(str, at)): at for at in np.ndindex(*[4] * dim)}
    own = {
        cube: tuple("-".join(str(c + (n >> a & 1)) for a, c in enumerate(cube)) for n in range(1 << dim))
        for cube in cubes
    }
    layout = Layout(
        dim,
        {name: Corner((*map(float, at), 0.0)[:3]) for name, at in corners.items()},
        {str(cube): Block(names) for cube, names in own.items()},
    ).tidied()
    sides = list(layout.outer)
    try:
        mitred, around = (
            grow("g", layout, {}, sides, Offset("g", layout, {}, sides, 0.2, round_corners=wished).layer())
            for wished in (False, True)
        )
    except Refused:
        with pytest.raises(Refused):  # cubes that touch in a corner or an edge: the layers meet there
            grow("g", layout, {}, sides, Offset("g", layout, {}, sides, 0.2, round_corners=False).layer())
        return
    one, other = (measure(filled_grid(Model(layout=made.layout))) for made in (mitred, around))
    assert other.volume.sum() == pytest.approx(one.volume.sum(), rel=1e-12), cubes
    assert len(around.layout.blocks) > len(mitred.layout.blocks)
    assert not other.folded.any()
    assert bool(other.leaks) == bool(one.leaks)


def test_what_has_grown_round_a_corner_belongs_to_the_patches_on_both_sides_of_it():
    """Round a box on its floor: 5 sides, 8 edges and 4 corners, whose layer has the box's own offset."""
    faces = [
        {"kind": "patch", "name": n, "type": "wall", "faces": {"side": s}}
        for n, s in (("top", "z+"), ("east", "x+"))
    ]
    box = {"kind": "frame", "shape": "box", "width": 2, "height": 2, "depth": 1}
    sides = {"each": [[2, 1, 0.5], [0, 1, 0.5], [1, 2, 0.5], [1, 0, 0.5], [1, 1, 1]]}
    grow = {"kind": "grow", "sides": sides, "by": "along normals", "distance": 0.5}
    model = model_of(numbered([box, *faces, grow]))
    assert len(model.layout.blocks) == 1 + 5 + 8 + 4
    for patch, axis, value, area in (("top", 2, 1.5, 9.0), ("east", 0, 2.5, 4.5)):
        own = [side for side, owner in model.patch_of.items() if owner.name == patch]
        xyz = np.array([model.layout.places(side) for side in own])
        assert np.all(xyz[..., axis] == value)
        assert np.prod(np.ptp(xyz, axis=1)[:, [a for a in range(3) if a != axis]], axis=1).sum() == area


def test_twins_whose_sides_both_grow_are_none_any_more_and_that_is_told():
    twin = {"kind": "twin", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 1]}
    grow = {"kind": "grow", "id": "g", "sides": {"all": True}, "by": "along normals", "distance": 0.1}
    model = model_of(numbered([{"kind": "frame", "width": 2, "height": 1}, twin, grow]))
    assert model.layout.twins == ()
    assert "the twins “s1” are none any more" in " ".join(model.said("g"))


@pytest.mark.parametrize(("turn", "blocks"), [(40, 3), (59, 3), (61, 4), (149, 4), (151, 3)])
def test_a_block_goes_round_a_corner_where_it_is_less_skewed_than_two_that_are_mitred(turn, blocks):
    way = np.pi - np.radians(turn)
    other, far = ([size * np.cos(a), -size * np.sin(a)] for size, a in ((1.0, way), (2.0, way / 2)))
    sides = {"each": [[0.5, 0], [other[0] / 2, other[1] / 2]]}
    grow = {"kind": "grow", "sides": sides, "by": "along normals", "distance": 0.1}
    block = {"kind": "block", "corners": [other, far, [0, 0], [1, 0]]}
    assert len(model_of(numbered([block, grow])).layout.blocks) == blocks


@pytest.mark.parametrize("depth", [0.0, 1.0])
def test_a_ring_round_a_body_is_as_far_off_it_all_along(depth):
    """Round a circle, and a cylinder, of 0.4 its new edges are arcs of 0.6."""
    shape = {"shape": "box", "depth": depth} if depth else {}
    cuts = [{"kind": "cut", "by": axis, "at": [-0.2, 0.2]} for axis in "xy"]
    body = (
        {"kind": "cylinder", "name": "c", "base": [0, 0, 0], "radius": 0.4, "height": 1}
        if depth
        else {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 0.4}
    )
    at = [0, 0, 0.5] if depth else [0, 0]
    steps = [
        body,
        {"kind": "frame", "corner": [-1, -1], "width": 2, "height": 2, **shape},
        *cuts,
        {"kind": "hollow", "blocks": {"at": at}},
        {"kind": "follow", "guide": "c", "edges": {"around": {"at": at}}},
        {"kind": "ring", "blocks": {"hollow": True}, "thickness": 0.2},
    ]
    model = model_of(numbered(steps))
    away = [
        np.hypot(*edge_path(model.layout, model.guides, edge).at(S)[:, :2].T) for edge in model.layout.edges
    ]
    ring = [radii for radii in away if abs(radii[0] - 0.6) < 1e-9 and abs(radii[-1] - 0.6) < 1e-9]
    assert len(ring) == (12 if depth else 4)
    assert max(np.abs(radii - 0.6).max() for radii in ring) < 1e-9
