"""Ordinates of four-digit sections, in hundredths of the chord, at the stations of the published tables.

Abbott & von Doenhoff, Theory of Wing Sections (1959), appendix III; the values are from memory.
"""

import numpy as np
import pytest
from scipy.optimize import brentq

from tests.conftest import model_of

STATIONS = (2.5, 5, 10, 15, 20, 30, 40, 50, 60, 70, 80, 90)
TABLES = {
    "0012": ((2.615, 3.555, 4.683, 5.345, 5.737, 6.002, 5.803, 5.294, 4.563, 3.664, 2.623, 1.448), None),
    "2412": (
        (2.99, 4.13, 5.63, 6.61, 7.26, 7.88, 7.80, 7.24, 6.36, 5.18, 3.75, 2.08),
        (-2.27, -3.01, -3.75, -4.10, -4.23, -4.12, -3.80, -3.34, -2.76, -2.14, -1.50, -0.82),
    ),
    "4415": (
        (4.17, 5.74, 7.84, 9.27, 10.25, 11.25, 11.25, 10.53, 9.30, 7.63, 5.55, 3.08),
        (-2.48, -3.27, -3.98, -4.18, -4.15, -3.75, -3.25, -2.72, -2.14, -1.55, -1.03, -0.57),
    ),
}


@pytest.mark.parametrize("digits", TABLES)
def test_the_section_has_the_tabulated_ordinates(digits):
    step = {"kind": "wing-section", "id": "w", "name": "w", "digits": digits, "chord": 100, "count": 201}
    curve = model_of([step | {"trailing_edge": "blunt"}]).guides["w"]
    s = np.linspace(0, 1, 4001)
    xyz = curve.at(s)
    nose = int(np.argmin(xyz[:, 0]))
    upper, lower = TABLES[digits]
    sides = [(s[: nose + 1], xyz[: nose + 1]), (s[nose:], xyz[nose:])]
    sides.sort(key=lambda side: -side[1][:, 1].mean())
    for (part, places), table in zip(sides, (upper, lower), strict=True):
        for station, ordinate in zip(STATIONS, table or [-y for y in upper], strict=True):
            n = int(np.argmax(np.diff(np.sign(places[:, 0] - station)) != 0))
            at = brentq(lambda v, x=station: float(curve.at(np.array([v]))[0, 0]) - x, part[n], part[n + 1])
            assert float(curve.at(np.array([at]))[0, 1]) == pytest.approx(ordinate, abs=0.03)
