"""A small recipe for every kind of step, the step of that kind last: what holds for all kinds is tried on them."""

import json

from plodek.core.recipe.files import Files
from plodek.core.recipe.formats import FORMAT
from tests.conftest import demo_file
from tests.received import wedge

LINE = {"kind": "line", "name": "a", "start": [0, 0], "end": [2, 1]}
CIRCLE = {"kind": "circle", "name": "c", "centre": [1, 1], "radius": 0.4}
FRAME = {"kind": "frame", "corner": [0, 0], "width": 2, "height": "2 m"}
CUTS = [FRAME, {"kind": "cut", "by": "x", "at": [0.6, 1.4]}, {"kind": "cut", "by": "y", "at": [0.6, 1.4]}]
HOLE = [*CUTS, {"kind": "hollow", "blocks": {"at": [1, 1]}}]
RING = [CIRCLE, *HOLE, {"kind": "ring", "blocks": {"at": [1, 1]}, "thickness": 0.1}]
ROUND = [*RING, {"kind": "follow", "guide": "c", "edges": {"around": {"at": [1, 1]}}}]
BOX = {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": "50 cm"}
FLOOR = {"kind": "plane", "name": "floor", "centre": [1, 0.5, 0], "width": 4, "height": 4}
TUBE = {"kind": "cylinder", "name": "tube", "base": [0, 0, 0], "radius": 1, "height": 2}
BOTTOM = {"at": [1, 0], "start": [0, 0]}
WEDGE = [
    {"kind": "frame", "corner": [0, 0], "width": 2, "height": 1},
    {"kind": "revolve", "angle": 90, "parts": 2, "cells": 8},
]
PART = {
    "plodek": FORMAT,
    "steps": [
        {"kind": "unit", "id": "u", "unit": "cm"},
        {"kind": "frame", "id": "f", "corner": [200, 0], "width": 100, "height": 200},
    ],
}
OBJECT = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"

EXAMPLES = {
    "unit": [{"kind": "unit", "unit": "m"}],
    "read": [{"kind": "read", "file": "pier-outline.csv", "name": "pier", "shape": "closed"}],
    "bring-in": [{"kind": "bring-in", "file": "square.obj", "name": "s", "file_unit": "m"}],
    "point": [LINE, {"kind": "point", "name": "p", "by": "beside", "at": {"guide": "a", "fraction": 1}, "shift": [0.5, 0, 0]}],
    "line": [LINE],
    "polyline": [{"kind": "polyline", "name": "p", "points": [[0, 0], [1, "20 cm"], [2, 1]]}],
    "arc": [{"kind": "arc", "name": "b", "by": "radius", "start": [0, 0], "end": [1, 0], "radius": 1}],
    "circle": [CIRCLE],
    "ellipse": [{"kind": "ellipse", "name": "e", "centre": [1, 2], "first": 2, "second": 1}],
    "spline": [{"kind": "spline", "name": "s", "points": [[0, 0], [1, 0.5], [2, 0]]}],
    "wing-section": [{"kind": "wing-section", "name": "w", "digits": "2412", "chord": 0.6, "at": [1, 1]}],
    "offset": [CIRCLE, {"kind": "offset", "name": "o", "guide": "c", "distance": -0.1}],
    "join": [LINE, {"kind": "line", "name": "b", "start": [2, 1], "end": [3, 0]}, {"kind": "join", "name": "j", "guides": ["a", "b"], "gap": 0.001}],
    "divide": [LINE, {"kind": "divide", "name": "d", "guide": "a", "by": "points", "points": [[1, 0.5]]}],
    "border": [FLOOR, {"kind": "border", "name": "b", "surface": "floor"}],
    "crossing": [FLOOR, {"kind": "cylinder", "name": "t", "base": [1, 0.5, -1], "radius": 0.5, "height": 2}, {"kind": "crossing", "name": "x", "surface": "floor", "second": "t"}],
    "section": [TUBE, {"kind": "section", "name": "s", "surface": "tube", "at": [0, 0, 1]}],
    "plane": [FLOOR],
    "cylinder": [TUBE],
    "cone": [{"kind": "cone", "name": "k", "base": [0, 0, 0], "radius": 1, "end_radius": 0.5, "height": 2}],
    "sphere": [{"kind": "sphere", "name": "s", "centre": [1, 0, 0], "radius": 2}],
    "torus": [{"kind": "torus", "name": "t", "centre": [0, 1, 0], "radius": 2, "tube": 0.5}],
    "extrude-curve": [LINE, {"kind": "extrude-curve", "name": "e", "guide": "a", "by": [0, 0, 1]}],
    "revolve-curve": [{"kind": "line", "name": "m", "start": [1, 0], "end": [1, 1]}, {"kind": "revolve-curve", "name": "r", "guide": "m", "at": [0, 0, 0], "along": [0, 1, 0]}],
    "sweep-curve": [{"kind": "circle", "name": "c", "centre": [0, 0], "radius": 0.2, "normal": [1, 0, 0]}, LINE | {"start": [0, 0, 0], "end": [1, 0, 0]}, {"kind": "sweep-curve", "name": "s", "guide": "c", "path": "a"}],
    "loft": [CIRCLE, {"kind": "circle", "name": "d", "centre": [1, 1, 1], "radius": 0.3}, {"kind": "loft", "name": "l", "guides": ["c", "d"]}],
    "fill": [LINE, {"kind": "line", "name": "b", "start": [0, 1], "end": [2, 2]}, {"kind": "fill", "name": "f", "guides": ["a", "b"]}],
    "move": [LINE, {"kind": "move", "guides": ["a"], "shift": [1, 0, 0], "copies": 2}],
    "group": [LINE, {"kind": "group", "guides": ["a"], "name": "g"}],
    "rename": [LINE, {"kind": "rename", "guide": "a", "to": "b"}],
    "leave-out": [LINE, CIRCLE, {"kind": "leave-out", "guides": ["a"]}],
    "sew": [FLOOR, {"kind": "plane", "name": "next", "centre": [5.001, 0.5, 0], "width": 4, "height": 4}, {"kind": "sew", "tolerance": "2 mm", "rims": "rim"}],
    "start-from-grid": [{"kind": "start-from-grid", "file": "wedge.xyz", "file_unit": "m", "within": "1 mm"}],
    "frame": [CIRCLE, {"kind": "frame", "shape": "around guides", "guides": ["c"], "margin": 0.2}],
    "block": [{"kind": "block", "corners": [[0, 0], [3, 0], [0, 2], [3, "2 m"]]}],
    "bring-layout": [FRAME, {"kind": "bring-layout", "file": "part.json", "gap": 0.001}],
    "cut": [FRAME, {"kind": "cut", "by": "place", "through": [0.7, 0], "tier": BOTTOM}],
    "merge": [*CUTS, {"kind": "merge", "blocks": {"each": [[0.3, 0.3], [1, 0.3]]}}],
    "hollow": HOLE,
    "bring-back": [*HOLE, {"kind": "bring-back", "blocks": {"hollow": True}}],
    "region": [*CUTS, {"kind": "region", "blocks": {"each": [[0.3, 0.3], [1, 0.3]]}, "name": "gravel"}],
    "zip": [FRAME, {"kind": "cut", "by": "x", "at": [0.5]}, {"kind": "zip", "blocks": {"at": [0.25, 1]}, "side": {"at": [0, 1]}}],
    "pinch": [FRAME, {"kind": "pinch", "edges": {"at": [0, 1]}}],
    "three": [FRAME, {"kind": "pinch", "edges": {"at": [0, 1]}}, {"kind": "three", "block": {"at": [1, 1]}}],
    "ring": RING,
    "butterfly": [*WEDGE, {"kind": "butterfly", "blocks": {"all": True}}],
    "refine": [*CUTS, {"kind": "refine", "walls": {"at": [1, 0]}, "thickness": "5 cm"}],
    "grow": [FRAME, {"kind": "grow", "sides": {"side": "x+"}, "distance": 1}],
    "pin": [*CUTS, {"kind": "pin", "corner": {"at": [0.6, 0.6]}, "to": [0.7, 0.65]}],
    "slide": [*ROUND, {"kind": "slide", "corner": {"at": [0.7, 0.7]}, "near": [0.75, 0.68]}],
    "follow": ROUND,
    "bend": [*CUTS, {"kind": "bend", "edges": {"at": [1, 0.6]}, "how": "through points", "points": [[1, 0.7]]}],
    "align": [*CUTS, {"kind": "pin", "corner": {"at": [0.6, 0.6]}, "to": [0.7, 0.65]}, {"kind": "align", "corners": {"each": [[0.6, 1.4], [1.4, 1.4]]}, "to": "y", "value": 1.3}],
    "fit-near": [{"kind": "line", "name": "a", "start": [0, 0.01], "end": [3, 0.01]}, {"kind": "frame", "shape": "polar", "centre": [0, 0], "inner": 1, "outer": 2, "end": 90, "sectors": 2}, {"kind": "fit-near", "within": 0.05}],
    "extrude": [FRAME, {"kind": "extrude", "depth": 0.5, "cells": 4, "law": "geometric", "first": "5 cm"}],
    "revolve": WEDGE,
    "sweep": [{"kind": "line", "name": "p", "start": [0, 0, 0], "end": [0, 0, 3]}, FRAME, {"kind": "sweep", "guide": "p", "cells": 5, "scale": 0.5}],
    "place": [FRAME, {"kind": "place", "blocks": {"all": True}, "shift": [2, 0], "copies": 2, "gap": 0.001}],
    "twin": [FRAME, {"kind": "twin", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 2, 0]}],
    "count": [FRAME, {"kind": "count", "tier": {"any": [BOTTOM, {"at": [0, 1]}]}, "cells": 7}],
    "release": [FRAME, {"kind": "count", "tier": BOTTOM, "cells": 7}, {"kind": "release", "tier": BOTTOM}],
    "name-tier": [FRAME, {"kind": "name-tier", "tier": BOTTOM, "name": "along"}],
    "space": [FRAME, {"kind": "space", "tier": BOTTOM, "law": "tanh", "first": 0.02, "last": "10 cm", "cells": 20}],
    "wall-layer": [FRAME, {"kind": "wall-layer", "walls": {"side": "y-"}, "first": "5 mm", "far": "size", "far_size": 0.1}],
    "turn": [FRAME, {"kind": "space", "tier": BOTTOM, "first": 0.02, "cells": 20}, {"kind": "turn", "tier": BOTTOM}],
    "copy": [FRAME, {"kind": "space", "tier": BOTTOM, "first": 0.02, "cells": 20}, {"kind": "copy", "edge": BOTTOM, "to": "edges", "edges": {"at": [0, 1]}}],
    "blend": [*CUTS, {"kind": "space", "tier": {"at": [0.3, 0], "start": [0, 0]}, "over": "edges", "first": 0.02, "cells": 8}, {"kind": "space", "tier": {"at": [0.3, 2], "start": [0, 2]}, "over": "edges", "first": 0.05}, {"kind": "blend", "edges": {"each": [[0.3, 0], [0.3, 2]]}}],
    "wanted-size": [FRAME, {"kind": "wanted-size", "size": 0.1, "where": "in a ball", "centre": [0, 0, 0], "within": "1 m"}],
    "budget": [FRAME, {"kind": "budget", "cells": 500}],
    "factor": [FRAME, {"kind": "space", "tier": BOTTOM, "first": 0.02, "cells": 20}, {"kind": "factor", "factor": 1.5}],
    "multiples": [FRAME, {"kind": "multiples", "of": "4"}],
    "smooth": [*ROUND, {"kind": "smooth", "sweeps": 20, "tolerance": "0.001 mm"}],
    "untangle": [*ROUND, {"kind": "untangle", "sweeps": 5}],
    "polish": [*ROUND, {"kind": "polish", "below": 0.95, "sweeps": 5}],
    "gate": [FRAME, {"kind": "gate", "smallest_angle": 40}],
    "own-limit": [FRAME, {"kind": "own-limit", "metric": "cell size", "length": 0.5, "where": "in blocks", "blocks": {"all": True}}],
    "flow": [FRAME, {"kind": "flow", "speed": 2, "length": 3}],
    "box-opening": [FRAME, {"kind": "box-opening", "name": "slot", "faces": {"side": "x-"}, "corner": [0, "50 cm"], "opposite": [0, 1]}],
    "rule-opening": [FRAME, {"kind": "rule-opening", "name": "slot", "faces": {"side": "x-"}, "centre": [0, 0.5], "radius": "20 cm"}],
    "patches-by-angle": [FRAME, {"kind": "patches-by-angle", "name": "side", "angle": 45, "cut": "yes"}],
    "rename-patch": [FRAME, {"kind": "patch", "name": "wall", "faces": {"side": "x-"}}, {"kind": "rename-patch", "patch": "wall", "name": "inflow", "type": "inlet"}],
    "openings": [FRAME, {"kind": "openings", "faces": {"side": "x-"}, "edge": {"at": [0, 1]}, "percent": [0, 40, 50, 60, 100],
                         "parts": "low, slot inlet, middle, high wall"}],
    "patch": [FRAME, {"kind": "patch", "name": "wall", "faces": {"any": [{"side": "x-"}, {"ball": [1, 0, 0], "radius": 1.5}]}}],
}  # fmt: skip


def steps_of(kind):
    """The steps of an example, each with an id."""
    return [{"id": f"s{n}", **step} for n, step in enumerate(EXAMPLES[kind])]


def _read(name):
    own = {"part.json": json.dumps(PART).encode(), "square.obj": OBJECT}
    if name == "wedge.xyz":
        return wedge()
    return own[name] if name in own else demo_file(name)


FILES = Files(_read)
