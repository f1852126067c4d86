"""The four-digit family against its published ordinates."""

import numpy as np
import pytest

from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import section, thickness


def test_ordinates_of_the_book():
    """Abbott & von Doenhoff, Theory of Wing Sections (1959), app. III, 12 % symmetric (values from memory)."""
    x = np.array([0.10, 0.30, 0.50, 0.90])
    np.testing.assert_allclose(100 * thickness(x, 0.12, sharp=False), [4.683, 6.002, 5.294, 1.448], atol=5e-4)


def test_the_nose_has_the_radius_of_the_book():
    """Leading-edge radius 1.1019 t² of the chord (ibid., ch. 6)."""
    points = section("0012", 401, sharp=False)
    wing = Spline(points, closed=True, corner_angle=35)
    nose = wing.nearest(np.array([[-0.1, 0, 0]]))
    assert 1 / wing.curvature(nose)[0] == pytest.approx(1.1019 * 0.12**2, rel=0.01)


def test_camber_and_trailing_edges():
    cambered = section("2412", 201, sharp=True)
    upper, lower = cambered[:201][::-1], np.vstack([cambered[200], cambered[201:], cambered[0]])
    camber = 0.5 * (upper[:, 1] + np.interp(upper[:, 0], lower[:, 0], lower[:, 1]))
    assert camber.max() == pytest.approx(0.02, abs=2e-4)
    assert upper[np.argmax(camber), 0] == pytest.approx(0.4, abs=0.02)
    sharp, blunt = section("0012", 61, sharp=True), section("0012", 61, sharp=False)
    assert len(Spline(sharp, closed=True, corner_angle=35).corners) == 1
    assert len(Spline(blunt, closed=True, corner_angle=35).corners) == 2
    # The blunt edge is 2 × 0.00126 of the chord thick at 12 %.
    assert blunt[0, 1] - blunt[-1, 1] == pytest.approx(0.00252, rel=1e-9)
