"""What the forms know about fields that many steps have: widgets, units, default places."""

from __future__ import annotations

from pydantic.config import JsonDict

#: Where places stand that are left out.
ORIGIN: list[float | str] = [0.0, 0.0, 0.0]
X_AXIS: list[float] = [1.0, 0.0, 0.0]
Z_AXIS: list[float] = [0.0, 0.0, 1.0]

GUIDE: JsonDict = {"widget": "guide"}
CURVE: JsonDict = {"widget": "guide", "of": "curve"}
SURFACE: JsonDict = {"widget": "guide", "of": "surface"}
GUIDES: JsonDict = {"widget": "guides"}
CURVES: JsonDict = {"widget": "guides", "of": "curve"}
PLACE: JsonDict = {"widget": "place-or-guide"}
LENGTH: JsonDict = {"widget": "length"}
DIRECTION: JsonDict = {"widget": "direction"}
DEGREES: JsonDict = {"unit": "°"}
BLOCKS: JsonDict = {"widget": "blocks"}
CORNER: JsonDict = {"widget": "corner"}
CORNERS: JsonDict = {"widget": "corners"}
EDGE: JsonDict = {"widget": "edge"}
EDGES: JsonDict = {"widget": "edges"}
#: Sides of blocks: edges in the plane, faces in space.
SIDES: JsonDict = {"widget": "sides"}
