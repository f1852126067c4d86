"""Received nodes as a shape: lines through them, from either end and in parts."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.shape.curves.lattice_line import LatticeLine
from plodek.core.shape.lattice import Lattice


@settings(deadline=None)
@given(st.integers(2, 9), st.integers(0, 3), st.floats(0.05, 0.95), st.randoms(use_true_random=False))
def test_a_line_through_a_lattice_goes_through_its_nodes_either_way(count, axis, cut, chance):
    """Nodes are its places to the bit, counted from either end, and of both parts of a division."""
    axis %= 3
    shape = [3, 4, 2]
    shape[axis] = count
    base = np.stack(
        np.meshgrid(*(np.cumsum([1.0 + chance.random() for _ in range(n)]) for n in shape), indexing="ij"), -1
    )
    lattice = Lattice(base)
    start, end = np.zeros(3), np.zeros(3)
    end[axis] = count - 1
    there, back = LatticeLine(lattice, start, end), LatticeLine(lattice, end, start)
    shares = np.linspace(0, 1, count)
    own = np.moveaxis(base, axis, 0).reshape(count, -1, 3)[:, 0]
    assert np.array_equal(there.at(there.fractions(shares)), own)
    assert np.array_equal(back.at(back.fractions(shares)), own[::-1])
    assert np.array_equal(there.at(1.0 - back.fractions(shares)[::-1]), own)
    middle = cut * end
    first, second = LatticeLine(lattice, start, middle), LatticeLine(lattice, middle, end)
    assert first.length + second.length == pytest.approx(there.length, rel=1e-9)
    assert np.abs(first.end() - second.start()).max() == 0


def bent_at(corner, angle, count=9, width=4):
    """Rows of nodes that run straight to one, and from there on under an angle."""
    s = np.arange(float(count)) - corner
    way = np.array([np.cos(angle), np.sin(angle), 0.0])
    line = np.where(s[:, None] < 0, s[:, None] * [1.0, 0, 0], s[:, None] * way)
    up = np.arange(float(width))
    return line[:, None, None] + up[None, :, None, None] * [0.0, 0, 1] + np.zeros((1, 1, 2, 1)) + LAYER


LAYER = np.array([[[[0.0, 0, 0], [0.2, -1.0, 0]]]])


@pytest.mark.parametrize("corner", [1, 4, 7])
@pytest.mark.parametrize("angle", [0.6, -1.2])
def test_a_crease_within_a_lattice_stays_one(corner, angle):
    nodes = bent_at(corner, angle)
    lattice = Lattice(nodes)
    assert [axis.tolist() for axis in lattice.creases] == [[0, corner, 8], [0, 3], [0, 1]]
    index = np.stack([np.linspace(0, 8, 81), np.full(81, 1.5), np.full(81, 0.25)], axis=1)
    step = index[:, 0] - corner
    way = np.where(step[:, None] < 0, [1.0, 0, 0], [np.cos(angle), np.sin(angle), 0.0])
    wanted = step[:, None] * way + [0, 0, 1.5] + 0.25 * np.array([0.2, -1.0, 0])
    assert np.abs(lattice.at(index) - wanted).max() < 1e-12
    line = LatticeLine(lattice, np.zeros(3), np.array([8.0, 0, 0]))
    assert line.length == pytest.approx(8, abs=1e-12)
    assert line.corners == pytest.approx([0, corner / 8, 1])
    back = LatticeLine(lattice, np.array([8.0, 0, 0]), np.zeros(3))
    assert back.corners == pytest.approx([0, 1 - corner / 8, 1])
    part = LatticeLine(lattice, np.array([corner + 0.5, 0, 0]), np.array([8.0, 0, 0]))
    assert part.corners == pytest.approx([0, 1])


@pytest.mark.parametrize("cells", [3, 4, 6, 12, 48])
def test_coarse_arcs_have_no_crease(cells):
    angle = np.linspace(0, 1.5 * np.pi, cells + 1)
    arc = np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=-1)
    nodes = arc[:, None, None] * np.linspace(1, 2, 3)[None, :, None, None]
    assert Lattice(nodes).creases[0].tolist() == [0, cells]


@pytest.mark.parametrize("cells", [2, 3, 6])
@pytest.mark.parametrize("turned_round", [False, True])
def test_where_a_coarse_arc_goes_over_into_straight_lines_there_is_no_crease(cells, turned_round):
    angle = np.linspace(0, 0.5 * np.pi, cells + 1)
    arc = np.stack([np.sin(angle), 1 - np.cos(angle), 0 * angle], axis=-1)
    before, after = (
        np.arange(-4.0, 0)[:, None] * [1.0, 0, 0],
        arc[-1] + np.arange(1.0, 5)[:, None] * [0, 1.0, 0],
    )
    line = np.concatenate([before, arc, after])
    nodes = line[:, None, None] + np.arange(3.0)[None, :, None, None] * [0, 0, 1.0]
    found = Lattice(nodes[::-1] if turned_round else nodes).creases[0]
    assert found.tolist() == [0, len(line) - 1]


def test_nodes_at_one_place_make_no_crease():
    nodes = bent_at(4, 0.0)
    nodes[5] = nodes[4]
    assert Lattice(nodes).creases[0].tolist() == [0, 8]
