"""Messages about guides: geometry files, mending, measuring, renaming, units."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from plodek.server.api.messages import Message, Numbers


class FileOut(Message):
    """A stored geometry file and what was read from it; ``low`` and ``high`` are in its own numbers.

    ``unit`` is that of its numbers as they were read, "" where the file does not say; ``file_unit`` is
    what the file itself says. ``gap`` is between the last point and the first of a point file.
    """

    name: str
    kind: str
    unit: str
    file_unit: str
    counts: dict[str, int]
    names: list[str]
    left_out: list[str]
    title: str
    closed: bool
    gap: float
    low: Numbers
    high: Numbers


class FreeEdgeOut(Message):
    """A piece of boundary that one surface has alone, with its largest gap to others."""

    surface: str
    beside: str
    length: float
    gap: float
    crack: bool
    xyz: list[Numbers]


class MendOut(Message):
    """What is found between surfaces; ``volume`` is told for a closed shell."""

    surfaces: int
    free: list[FreeEdgeOut]
    tolerance: float
    tiny: list[tuple[str, float]]
    doubled: list[tuple[str, str]]
    volume: float | None


class TargetIn(Message):
    """What is measured: a guide, a place, or a place on a guide."""

    guide: str | None = None
    at: list[float | str] | None = Field(default=None, min_length=2, max_length=3)
    fraction: float | None = Field(default=None, ge=0, le=1)


class MeasureIn(Message):
    """A wish to measure something."""

    wish: Literal["place", "distance", "angle", "length", "area", "radius", "extent"]
    targets: list[TargetIn] = Field(max_length=500)
    upto: int | None = Field(default=None, ge=0, le=2000)


class ValueOut(Message):
    """A number with what it is; ``power`` is that of the length unit, None for degrees."""

    name: str
    value: float
    power: int | None


class MeasureOut(Message):
    """What was measured, and places that show where."""

    values: list[ValueOut]
    mark: list[Numbers]


class RenameIn(Message):
    """A guide's new name, and the revision it is based on."""

    base: int
    guide: str = Field(min_length=1, max_length=200)
    to: str = Field(min_length=1, max_length=64)


class UnitIn(Message):
    """Another length unit, its meaning for the numbers that are there, and the revision it is based on."""

    base: int
    unit: Literal["m", "cm", "mm", "in", "ft"]
    meaning: Literal["convert", "keep"]


class GuideOut(Message):
    """A guide: its kind and dimension, size, the step that made it, and places that draw it if a curve."""

    name: str
    kind: str
    dim: Literal[0, 1, 2]
    step: str
    length: float
    area: float
    closed: bool
    points: int
    low: Numbers
    high: Numbers
    xyz: list[Numbers]
    corners: Numbers


class GroupOut(Message):
    """A group of guides with the name of its colour."""

    name: str
    colour: str
    members: list[str]
