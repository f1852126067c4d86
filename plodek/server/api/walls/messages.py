"""Messages of the help with first heights."""

from __future__ import annotations

from plodek.server.api.messages import Message


class HeightOut(Message):
    """A first height in the asked unit, and what it comes from in SI units."""

    density: float
    viscosity: float
    reynolds: float
    friction: float
    shear_speed: float
    height: float
    thickness: float
    layers: int
    formula: str
    range: str
