"""Properties of water and air against handbook tables; the tables' values are from memory."""

import pytest

from plodek.core.spacing.wall_units import air, first_height, water


@pytest.mark.parametrize(
    ("celsius", "density", "viscosity"),
    [(0.01, 999.84, 1.792e-3), (4, 999.97, 1.567e-3), (20, 998.21, 1.0016e-3), (25, 997.05, 0.890e-3), (50, 988.03, 0.547e-3), (80, 971.79, 0.354e-3)],
)  # fmt: skip
def test_water_is_that_of_the_handbook(celsius, density, viscosity):
    """CRC Handbook of Chemistry and Physics, "Properties of water in the range 0–100 °C" (after IAPWS)."""
    found = water(celsius)
    assert found.density == pytest.approx(density, abs=0.02)
    assert found.viscosity == pytest.approx(viscosity, rel=2e-3)


@pytest.mark.parametrize(
    ("celsius", "density", "viscosity"),
    [(15, 1.2250, 1.7894e-5), (-50, 1.5823, 1.4612e-5), (25, 1.1839, 1.837e-5)],
)
def test_air_is_that_of_the_standard_atmosphere(celsius, density, viscosity):
    """U.S. Standard Atmosphere, 1976: sea level, and Sutherland's law at other temperatures."""
    found = air(celsius)
    assert found.density == pytest.approx(density, rel=4e-4)
    assert found.viscosity == pytest.approx(viscosity, rel=4e-3)


def test_both_plate_formulas_agree_where_both_hold():
    """Schlichting's and White's skin friction of a flat plate lie within a few per cent at Re 1e6 to 1e8."""
    for speed in (1.0, 10.0, 100.0):
        heights = [
            first_height(speed, 1.0, water(20), 1.0, which).height for which in ("Schlichting", "White")
        ]
        assert heights[0] == pytest.approx(heights[1], rel=0.04)
