"""Volumes and spacing laws against quadrature, equations and root finders outside the project."""

import itertools
import math

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.interpolate import splev, splprep
from scipy.optimize import bisect

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.shape.files import point_file
from plodek.core.spacing.edge_law import EdgeLaw
from tests.conftest import demo_file, model_of


def pier_area():
    """The area inside the pier by Green's theorem on a periodic spline of FITPACK (scipy's splprep).

    The knots are the cumulated chords, as cubic interpolation by chord length has it.
    """
    points = point_file.read(demo_file("pier-outline.csv"))[0].points[:, :2]
    ring = np.vstack([points, points[:1]])
    u = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    found, _ = splprep(ring.T, u=u, s=0, k=3, per=True)

    def integrand(t):
        (x, y), (dx, dy) = splev(t, found), splev(t, found, der=1)
        return 0.5 * (x * dy - y * dx)

    return sum(quad(integrand, a, b, epsabs=1e-13)[0] for a, b in itertools.pairwise(u)), found, u


def slivers(nodes, spline, u):
    """The area between the chords of nodes on the pier and the spline itself, piece by piece."""
    from scipy.optimize import minimize_scalar

    total = 0.0
    fine = np.linspace(u[0], u[-1], 20001)
    xs, ys = splev(fine, spline)
    params = []
    for x, y in nodes:
        n = int(np.argmin((xs - x) ** 2 + (ys - y) ** 2))
        low, high = fine[max(n - 1, 0)], fine[min(n + 1, len(fine) - 1)]
        params.append(
            minimize_scalar(
                lambda t, x=x, y=y: float(np.sum((np.array(splev(t, spline)) - (x, y)) ** 2)),
                bounds=(low, high), method="bounded", options={"xatol": 1e-13},
            ).x
        )  # fmt: skip
    order = np.argsort(params)
    params, nodes = np.array(params)[order], nodes[order]
    period = u[-1] - u[0]
    for n in range(len(nodes)):
        a, b = params[n], params[(n + 1) % len(nodes)]
        b = b if b > a else b + period
        p, q = nodes[n], nodes[(n + 1) % len(nodes)]

        def integrand(t):
            t = u[0] + (t - u[0]) % period
            (x, y), (dx, dy) = splev(t, spline), splev(t, spline, der=1)
            return 0.5 * (x * dy - y * dx)

        knots = [v for v in np.concatenate([u, u + period]) if a < v < b]
        arc = sum(
            quad(integrand, c, d, epsabs=1e-14)[0] for c, d in zip([a, *knots], [*knots, b], strict=True)
        )
        total += arc - 0.5 * (p[0] * q[1] - p[1] * q[0])
    return total


def pier_nodes(model, grid):
    (pier,) = [p for p in grid.patches if p.name == "pier"]
    lines = [np.take(grid.xyz[s.block], -s.end, axis=s.axis)[:, 0, :2] for s in pier.windows]
    return np.unique(np.concatenate(lines), axis=0)


def test_the_demos_volume_is_the_channels_less_the_piers(demo_model, demo_built):
    """To 1e-6 once the slivers between the straight cell sides and the spline are counted in."""
    area, spline, u = pier_area()
    volume = float(measure(demo_built.grid).volume.sum())
    missing = slivers(pier_nodes(demo_model, demo_built.grid), spline, u)
    assert volume == pytest.approx(1.8 * (9 * 5 - area + missing), rel=1e-6)
    assert 0 < 1.8 * missing / volume < 2e-4


def test_the_demos_volume_goes_to_the_channels_less_the_piers_at_second_order(demo_steps):
    area, _, _ = pier_area()
    errors = []
    plain = [s for s in demo_steps if s["kind"] not in ("smooth", "gate", "space", "wall-layer")]
    for factor in (1, 2, 4):
        steps = [*plain, {"kind": "factor", "id": "factor", "factor": factor}]
        grid = build.build(model_of(steps)).grid
        errors.append(float(measure(grid).volume.sum()) - 1.8 * (45 - area))
    assert np.log2(errors[0] / errors[1]) == pytest.approx(2, abs=0.05)
    assert np.log2(errors[1] / errors[2]) == pytest.approx(2, abs=0.05)
    extrapolated = errors[2] - (errors[1] - errors[2]) / 3
    assert abs(extrapolated) < 1e-6 * 1.8 * (45 - area)


@pytest.mark.parametrize(("n", "first"), [(10, 0.01), (16, 0.0062), (40, 0.03), (12, 0.2)])
def test_the_geometric_law_solves_its_sum(n, first):
    """Σ d₀ rᵏ = 1, the ratio found by plain bisection of the sum itself."""
    d = np.diff(EdgeLaw("geometric", first=first).nodes(n, 1.0))
    ratio = d[1] / d[0]
    assert sum(first * ratio**k for k in range(n)) == pytest.approx(1, rel=1e-12)
    other = bisect(lambda r: sum(first * r**k for k in range(n)) - 1, 0.2, 5, xtol=1e-14)
    assert ratio == pytest.approx(other, rel=1e-11)
    assert np.allclose(d[1:] / d[:-1], ratio, rtol=1e-9)


@pytest.mark.parametrize(
    ("n", "first", "last"), [(20, 0.002, 0.01), (30, 0.01, 0.001), (12, 0.05, 0.15), (25, 0.004, 0.004)]
)
def test_the_tanh_law_is_vinokurs_with_exact_end_cells(n, first, last):
    """Vinokur 1983: s = u/(A + (1−A)u), u = ½[1 + tanh(δ(ξ−½))/tanh(δ/2)] (tan where B < 1).

    The nodes must lie on one curve of that family: A and δ are found from two nodes by an
    independent root finder, and every other node is then predicted.
    """
    s = EdgeLaw("tanh", first, last).nodes(n, 1.0)
    assert s[1] == pytest.approx(first, rel=1e-7)
    assert 1 - s[-2] == pytest.approx(last, rel=1e-7)
    xi = np.arange(n + 1) / n
    middle = n // 2 if n % 2 == 0 else None
    ratio = s[middle] / (1 - s[middle]) if middle else None
    a = 1 / ratio if ratio else None  # at ξ = ½, u = ½ and s = 1/(A + 1)
    if a is None:
        # Odd n has no node at ½: A follows from a pair of nodes mirrored about it, u(ξ) + u(1−ξ) = 1.
        def pair(a):
            u = [a * v / (1 - (1 - a) * v) for v in (s[1], s[-2])]
            return u[0] + u[1] - 1

        a = bisect(pair, 1e-6, 1e6, xtol=1e-15)
    u = a * s / (1 - (1 - a) * s)
    steep = u[1] < xi[1]
    shape = (
        (lambda d, x: math.tanh(d * (x - 0.5)) / math.tanh(d / 2))
        if steep
        else (lambda d, x: math.tan(d * (x - 0.5)) / math.tan(d / 2))
    )
    delta = bisect(
        lambda d: 0.5 * (1 + shape(d, xi[1])) - u[1], 1e-6, 100 if steep else math.pi - 1e-6, xtol=1e-14
    )
    predicted = [0.5 * (1 + shape(delta, x)) for x in xi]
    assert np.allclose(u, predicted, atol=1e-8)
