"""Length units: names, factors to the metre, and lengths typed as text."""

from __future__ import annotations

import math
import re
from typing import Literal, get_args

from plodek.core.errors import BadValue
from plodek.core.tolerances import LARGEST

LengthUnit = Literal["m", "cm", "mm", "in", "ft"]

#: Metres in one unit; inch and foot are the international ones (exact by definition, 1959).
METRES: dict[str, float] = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}

#: A length as text: a number, and its unit perhaps.
TEXT = re.compile(r"\s*([-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)\s*([A-Za-z]*)\s*")

assert set(METRES) == set(get_args(LengthUnit))


def factor(source: str, target: str) -> float:
    """Give the number that lengths in ``source`` are multiplied by to be in ``target``."""
    return 1.0 if source == target else METRES[source] / METRES[target]


def unit_of(metres: float) -> LengthUnit | None:
    """Give the unit that is so many metres long; None where none is."""
    return next((unit for unit in get_args(LengthUnit) if abs(METRES[unit] / metres - 1.0) < 1e-9), None)


def length(value: float | str, unit: str) -> float:
    """Read a length, a number in ``unit`` or text such as ``"6 mm"``, as a number in ``unit``.

    Raises BadValue for text that is not a length, an unknown unit, or a number beyond all use.
    """
    if isinstance(value, str):
        match = TEXT.fullmatch(value)
        if match is None:
            raise BadValue(
                f"“{value[:60]}” is not a length", remedy="write a number with a unit, such as 6 mm"
            )
        number, name = float(match[1]), match[2] or unit
        if name not in METRES:
            raise BadValue(
                f"“{name[:20]}” in “{value[:60]}” is not a length unit", remedy=f"use {', '.join(METRES)}"
            )
        result = number * factor(name, unit)
    else:
        result = float(value)
    if not math.isfinite(result) or abs(result) > LARGEST:
        raise BadValue(
            f"{str(value)[:60]} is no length that can be used", remedy=f"stay below {LARGEST:g} {unit}"
        )
    return result
