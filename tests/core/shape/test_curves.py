"""Guide curves of all kinds: lengths, closest places, and what is refused."""

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.special import ellipe

from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.crossing import curve_crossings, refuse_self_crossing
from plodek.core.shape.curves.arc import Arc, arc_of_radius, arc_tangent, arc_through
from plodek.core.shape.curves.compound import Joined, MovedCurve, Part
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.nurbs import Net, NurbsCurve
from plodek.core.shape.curves.offset import offset
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import section
from plodek.core.shape.frame import X, Z, frame_of
from plodek.core.shape.move import mirrored, scaled, shifted, turned

SQUARE = Polyline(np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]]), closed=True)
TILTED = frame_of(np.array([1.0, 2.0, 3.0]))
WAVE = Spline(
    np.array([[0, 0, 0], [1, 1, 0.5], [2, 0, 1], [3, 2, 0], [4, 0, 0.0]]), closed=False, corner_angle=180
)


def quarter():
    """A quarter circle of radius 1 as a rational quadratic (Piegl & Tiller, The NURBS Book, 1997, ch. 7)."""
    poles = np.array([[1.0, 0, 0], [1, 1, 0], [0, 1, 0]])
    return NurbsCurve(Net(2, np.array([0.0, 0, 0, 1, 1, 1])), poles, np.array([1, math.sqrt(0.5), 1]))


CURVES = {
    "arc": Arc((1, 2, 3), 2.0, 0.3, 4.0, TILTED),
    "circle": Arc((0, 0, 0), 1.5),
    "ellipse": Ellipse(np.array([0.0, 1, 0]), (3.0, 1.0), TILTED),
    "polyline": SQUARE,
    "spline": WAVE,
    "nurbs": quarter(),
    "section": Spline(section("2412", 41, sharp=True), closed=True, corner_angle=35),
    "part": Part(WAVE, 0.8, 0.25),
    "part over the start": Part(SQUARE, 0.9, 1.3),
    "joined": Joined(
        [Polyline(np.array([[0, 0, 0], [1, 0, 0.0]])), Arc((1, 1, 0), 1, -math.pi / 2, 0)], 1e-9
    ),
    "offset": offset(WAVE_FLAT := Spline(WAVE.points * [1, 1, 0], closed=False, corner_angle=180), -0.02, Z),
    "moved": MovedCurve(WAVE, turned(X, Z, 1.0).then(scaled(X, 2.5)).then(mirrored(X, X + Z))),
}


@pytest.mark.parametrize("name", CURVES)
def test_fractions_are_of_the_arc_length_and_derivatives_fit(name):
    curve = CURVES[name]
    s = np.linspace(0, 1, 4001)
    xyz = curve.at(s)
    steps = np.linalg.norm(np.diff(xyz, axis=0), axis=1)
    assert np.sum(steps) == pytest.approx(curve.length, rel=2e-6)
    smooth = np.abs(s[:-1, None] + 1.25e-4 - np.append(curve.corners, -9)).min(axis=1) > 3e-4
    assert np.all(np.abs(steps[smooth] * 4000 / curve.length - 1) < 1e-4)
    at = np.linspace(0.0101, 0.9899, 40)
    at = at[np.abs(at[:, None] - np.append(curve.corners, -9)).min(axis=1) > 1e-3]
    place, first, second = curve.derivatives(at)
    ahead, behind = curve.at(at + 1e-4), curve.at(at - 1e-4)
    size = curve.length
    np.testing.assert_allclose(place, curve.at(at), atol=1e-12 * size)
    np.testing.assert_allclose(first, (ahead - behind) / 2e-4, atol=3e-5 * size)
    bent = np.max(np.linalg.norm(second, axis=1), initial=size)
    np.testing.assert_allclose(second, (ahead - 2 * place + behind) / 1e-8, atol=2e-3 * bent)


@pytest.mark.slow
@pytest.mark.parametrize("name", CURVES)
@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 2**31))
@example(seed=2686)  # two valleys as deep but for a hundred-thousandth: the nearest sample is in the other
@example(seed=191809)
@example(seed=493)
def test_no_sample_is_nearer_than_the_nearest_place(name, seed):
    curve = CURVES[name]
    places = np.random.default_rng(seed).uniform(-4, 5, (20, 3))
    gap = np.linalg.norm(curve.at(curve.nearest(places)) - places, axis=1)
    samples = curve.at(np.linspace(0, 1, 1501))
    best = np.linalg.norm(samples[None] - places[:, None], axis=2).min(axis=1)
    assert np.all(gap <= best + 1e-12)
    np.testing.assert_allclose(curve.nearest(curve.at(np.array([0.37]))), 0.37, atol=1e-7)


@pytest.mark.parametrize("name", [n for n, c in CURVES.items() if n != "polyline"])
def test_places_on_a_curve_come_back_as_the_fractions_that_they_have(name):
    """Between corners, at knots and at the ends, of the arc length to round-off."""
    curve = CURVES[name]
    joints = np.unique(np.concatenate([curve.joints, np.linspace(0, 1, 301)]))
    found = curve.nearest(curve.at(joints))
    apart = np.abs(found - joints)
    if curve.closed:
        apart = np.minimum(apart, 1 - apart)
    assert apart.max() < 2e-8  # a place says no more of where it is than the root of round-off
    assert np.linalg.norm(curve.at(found) - curve.at(joints), axis=1).max() < 1e-12 * curve.length


def test_a_corner_that_juts_out_and_one_that_is_hollow_are_the_nearest_places_that_they_are():
    """A spline with corners: beside a hollow one the place is on one side or the other, never at it."""
    points = np.array([[0, 0, 0], [1, 0.02, 0], [2, 0, 0], [2, 1, 0], [2.02, 2, 0], [2, 3, 0.0]])
    hook = Spline(points, closed=False, corner_angle=40)
    corner = np.array([2.0, 0, 0])
    outside = corner + np.array([[0.3, -0.2, 0], [0.05, -0.4, 0], [0.2, -0.2, 0]])
    assert np.abs(hook.at(hook.nearest(outside)) - corner).max() == 0
    inside = corner + np.array([[-0.3, 0.2, 0], [-0.2, 0.3, 0], [-0.201, 0.2, 0], [-0.199, 0.2, 0]])
    there = hook.at(hook.nearest(inside))
    fine = hook.at(np.linspace(0, 1, 200_001))
    brute = np.array([np.linalg.norm(fine - one, axis=1).min() for one in inside])
    assert np.linalg.norm(there - inside, axis=1) == pytest.approx(brute, rel=1e-6)
    assert np.linalg.norm(there - corner, axis=1).min() > 0.1


def test_lengths_in_closed_form():
    whole = Ellipse(np.zeros(3), (3.0, 1.0), TILTED)
    # The perimeter by the complete elliptic integral (DLMF 19.9.9), of scipy.
    assert whole.length == pytest.approx(12 * ellipe(1 - 1 / 9), rel=1e-12)
    assert quarter().length == pytest.approx(math.pi / 2, rel=1e-13)
    # Through three corners of a cube's face: half the circle round the face.
    assert arc_through((0, 0, 1), (1, 0, 1), (1, 0, 2)).length == pytest.approx(
        math.pi * math.sqrt(0.5), rel=1e-14
    )


def test_arcs_by_their_other_data():
    bow = arc_of_radius(np.zeros(3), 2 * X, math.sqrt(2), left=True)
    np.testing.assert_allclose(bow.at(np.array([0.5]))[0], [1, math.sqrt(2) - 1, 0], atol=1e-15)
    other = arc_of_radius(np.zeros(3), 2 * X, math.sqrt(2), left=False)
    np.testing.assert_allclose(other.at(np.array([0.5]))[0], [1, 1 - math.sqrt(2), 0], atol=1e-15)
    bend = arc_tangent(X, X, 2.0, -math.pi / 2)
    np.testing.assert_allclose(bend.end(), [3, -2, 0], atol=1e-15)
    np.testing.assert_allclose(bend.tangent(np.array([0.0, 1.0])), [[1, 0, 0], [0, -1, 0]], atol=1e-15)
    three = [(0, 0, 0), (1, 2, 0.5), (3, 1, 1)]
    np.testing.assert_allclose(
        np.linalg.norm(np.array(three) - arc_through(*three).centre, axis=1), arc_through(*three).radius
    )


def test_curvature_of_a_circle_and_a_line():
    np.testing.assert_allclose(CURVES["arc"].curvature(np.array([0.1, 0.7])), 0.5, rtol=1e-12)
    assert SQUARE.curvature(np.array([0.1])) == 0


def test_offsets_are_at_their_distance():
    assert offset(Arc((0, 0, 0), 2.0), 0.5, Z).length == pytest.approx(math.tau * 1.5, rel=1e-13)
    rounded = offset(SQUARE, -0.1, Z)
    assert rounded.length == pytest.approx(4 + math.tau * 0.1, rel=1e-12)
    assert rounded.closed
    wing = CURVES["section"]
    beside = offset(wing, -0.05, Z).at(np.linspace(0, 0.999, 200))
    gap = np.linalg.norm(wing.at(wing.nearest(beside)) - beside, axis=1)
    np.testing.assert_allclose(gap, 0.05, rtol=1e-9)


def test_parts_and_joins_run_as_asked():
    back = Part(WAVE, 1.0, 0.0)
    np.testing.assert_allclose(back.at(np.array([0.0, 1.0])), WAVE.at(np.array([1.0, 0.0])))
    # The last curve is turned round; the chain closes.
    sides = [
        Polyline(np.array(p, float))
        for p in ([[0, 0, 0], [1, 0, 0]], [[1, 0, 0], [1, 1, 0]], [[0, 0, 0], [1, 1, 0]])
    ]
    ring = Joined(sides, 1e-9)
    assert ring.closed
    assert ring.length == pytest.approx(2 + math.sqrt(2))
    assert len(ring.corners) == 3


def test_crossings_of_curves():
    s, t = curve_crossings(Arc((0, 0, 0), 1.0), Polyline(np.array([[-2, 0.5, 0], [2, 0.5, 0.0]])), 1e-9)
    np.testing.assert_allclose(s, [1 / 12, 5 / 12], atol=1e-14)  # sin 30° = sin 150° = 1/2
    np.testing.assert_allclose(t, (np.array([1, -1]) * math.sqrt(0.75) + 2) / 4, atol=1e-14)
    with pytest.raises(NothingFound, match="stay 1 apart"):
        curve_crossings(Arc((0, 0, 0), 1.0), Polyline(np.array([[-2, 2, 0], [2, 2, 0.0]])), 1e-9)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: arc_of_radius(np.zeros(3), 2 * X, 0.9, left=True), "less than half"),
        (lambda: arc_tangent(X, Z, 1.0, 1.0), "normal runs along"),
        (lambda: Ellipse(np.zeros(3), (1.0, 0.0), TILTED), "semi-axis is 0"),
        (lambda: offset(SQUARE, 0.1, Z), "inner corner"),
        (lambda: offset(Arc((0, 0, 0), 1.0), 1.2, Z), "radius of curvature"),
        (lambda: offset(WAVE, 0.1, Z), "leaves the plane"),
        (lambda: Joined([SQUARE], 1e-9), "closed"),
        (lambda: Joined([Part(WAVE, 0, 0.4), Part(WAVE, 0.6, 1)], 1e-9), "1.78 apart"),
        (lambda: Part(WAVE, 0.5, 0.5), "no length"),
        (lambda: section("24120", 41, sharp=True), "four-digit"),
        (lambda: section("2400", 41, sharp=True), "no thickness"),
        (lambda: section("2012", 41, sharp=True), "no place for its"),
        (lambda: scaled(X, -1.0), "factor is -1"),
        (lambda: mirrored(X, np.zeros(3)), "no length"),
        (
            lambda: refuse_self_crossing(Polyline(SQUARE.points[[0, 2, 1, 3]], closed=True), "bow"),
            "crosses itself near",
        ),
    ],
)
def test_what_cannot_be_is_refused_in_words(make, words):
    with pytest.raises(BadValue, match=words) as caught:
        make()
    assert "." in str(caught.value)


def test_moves_undo_and_follow_each_other():
    both = shifted(X).then(turned(np.zeros(3), Z, 0.7)).then(scaled(X, 3))
    places = np.random.default_rng(2).normal(size=(9, 3))
    np.testing.assert_allclose(both.back(both.places(places)), places, atol=1e-14)
    step = scaled(X, 3).places(turned(np.zeros(3), Z, 0.7).places(shifted(X).places(places)))
    np.testing.assert_allclose(both.places(places), step, atol=1e-14)
