"""Topology: whatever is cut, ringed and hollowed in whatever order, the layout stays sound."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Block, edge_of
from plodek.core.blocks.motion import Extrusion
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.frame import box
from plodek.core.blocks.operations.lift import lifted
from plodek.core.blocks.operations.ring.ring import ring
from plodek.core.blocks.orientation import Orientation
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import tier_of, tiers
from plodek.core.errors import PlodekError, Refused
from plodek.core.grid.fill import fill_plane
from plodek.core.grid.from_layout import interfaces_of
from plodek.core.spacing.spread import Spacing, lay_out


def assert_sound(layout):
    check(layout)
    vertices, edges, blocks = len(layout.corners), len(layout.edges), len(layout.blocks)
    if layout.dim == 2:
        assert vertices - edges + blocks == 1
    else:
        assert vertices - edges + len(layout.sides) - blocks == 1
    assert {c for b in layout.blocks.values() for c in b.corners} == set(layout.corners)
    for uses in layout.sides.values():
        assert len(uses) in (1, 2)
    found = tiers(layout)
    assert sorted(e for t in found for e in t.edges) == sorted(layout.edges)
    for block in layout.blocks.values():
        for axis in range(layout.dim):
            pairs = [
                (block.corners[a], block.corners[b]) for x, a, b in tables.edges(layout.dim) if x == axis
            ]
            tier = tier_of(found, edge_of(*pairs[0]))
            ways = {tier.edges[edge_of(a, b)] == (a < b) for a, b in pairs}
            assert len(ways) == 1 or tier.twisted


OPERATION = st.tuples(
    st.sampled_from(["cut", "cut", "inside", "around", "hollow", "back"]),
    st.integers(0, 10_000),
    st.integers(0, 10_000),
    st.floats(0.15, 0.85),
)


def applied(layout, number, operation):
    """Apply one random operation; what the core refuses leaves the layout as it was."""
    verb, first, second, share = operation
    names = list(layout.blocks)
    chosen = (
        {names[first % len(names)], names[second % len(names)]} if first % 3 else {names[first % len(names)]}
    )
    try:
        if verb == "cut":
            edge = list(layout.edges)[first % len(layout.edges)]
            tier = tier_of(tiers(layout), edge)
            return cut(f"s{number}", layout, {}, tier, fractions_along(tier, share, edge)).layout
        if verb in ("hollow", "back"):
            return layout.with_hollow(chosen, verb == "hollow")
        outer = [s for s, uses in layout.sides.items() if len(uses) == 1 and uses[0].block in chosen]
        left_open = outer[: second % 3] if verb == "inside" else []
        size = 0.02 * min(np.linalg.norm(np.diff(layout.places(e), axis=0)) for e in layout.edges)
        return ring(
            f"s{number}", layout, {}, chosen, where=verb, thickness=max(size, 1e-9), open_sides=left_open
        ).layout
    except PlodekError:
        return layout


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(OPERATION, min_size=1, max_size=9))
def test_random_sequences_keep_the_layout_sound(operations):
    layout = box("f", (0, 0, 0), (3.0, 2.0))
    for number, operation in enumerate(operations):
        before = (dict(layout.corners), dict(layout.blocks))
        after = applied(layout, number, operation)
        assert (layout.corners, layout.blocks) == before  # the operation returns a new value
        layout = after
        assert_sound(layout)
    solid = lifted(layout, {}, Extrusion(np.array([0, 0, 1.0])), [0.0, 1.0]).layout
    assert_sound(solid)


@settings(max_examples=40, deadline=None)
@given(st.lists(OPERATION, min_size=1, max_size=6))
def test_coincident_nodes_are_equal_to_the_bit(operations):
    layout = box("f", (0.1, 0.7, 0), (3.3, 2.1))
    for number, operation in enumerate(operations):
        layout = applied(layout, number, operation)
    paths = {e: edge_path(layout, {}, e) for e in layout.filled_edges}
    laid = lay_out(layout, paths, Spacing(), tiers(layout), {}, {})
    if sum(laid.counts[e] for e in layout.edges) > 4000:
        return
    blocks = fill_plane(layout, laid)
    names = list(blocks)
    for face in interfaces_of(layout):
        (first, a), (second, b) = ((names[s.block], s) for s in (face.first, face.second))
        ours = np.take(blocks[first], -a.end, axis=a.axis).reshape(-1, 3)
        theirs = np.take(blocks[second], -b.end, axis=b.axis).reshape(-1, 3)
        if face.orientation.axes[1 - a.axis] < 0:
            theirs = theirs[::-1]
        assert np.array_equal(ours, theirs)


def three_by_three():
    layout = box("f", (0, 0, 0), (3.0, 3.0))
    for step, axis in (("x", 0), ("y", 1)):
        for number, part in enumerate((1 / 3, 1 / 2)):
            tier = next(
                t for t in tiers(layout)
                if np.ptp(layout.places(t.first)[:, axis]) > 1.5
            )  # fmt: skip
            low = layout.places(tier.first)[0, axis] < layout.places(tier.first)[1, axis]
            fraction = part if low else 1 - part
            layout = cut(
                f"{step}{number}", layout, {}, tier, fractions_along(tier, fraction, tier.first)
            ).layout
    return layout


def middle_of(layout):
    return min(layout.blocks, key=lambda b: float(np.linalg.norm(layout.centre(b) - [1.5, 1.5, 0])))


def test_a_ring_around_the_middle_block_is_an_o():
    layout = three_by_three()
    done = ring("r", layout, {}, [middle_of(layout)], where="around", thickness=0.2)
    assert len(done.blocks) == 4
    assert len(done.layout.blocks) == 13
    copies = done.layout.places(done.copies.values())
    assert np.allclose(np.abs(copies[:, :2] - 1.5), 0.7)  # half a block and the thickness


def test_a_ring_around_a_column_to_the_border_is_a_c_and_half_rings_come_out():
    layout = three_by_three()
    middle = middle_of(layout)
    right = min(layout.blocks, key=lambda b: float(np.linalg.norm(layout.centre(b) - [2.5, 1.5, 0])))
    c_ring = ring("r", layout, {}, [middle, right], where="around", thickness=0.2)
    assert len(c_ring.blocks) == 5  # open at the right border
    assert_sound(c_ring.layout)
    whole = box("f", (0, 0, 0), (2.0, 1.0))
    (block,) = whole.blocks
    half = ring(
        "r", whole, {}, [block], where="inside", thickness=0.25,
        open_sides=[s for s in whole.sides if np.ptp(whole.places(s)[:, 1]) == 0 and whole.places(s)[0, 1] == 0],
    )  # fmt: skip
    assert len(half.blocks) == 3
    # Copies on the open side stay in it.
    lowest = sorted(half.layout.places(half.copies.values()).tolist(), key=lambda p: p[1])[:2]
    assert np.allclose(lowest, [[0.25, 0, 0], [1.75, 0, 0]]) or np.allclose(
        lowest[::-1], [[0.25, 0, 0], [1.75, 0, 0]]
    )


def test_rings_that_would_break_the_layout_are_refused_with_the_reason():
    layout = three_by_three()
    far = [
        min(layout.blocks, key=lambda b, p=p: float(np.linalg.norm(layout.centre(b) - p)))
        for p in ([0.5, 0.5, 0], [1.5, 1.5, 0])
    ]
    with pytest.raises(Refused, match="hang together"):
        ring("r", layout, {}, far, where="around", thickness=0.1)
    inner = next(s for s, uses in layout.sides.items() if len(uses) == 2)
    owner = layout.sides[inner][0].block
    with pytest.raises(Refused, match="cannot stay open"):
        ring("r", layout, {}, [owner], where="inside", thickness=0.1, open_sides=[inner])
    with pytest.raises(PlodekError, match="no room"):
        ring("r", layout, {}, [middle_of(layout)], where="around", thickness=1.5)
    with pytest.raises(PlodekError, match="thickness above 0"):
        ring("r", layout, {}, [middle_of(layout)], where="around", thickness=0.0)


def test_the_tier_runs_through_hollow_blocks_and_around_a_ring():
    layout = three_by_three()
    layout = ring("r", layout, {}, [middle_of(layout)], where="around", thickness=0.2).layout
    found = tiers(layout)
    assert len(found) == 7
    assert sorted(len(t.edges) for t in found) == [4, 4, 4, 4, 4, 6, 6]
    hollowed = layout.with_hollow([middle_of(layout)], True)
    assert [t.edges for t in tiers(hollowed)] == [t.edges for t in found]


def test_hollowing_everything_is_refused_and_bringing_back_undoes_it():
    layout = three_by_three()
    with pytest.raises(Refused, match="No block would be left"):
        layout.with_hollow(layout.blocks, True)
    middle = middle_of(layout)
    assert layout.with_hollow([middle], True).with_hollow([middle], False) == layout


def test_ids_do_not_depend_on_steps_before():
    plain = three_by_three()
    layout = box("f", (0, 0, 0), (3.0, 3.0))
    assert set(layout.corners) <= set(plain.corners)
    again = three_by_three()
    assert (again.corners, again.blocks) == (plain.corners, plain.blocks)


CORNERS = tuple("abcdefgh")
TURNS = [
    # Every way a second block can sit against the i+ side of the first: 6 sides x 4 turns, right-handed.
    (side, turn)
    for side in range(6)
    for turn in range(4)
]


@pytest.mark.parametrize(("number", "turn"), TURNS)
def test_every_way_two_blocks_can_meet(number, turn):
    axis, end, corners = tables.sides(3)[number]
    shared = [CORNERS[n] for n in tables.sides(3)[1][2]]
    around = [0, 1, 3, 2]  # once around a side
    turned = [shared[around[(k + turn) % 4]] for k in range(4)]
    second = [f"z{n}" for n in range(8)]
    for place, corner in zip([corners[k] for k in around], turned, strict=True):
        second[place] = corner
    found = Orientation.between(CORNERS, (0, 1), second, (axis, end))
    assert sorted(abs(a) for a in found.axes) == [1, 2, 3]
    assert abs(found.axes[0]) == axis + 1
    assert found.inverse().inverse() == found
    back = Orientation.between(second, (axis, end), CORNERS, (0, 1))
    assert back == found.inverse()
    # Walking along an axis of the first block walks the same corners in the second.
    for own in (1, 2):
        for a, b in [(x, y) for ax, x, y in tables.edges(3) if ax == own and x & 1]:
            p, q = second.index(CORNERS[a]), second.index(CORNERS[b])
            assert (p ^ q).bit_length() == abs(found.axes[own])
            assert (q > p) == (found.axes[own] > 0)


def test_broken_layouts_are_caught():
    layout = three_by_three()
    block = next(iter(layout.blocks.values()))
    twisted = replace(block, corners=(*block.corners[:3], block.corners[0]))
    with pytest.raises(Refused, match="meet itself"):
        check(replace(layout, blocks={"b": twisted}))
    with pytest.raises(Refused, match="belong to 3 blocks"):
        check(
            replace(
                layout, blocks=dict(layout.blocks) | {"x": Block(block.corners), "y": Block(block.corners)}
            )
        )
