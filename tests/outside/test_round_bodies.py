"""Volumes of round bodies in closed form, after operations that divide their walls: second order, and no loss."""

import math

import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from tests.conftest import model_of

QUARTER = [
    {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 1},
    {"kind": "block", "corners": [[0, 0], [1, 0], [0, 1], [math.sqrt(0.5), math.sqrt(0.5)]]},
    {"kind": "follow", "guide": "c", "edges": {"any": [{"at": [0.9, 0.35]}, {"at": [0.35, 0.9]}]}},
]
OCTANT = [*QUARTER, {"kind": "revolve", "angle": 90, "parts": 2, "cells": 16}]
BALL = [
    {"kind": "sphere", "name": "s", "centre": [0, 0, 0], "radius": 1},
    {"kind": "frame", "shape": "box", "corner": [-0.5, -0.5, -0.5], "width": 1, "height": 1, "depth": 1},
    {"kind": "follow", "guide": "s", "edges": {"around": {"all": True}}},
]
#: A parabola turned about its axis' normal: r = 1 + x(2 − x)/2 from 0 to 2.
BELLY = [
    {"kind": "spline", "name": "p", "points": [[x / 20, 1 + x / 20 * (2 - x / 20) / 2] for x in range(41)]},
    {"kind": "frame", "corner": [0, 0], "width": 2, "height": 1},
    {"kind": "follow", "guide": "p", "edges": {"at": [1, 1]}},
    {"kind": "revolve", "angle": 360, "parts": 4, "cells": 32},
]
TUBE = [
    {"kind": "cylinder", "name": "t", "base": [0, 0, 0], "along": [1, 0, 0], "radius": 1, "height": 2},
    {"kind": "frame", "shape": "box", "corner": [0, -0.6, -0.6], "width": 2, "height": 1.2, "depth": 1.2},
    {"kind": "follow", "guide": "t", "edges": {"any": [{"side": s} for s in ("y-", "y+", "z-", "z+")]}},
]
BEND = [
    {
        "kind": "arc",
        "name": "path",
        "by": "through",
        "start": [0, 0, 0],
        "through": [3 - 3 * math.sqrt(0.5), 0, 3 * math.sqrt(0.5)],
        "end": [3, 0, 3],
    },
    {"kind": "circle", "name": "rim", "centre": [0, 0], "radius": 1},
    {"kind": "frame", "corner": [-math.sqrt(0.5)] * 2, "width": math.sqrt(2), "height": math.sqrt(2)},
    {"kind": "follow", "guide": "rim", "edges": {"around": {"all": True}}},
    {"kind": "sweep", "guide": "path", "cells": 16},
]
CORE = {"kind": "butterfly", "blocks": {"all": True}}
BODIES = {
    "octant with its pole": (OCTANT, math.pi / 6),
    "octant, the pole cured": ([*OCTANT, CORE], math.pi / 6),
    "octant, cured and cut": ([*OCTANT, CORE, {"kind": "cut", "by": "x", "at": [0.2]}], math.pi / 6),
    "ball with a core": ([*BALL, CORE], 4 / 3 * math.pi),
    "ball with a ring inside": ([*BALL, {"kind": "ring", "where": "inside", "blocks": {"all": True}, "thickness": 0.3}], 4 / 3 * math.pi),
    "body of revolution, the pole cured": ([*BELLY, CORE], math.pi * (2 + 4 / 3 + 4 / 15)),
    "tube with a ring inside": ([*TUBE, {"kind": "ring", "where": "inside", "blocks": {"all": True}, "thickness": 0.2}], 2 * math.pi),
    "tube cut and cored": ([*TUBE, {"kind": "cut", "by": "x", "at": [0.7]}, CORE], 2 * math.pi),
    "bent tube, cored": ([*BEND, CORE], math.pi * 3 * math.pi / 2),
    "half a ball's mirrored copy": ([*OCTANT, CORE, {"kind": "place", "blocks": {"all": True}, "by": "mirror", "at": [0, 0, 0], "along": [1, 0, 0]}], math.pi / 3),
}  # fmt: skip


def volume(steps, factor):
    named = [{"id": f"s{n}", **step} for n, step in enumerate(steps)]
    counts = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 6 * factor}
    return float(measure(build.build(model_of([*named, counts])).grid).volume.sum())


@pytest.mark.parametrize("name", BODIES)
def test_the_volume_goes_to_its_closed_form_at_second_order(name):
    """Sphere 4πr³/3 (Archimedes); π∫r² for a body of revolution; Pappus–Guldin for the bent tube."""
    steps, exact = BODIES[name]
    coarse, fine = volume(steps, 1), volume(steps, 2)
    assert (coarse - exact) / (fine - exact) == pytest.approx(4, rel=0.15)
    assert (4 * fine - coarse) / 3 == pytest.approx(exact, rel=4e-4)
