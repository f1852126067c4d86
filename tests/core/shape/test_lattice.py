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
