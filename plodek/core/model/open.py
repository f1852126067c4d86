"""What a step has done to a grid that is smoothed: decided here, for all steps."""

from __future__ import annotations

from plodek.core.blocks.tiers import Tier
from plodek.core.model.model import Model


def is_along_lift(model: Model, tier: Tier) -> bool:
    """Whether a tier runs along a lift that is whole: cutting it leaves the plane as it is."""
    lift = model.lift
    return lift is not None and lift.whole and all(lift.stands(a, b) for a, b in tier.edges)


def is_carried(before: Model, after: Model) -> bool:
    """Whether a step has left the smoothed plane of a lift as it is, and changed what is along the way."""
    lift = after.lift
    if before.smoothing or before.lift is None or lift is None or not lift.whole:
        return False
    if after.layout is not before.layout:  # cut along the way: what is across has been carried over
        return True
    return all(
        before.laid.counts[edge] == count and before.spacing.laws.get(edge) == after.spacing.laws.get(edge)
        for edge, count in after.laid.counts.items()
        if not lift.stands(*edge)
    )


def is_same_grid(before: Model, after: Model) -> bool:
    """Whether a step has left all of which the grid is made: corners, blocks, shapes, guides and spacing."""
    one, other = before.layout, after.layout
    if one is not other and not (
        one.corners is other.corners
        and one.follows is other.follows
        and one.bends is other.bends
        and one.lies is other.lies
        and one.moulds is other.moulds
        and one.twins is other.twins
        and one.filled == other.filled
        and all(one.blocks[name].corners == other.blocks[name].corners for name in one.blocks)
    ):
        return False
    on = {follow.guide for follow in one.follows.values()} | set(one.lies.values())
    same = all(after.guides.get(name) is before.guides.get(name) for name in on)
    return same and (
        not one.filled
        or (before.laid.counts == after.laid.counts and before.spacing.laws == after.spacing.laws)
    )
