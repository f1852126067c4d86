"""The standard's words for our patch types, length units and kinds of cells."""

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
    "axis": "BCSymmetryPolar",
    "wedge sides": "BCAxisymmetricWedge",
    "2-D sides": "BCSymmetryPlane",
    "interface": "BCGeneral",
    "general": "BCGeneral",
}
#: The types of the SIDS (9.3 and 9.7) that say the same as ours, or the same in more detail.
PATCH_TYPES: Mapping[str, PatchType] = {
    "BCWall": "wall",
    "BCWallInviscid": "wall",
    "BCWallViscous": "wall",
    "BCWallViscousHeatFlux": "wall",
    "BCWallViscousIsothermal": "wall",
    "BCInflow": "inlet",
    "BCInflowSubsonic": "inlet",
    "BCInflowSupersonic": "inlet",
    "BCTunnelInflow": "inlet",
    "BCOutflow": "outlet",
    "BCOutflowSubsonic": "outlet",
    "BCOutflowSupersonic": "outlet",
    "BCTunnelOutflow": "outlet",
    "BCSymmetryPlane": "symmetry",
    "BCFarfield": "far field",
    "BCSymmetryPolar": "axis",
    "BCAxisymmetricWedge": "wedge sides",
    "BCGeneral": "general",
}
#: What stands for our types that the SIDS have none for: neither twins, which their own connectivity tells,
#: nor conditions of no certain kind.
STAND_INS: Mapping[PatchType, str] = {
    kind: f"{word}, with our word in a descriptor beside it"
    for kind, word in BC_TYPES.items()
    if PATCH_TYPES[word] != kind and kind not in ("periodic", "general")
}
#: Types of places where sides have shrunk, which the nodes tell as well.
DEGENERATE = ("BCDegenerateLine", "BCDegeneratePoint")
UNITS: Mapping[str, str] = {
    "m": "Meter", "cm": "Centimeter", "mm": "Millimeter", "in": "Inch", "ft": "Foot"
}  # fmt: skip
#: What a zone may hold (SIDS 6.3) that is read, and what says nothing of the grid; all else is told.
READ = (
    "ZoneType_t", "GridCoordinates_t", "Elements_t", "ZoneBC_t", "ZoneGridConnectivity_t", "FamilyName_t",
    "DimensionalUnits_t", "DataClass_t",
)  # fmt: skip
SILENT = ("Descriptor_t", "Ordinal_t", "ReferenceState_t", "FlowEquationSet_t", "ConvergenceHistory_t")
#: The kinds of elements of the SIDS (7.3) by their numbers, with how many nodes each has.
ELEMENTS: Mapping[int, tuple[str, int]] = {
    2: ("NODE", 1), 3: ("BAR_2", 2), 4: ("BAR_3", 3), 5: ("TRI_3", 3), 6: ("TRI_6", 6), 7: ("QUAD_4", 4),
    8: ("QUAD_8", 8), 9: ("QUAD_9", 9), 10: ("TETRA_4", 4), 11: ("TETRA_10", 10), 12: ("PYRA_5", 5),
    13: ("PYRA_14", 14), 14: ("PENTA_6", 6), 15: ("PENTA_15", 15), 16: ("PENTA_18", 18), 17: ("HEXA_8", 8),
    18: ("HEXA_20", 20), 19: ("HEXA_27", 27), 20: ("MIXED", 0), 21: ("PYRA_13", 13), 22: ("NGON_n", 0),
    23: ("NFACE_n", 0),
}  # fmt: skip
