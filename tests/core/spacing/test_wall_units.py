"""First heights against hand-worked values, and fluids against published tables."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plodek.core.errors import BadValue
from plodek.core.spacing.wall_units import Fluid, air, first_height, layers_over, water


@pytest.mark.parametrize(
    ("celsius", "density", "viscosity"),
    # CRC Handbook of Chemistry and Physics, properties of water at 0.1 MPa, from memory: kg/m3, mPa s.
    [(0, 999.84, 1.792), (20, 998.21, 1.0016), (25, 997.05, 0.890), (50, 988.03, 0.5465), (80, 971.8, 0.354)],
)
def test_water_is_as_in_the_handbook(celsius, density, viscosity):
    found = water(celsius)
    assert found.density == pytest.approx(density, rel=2e-5)
    assert found.viscosity == pytest.approx(1e-3 * viscosity, rel=2e-3)


def test_air_is_as_in_the_standard_atmosphere():
    """U.S. Standard Atmosphere, 1976, at sea level: 1.2250 kg/m3, 1.7894e-5 Pa s, 1.4607e-5 m2/s."""
    found = air(15)
    assert found.density == pytest.approx(1.2250, abs=5e-5)
    assert found.viscosity == pytest.approx(1.7894e-5, abs=5e-10)
    assert found.kinematic == pytest.approx(1.4607e-5, abs=5e-10)


def test_flat_plate_heights_by_hand():
    """U = 10 m/s, x = 1 m, ν = 1e-5 m²/s: Re = 1e6, log₁₀ Re = 6.

    Schlichting: C_f = 11.35^−2.3, ln 11.35 = 2.42922, so C_f = e^−5.58720 = 3.7455e-3;
    u_τ = 10 √1.87274e-3 = 0.432752 m/s, y(1) = 1e-5 / 0.432752 = 2.3108e-5 m.
    White: 1e6^(1/7) = e^1.973644 = 7.19686, C_f = 3.61269e-3, u_τ = 0.425011 m/s, y(1) = 2.3529e-5 m.
    δ = 0.37 · 1 / 1e6^0.2 = 0.37 / 15.8489 = 2.33454e-2 m.
    """
    fluid = Fluid(1.0, 1e-5)
    found = first_height(10, 1, fluid, 1)
    assert found.reynolds == pytest.approx(1e6)
    assert found.friction == pytest.approx(3.7455e-3, rel=1e-4)
    assert found.height == pytest.approx(2.3108e-5, rel=1e-4)
    assert found.thickness == pytest.approx(2.33454e-2, rel=1e-5)
    other = first_height(10, 1, fluid, 1, "White")
    assert other.friction == pytest.approx(3.61269e-3, rel=1e-4)
    assert other.height == pytest.approx(2.3529e-5, rel=1e-4)


@pytest.mark.parametrize(("y_plus", "word"), [(1, "resolved"), (15, "between"), (30, "wall functions"), (300, "right"), (900, "too coarse")])  # fmt: skip
def test_the_ranges_of_common_practice(y_plus, word):
    """Common practice: about 1 where the wall layer is resolved, 30 to 300 for wall functions."""
    assert word in first_height(2, 0.1, water(20), y_plus).range


@given(st.floats(1e-3, 1), st.floats(1e-6, 1e-4), st.floats(1.0, 2.0))
def test_the_layers_cover_the_thickness_and_one_less_does_not(thickness, height, growth):
    m = layers_over(thickness, height, growth)

    def total(n):
        return height * (n if growth == 1 else (growth**n - 1) / (growth - 1))

    assert total(m) >= thickness * (1 - 1e-6)
    assert m == 1 or total(m - 1) < thickness * (1 + 1e-6)


def test_what_is_outside_the_formulas_is_refused():
    with pytest.raises(BadValue, match="Reynolds"):
        first_height(1e-6, 1, water(20), 1)
    with pytest.raises(BadValue, match="above 0"):
        first_height(-1, 1, water(20), 1)
    with pytest.raises(BadValue, match="0 to 100"):
        water(130)
    assert math.isclose(water(20).kinematic, 1.0034e-6, rel_tol=1e-3)
