"""Spacing and filling against published maps: Vinokur's functions, transfinite interpolation in closed form."""

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from plodek.core.build import build
from plodek.core.spacing.edge_law import EdgeLaw
from tests.conftest import model_of


def vinokur(n, first, last):
    """Vinokur 1983 (J. Comput. Phys. 50, 215): two-sided, slopes ds/dξ of n·first and n·last at the ends."""
    a, b = math.sqrt(last / first), 1 / (n * math.sqrt(first * last))
    delta = brentq(lambda d: math.sinh(d) / d - b, 1e-6, 50)
    xi = np.linspace(0, 1, n + 1)
    u = 0.5 * (1 + np.tanh(delta * (xi - 0.5)) / math.tanh(delta / 2))
    return u / (a + (1 - a) * u)


@pytest.mark.parametrize(("first", "last"), [(0.001, 0.001), (0.0005, 0.002), (0.002, 0.0002)])
def test_the_tanh_law_is_vinokurs_for_many_cells(first, last):
    """Ours sets the cells and his the slopes at the ends: they come together as cells become many."""
    gaps = []
    for n in (40, 80, 160):
        scale = 40 / n
        ours = EdgeLaw("tanh", first=first * scale, last=last * scale).nodes(n, 1.0)
        gaps.append(np.abs(ours - vinokur(n, first * scale, last * scale)).max())
        d = np.diff(ours)
        assert (d[0], d[-1]) == pytest.approx((first * scale, last * scale), rel=1e-6)
    assert gaps[0] > gaps[1] > gaps[2]
    assert gaps[2] < 0.01


def test_a_geometric_run_is_the_sum_of_its_series():
    """d₀ (rⁿ − 1)/(r − 1) = L (CRC Standard Mathematical Tables, geometric progression)."""
    nodes = EdgeLaw("geometric", first=0.01).nodes(20, 1.0)
    d = np.diff(nodes)
    r = d[1] / d[0]
    assert np.allclose(d[1:] / d[:-1], r, rtol=1e-9)
    assert 0.01 * (r**20 - 1) / (r - 1) == pytest.approx(1)


def test_transfinite_interpolation_of_straight_sides_is_the_bilinear_map():
    """Gordon & Hall 1973 (Int. J. Numer. Meth. Eng. 7, 461): the interpolant of linear boundaries is bilinear."""
    steps = [
        {"kind": "block", "id": "b", "corners": [[0, 0], [4, 0.5], [-0.5, 2], [5, 3]]},
        {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 12},
    ]
    (nodes,) = build.build(model_of(steps)).grid.xyz
    u, v = (np.linspace(0, 1, 13)[s] for s in (np.s_[:, None, None], np.s_[None, :, None]))
    p00, p10, p01, p11 = nodes[0, 0, 0], nodes[-1, 0, 0], nodes[0, -1, 0], nodes[-1, -1, 0]
    exact = (1 - u) * (1 - v) * p00 + u * (1 - v) * p10 + (1 - u) * v * p01 + u * v * p11
    assert np.abs(nodes[:, :, 0] - exact).max() < 1e-14


def test_transfinite_interpolation_of_a_ring_is_polar():
    """Between concentric arcs the interpolant is r linear and θ linear: the polar map itself."""
    ring = {"kind": "frame", "id": "f", "shape": "polar", "inner": 1, "outer": 3, "end": 90, "sectors": 1}
    steps = [ring, {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 10}]
    (nodes,) = build.build(model_of(steps)).grid.xyz
    r = np.hypot(nodes[..., 0, 0], nodes[..., 0, 1])
    angle = np.arctan2(nodes[..., 0, 1], nodes[..., 0, 0])
    radial, around = (r, angle) if np.ptp(r[:, 0]) > 1 else (r.T, angle.T)
    assert np.allclose(radial, np.linspace(radial[0, 0], radial[-1, 0], 11)[:, None], atol=1e-12)
    assert np.allclose(around, np.linspace(around[0, 0], around[0, -1], 11)[None, :], atol=1e-12)
