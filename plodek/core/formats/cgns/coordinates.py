"""The places of the nodes of a zone: Cartesian or cylindrical, in the unit that holds there, without rind."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.tree import angle_unit, data_of, labelled, title, unit_of
from plodek.core.units import factor

_ROUND = ("CoordinateR", "CoordinateTheta")
_AGAIN = "write the file again: it contradicts itself"
_REMEDY = "give CoordinateX, Y and Z, or CoordinateR, Theta and Z"


def need_coordinates(zone: Node, counts: Sequence[int], where: str) -> tuple[Node, list[str], list[int]]:
    """Give the node of a zone's coordinates, their names, and the planes of rind at each end of each index.

    ``counts`` are how many nodes there are along each index. Raises BadFile for no or other coordinates, and
    for such as are more or fewer; nothing is read yet.
    """
    places = next(labelled(zone, "GridCoordinates_t"), None)
    if places is None:
        raise BadFile("it has no coordinates", where=where, remedy=_REMEDY)
    there = [title(node) for node in labelled(places, "DataArray_t")]
    names = list(_ROUND if set(_ROUND) <= set(there) else ("CoordinateX", "CoordinateY"))
    names += ["CoordinateZ"] if "CoordinateZ" in there or len(counts) == 3 else []
    if not set(names) <= set(there):
        raise BadFile(f"its coordinates are {', '.join(there) or 'none'}", where=where, remedy=_REMEDY)
    rind = next((data_of(node).ravel().astype(int).tolist() for node in labelled(places, "Rind_t")), [])
    outside = rind or [0] * (2 * len(counts))
    if len(outside) != 2 * len(counts) or min(outside) < 0:
        raise BadFile(f"its planes of rind are {outside}", where=where, remedy=_AGAIN)
    wanted = [n + outside[2 * axis] + outside[2 * axis + 1] for axis, n in enumerate(counts)]
    for name in names:
        found = list(places[name].array(" data").shape[::-1])
        if found != wanted:
            raise BadFile(
                f"{name} has {_times(found)} values for {_times(wanted)} nodes",
                where=where, remedy=_AGAIN,
            )  # fmt: skip
    return places, names, outside


def coordinates(
    zone: Node, base: Node, counts: Sequence[int], where: str
) -> tuple[list[np.ndarray[Any, Any]], str]:
    """Give x, y and perhaps z of the nodes of a zone, each as the file has it, and their unit.

    Planes of rind (SIDS 4.8) are left out. Raises BadFile as `need_coordinates`.
    """
    places, names, outside = need_coordinates(zone, counts, where)
    inner = tuple(
        slice(outside[2 * axis], outside[2 * axis] + n) for axis, n in reversed(list(enumerate(counts)))
    )
    found = [data_of(places[name])[inner].astype(float) for name in names]
    units = [unit_of(places[name], places, zone, base) for name in names]
    if names[0] == _ROUND[0]:
        turn = found[1] * angle_unit(places[names[1]], places, zone, base)
        found[0], found[1] = found[0] * np.cos(turn), found[0] * np.sin(turn)
        units[1] = units[0]
    unit = next((one for one in units if one), "")
    return [
        values if not own or own == unit else values * factor(own, unit)
        for values, own in zip(found, units, strict=True)
    ], unit


def _times(counts: Sequence[int]) -> str:
    return " × ".join(map(str, counts))
