"""The standard's words for our patch types and length units."""

from __future__ import annotations

from collections.abc import Mapping

from plodek.core.grid.window import PatchType

#: The FamilyBC types of the SIDS (9.7) for our patch types; those without one of their own keep their
#: word in a descriptor beside it.
BC_TYPES: Mapping[PatchType, str] = {
    "wall": "BCWall",
    "inlet": "BCInflow",
    "outlet": "BCOutflow",
    "symmetry": "BCSymmetryPlane",
    "periodic": "BCGeneral",
    "far field": "BCFarfield",
    "general": "BCGeneral",
}
UNITS: Mapping[str, str] = {
    "m": "Meter", "cm": "Centimeter", "mm": "Millimeter", "in": "Inch", "ft": "Foot"
}  # fmt: skip
