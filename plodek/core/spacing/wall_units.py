"""First heights at walls: from a wanted y⁺, speed, length and fluid, in SI units.

y = y⁺ ν / u_τ with u_τ = U √(C_f / 2), for a flat plate of the given length.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from plodek.core.errors import BadValue

Friction = Literal["Schlichting", "White"]
FluidName = Literal["water", "air", "typed"]

_KELVIN = 273.15
#: Standard pressure in Pa, and the specific gas constant of dry air in J/(kg K).
_PRESSURE, _AIR = 101_325.0, 287.05287


@dataclass(frozen=True)
class Fluid:
    """Density in kg/m³ and dynamic viscosity in Pa s."""

    density: float
    viscosity: float

    @property
    def kinematic(self) -> float:
        """Kinematic viscosity ν in m²/s."""
        return self.viscosity / self.density


def water(celsius: float) -> Fluid:
    """Give liquid water at normal pressure, 0 to 100 °C. Raises BadValue outside.

    Density by Kell 1975 (J. Chem. Eng. Data 20, 97), viscosity by the IAPWS formula for 0.1 MPa
    (supplementary release SR6-08); the coefficients are from memory and checked against tables.
    """
    if not 0 <= celsius <= 100:
        raise BadValue(f"water at {celsius:g} °C", remedy="give 0 to 100 °C, or type density and viscosity")
    t = celsius
    top = (
        999.83952 + 16.945176 * t - 7.9870401e-3 * t**2 - 46.170461e-6 * t**3
        + 105.56302e-9 * t**4 - 280.54253e-12 * t**5
    )  # fmt: skip
    part = (celsius + _KELVIN) / 300.0
    terms = ((280.68, -1.9), (511.45, -7.7), (61.131, -19.6), (0.45903, -40.0))
    return Fluid(top / (1 + 16.879850e-3 * t), 1e-6 * sum(a * part**b for a, b in terms))


def air(celsius: float) -> Fluid:
    """Give dry air at 101 325 Pa, −100 to 500 °C: ideal gas, Sutherland's law. Raises BadValue outside.

    Constants of the U.S. Standard Atmosphere, 1976.
    """
    if not -100 <= celsius <= 500:
        raise BadValue(f"air at {celsius:g} °C", remedy="give −100 to 500 °C, or type density and viscosity")
    kelvin = celsius + _KELVIN
    return Fluid(_PRESSURE / (_AIR * kelvin), 1.458e-6 * kelvin**1.5 / (kelvin + 110.4))


def fluid_of(name: FluidName, celsius: float, density: float | None, viscosity: float | None) -> Fluid:
    """Give water or air at a temperature, or what is typed. Raises BadValue where that is missing."""
    if name == "water":
        return water(celsius)
    if name == "air":
        return air(celsius)
    if density is None or viscosity is None:
        raise BadValue("density or viscosity is missing", remedy="type both, or choose water or air")
    return Fluid(density, viscosity)


@dataclass(frozen=True)
class Flow:
    """What flows along the walls: at a ``speed`` in m/s, over a ``length`` in m."""

    speed: float
    length: float
    fluid: Fluid
    friction: Friction = "Schlichting"

    @property
    def wall(self) -> Height:
        """The height of y⁺ 1 at the end of the length, and what it comes from. Raises BadValue."""
        return first_height(self.speed, self.length, self.fluid, 1.0, self.friction)


@dataclass(frozen=True)
class Height:
    """A first height, with what it comes from; metres, m/s and m²/s."""

    fluid: Fluid
    reynolds: float
    friction: float
    shear_speed: float
    height: float
    thickness: float
    formula: str
    #: In which range of y⁺ the wish falls, and what that asks for; common practice.
    range: str


def first_height(
    speed: float, length: float, fluid: Fluid, y_plus: float, friction: Friction = "Schlichting"
) -> Height:
    """Give the first height for a wanted y⁺, and the boundary layer's thickness at the end of the length.

    C_f = (2 log₁₀ Re − 0.65)^−2.3 (Schlichting, Boundary-Layer Theory, valid for Re < 1e9) or
    0.026 Re^(−1/7) (White, Viscous Fluid Flow); δ = 0.37 x Re^(−1/5) (Schlichting, the 1/7 power law);
    all from memory. Raises BadValue for values that are not above 0, or a Reynolds number outside.
    """
    for name, value in {
        "speed": speed, "length": length, "density": fluid.density, "viscosity": fluid.viscosity, "y⁺": y_plus
    }.items():  # fmt: skip
        if not value > 0:
            raise BadValue(f"the {name} is {value:g}", remedy=f"give a {name} above 0")
    reynolds = speed * length / fluid.kinematic
    if not 1e3 <= reynolds <= 1e9:
        raise BadValue(
            f"the Reynolds number is {reynolds:.3g}",
            remedy="the plate formulas hold from about 1e3 to 1e9: look at speed, length and fluid",
        )
    if friction == "Schlichting":
        value = (2 * math.log10(reynolds) - 0.65) ** -2.3
        formula = "Schlichting: C_f = (2 log₁₀ Re − 0.65)^−2.3"
    else:
        value = 0.026 * reynolds ** (-1 / 7)
        formula = "White: C_f = 0.026 Re^(−1/7)"
    shear = speed * math.sqrt(value / 2)
    return Height(
        fluid,
        reynolds,
        value,
        shear,
        y_plus * fluid.kinematic / shear,
        0.37 * length * reynolds**-0.2,
        formula,
        _range(y_plus),
    )


def layers_over(thickness: float, height: float, growth: float) -> int:
    """Give the fewest layers from ``height`` that cover a thickness: Σ h g^k ≥ δ."""
    if abs(growth - 1) < 1e-12:
        return math.ceil(thickness / height - 1e-9)
    return max(1, math.ceil(math.log1p(thickness * (growth - 1) / height) / math.log(growth) - 1e-9))


def _range(y_plus: float) -> str:
    """Say what a y⁺ asks for; common practice."""
    if y_plus <= 1:
        return "the wall layer is resolved: growth 1.1 to 1.2"
    if y_plus <= 5:
        return "in the viscous sublayer: coarse for a resolved wall layer, which wants about 1"
    if y_plus < 30:
        return "between sublayer and log layer: neither resolved nor right for wall functions"
    if y_plus <= 300:
        return "in the log layer: right for wall functions, growth at most 1.2"
    return "beyond the log layer of most flows: too coarse for wall functions, which want 30 to 300"
