"""One contract for all guide curves, and closed forms for those that have them."""

import math

import numpy as np
import pytest
from scipy.integrate import quad

from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc, arc_through
from plodek.core.shape.curves.polyline import Polyline, line
from plodek.core.shape.curves.spline import Spline


def ring(n, a=2.0, b=1.0):
    t = np.linspace(0, 2 * np.pi, n, endpoint=False)
    return np.stack([a * np.cos(t), b * np.sin(t), 0 * t], axis=1)


SQUARE = np.array([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0.0]])
CURVES = {
    "line": line(np.zeros(3), np.array([3.0, 4.0, 0.0])),
    "polyline": Polyline(SQUARE),
    "closed polyline": Polyline(SQUARE, closed=True),
    "arc": Arc((1, 1, 0.5), 2.0, 0.3, 2.9),
    "clockwise arc": Arc((1, 1, 0), 2.0, 1.0, -3.0),
    "circle": Arc((0, 0, 0), 1.5),
    "closed spline": Spline(ring(40), closed=True, corner_angle=40),
    "open spline": Spline(ring(40)[:23], closed=False, corner_angle=40),
    "spline in space": Spline(ring(30)[:20] + np.linspace(0, 1, 20)[:, None], closed=False, corner_angle=60),
    "spline with corners": Spline(
        np.array([[0, 0, 0], [1, 0.2, 0], [2, 0, 0], [2.2, 1, 0], [2, 2, 0], [0, 2, 0.0]]),
        closed=True,
        corner_angle=50,
    ),
}


@pytest.fixture(params=CURVES, ids=list(CURVES))
def curve(request):
    return CURVES[request.param]


def test_fractions_are_of_the_arc_length(curve):
    s = np.linspace(0, 1, 4001)
    steps = np.linalg.norm(np.diff(curve.at(s), axis=0), axis=1)
    # Chords of equal arcs fall short by (κh)²/24 at most; corners take one chord out of line.
    assert steps.max() <= curve.length / 4000 * (1 + 1e-9)
    assert np.median(steps) == pytest.approx(curve.length / 4000, rel=1e-5)


def test_the_nearest_place_of_a_place_on_it_is_itself(curve):
    s = np.linspace(0.003, 0.997, 173)
    again = curve.nearest(curve.at(s))
    assert np.abs(again - s).max() < 1e-9


def test_the_nearest_place_beats_all_samples(curve):
    rng = np.random.default_rng(3)
    places = rng.uniform(-3, 3, (200, 3))
    found = np.linalg.norm(curve.at(curve.nearest(places)) - places, axis=1)
    samples = curve.at(np.linspace(0, 1, 3000))
    least = np.min(np.linalg.norm(samples[None] - places[:, None], axis=2), axis=1)
    assert np.all(found <= least + 1e-9)


def test_tangents_are_unit_and_along_the_curve(curve):
    s = np.linspace(0.01, 0.99, 37)
    away_from_corners = np.min(np.abs(s[:, None] - np.append(curve.corners, 9)), axis=1) > 1e-3
    s = s[away_from_corners]
    tangent = curve.tangent(s)
    h = 1e-6
    difference = (curve.at(s + h) - curve.at(s - h)) / (2 * h * curve.length)
    assert np.allclose(np.linalg.norm(tangent, axis=1), 1)
    assert np.allclose(tangent, difference, atol=1e-5)


def test_closed_curves_wrap_and_open_ones_end(curve):
    if curve.closed:
        assert np.allclose(curve.at(np.array([1.25, -0.75])), curve.at(np.array([0.25])))
        assert np.allclose(curve.at(np.array([0.0])), curve.at(np.array([1.0])))
    else:
        assert 0.0 in curve.corners
        assert 1.0 in curve.corners


def test_closed_forms():
    assert CURVES["circle"].length == pytest.approx(2 * math.pi * 1.5, rel=1e-15)
    assert CURVES["line"].length == 5.0
    # The perimeter of an ellipse by an independent adaptive quadrature of the complete elliptic integral.
    perimeter, _ = quad(lambda t: math.hypot(2 * math.sin(t), math.cos(t)), 0, 2 * math.pi, epsabs=1e-12)
    lengths = [Spline(ring(n), closed=True, corner_angle=90).length for n in (40, 80, 160)]
    errors = np.abs(np.array(lengths) - perimeter)
    assert errors[2] < 1e-6
    assert np.all(np.log2(errors[:-1] / errors[1:]) > 3.5)  # cubic splines: fourth order


def test_sharp_corners_are_kept_and_smooth_points_are_not():
    found = CURVES["spline with corners"]
    assert len(found.corners) == 4
    assert np.allclose(found.at(found.corners)[0], [0, 0, 0], atol=1e-12)
    rounded = Spline(found.points, closed=True, corner_angle=180)
    assert len(rounded.corners) == 0


def test_an_arc_goes_through_its_three_places_either_way_round():
    for places in (((2, 0, 0), (0, 2, 0), (-2, 0, 0)), ((-2, 0, 0), (0, 2, 0), (2, 0, 0))):
        arc = arc_through(*places)
        assert arc.radius == pytest.approx(2)
        assert np.allclose(arc.at(np.array([0.0, 0.5, 1.0])), places)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Arc((0, 0, 0), 0), "radius"),
        (lambda: Arc((0, 0, 0), 1, 0, 0), "turns by 0"),
        (lambda: Arc((0, 0, 0), 1, 0, 7), "turns by 401"),
        (lambda: arc_through((0, 0, 0), (1, 1, 0), (2, 2, 0)), "one line"),
        (lambda: Spline(SQUARE[:2], closed=False, corner_angle=40), "3 points"),
        (lambda: Spline(SQUARE[[0, 1, 1, 2]], closed=False, corner_angle=40), "same place"),
        (lambda: Polyline(SQUARE[[0, 0]]), "same place"),
    ],
)
def test_degenerate_guides_are_refused_in_words(make, words):
    with pytest.raises(BadValue, match=words):
        make()
