"""What a step may still change: decided here, from the operations that have made the grid so far."""

from __future__ import annotations

from plodek.core.blocks.tiers import Tier
from plodek.core.errors import NotReady
from plodek.core.model.model import Model


def need_open_blocks(model: Model) -> None:
    """Raise NotReady where the grid has been smoothed: its blocks cannot change any more."""
    if model.plane.smoothing or model.smoothing:
        raise _closed(model, "blocks")


def need_open_spacing(model: Model, *tiers: Tier) -> None:
    """Raise NotReady where the spacing of tiers is fixed: of a smoothed plane, lifted or not.

    Along a lift of it the spacing stays open; without tiers the question is whether anything is.
    """
    model.need_blocks()
    if model.smoothing:
        raise _closed(model, "spacing")
    lift = model.lift
    smoothed = lift is not None and bool(lift.plane.smoothing)
    if lift and smoothed and any(not lift.stands(a, b) for tier in tiers for a, b in tier.edges):
        raise _closed(model, "spacing")


def need_open_counts(model: Model) -> None:
    """Raise NotReady where any count is fixed, so that all of them cannot be derived anew."""
    model.need_blocks()
    if model.plane.smoothing or model.smoothing:
        raise _closed(model, "spacing")


def is_along_lift(model: Model, tier: Tier) -> bool:
    """Whether a tier runs along a lift that is whole: cutting it leaves the plane as it is."""
    lift = model.lift
    if model.smoothing:  # on the lifted layout: nothing of it can change any more
        return False
    return lift is not None and lift.whole and all(lift.stands(a, b) for a, b in tier.edges)


def _closed(model: Model, what: str) -> NotReady:
    if model.lift is None or model.smoothing:
        return NotReady(
            f"the {what} of a smoothed grid cannot change", remedy="put this step before the smoothing step"
        )
    return NotReady(
        f"the {what} of a smoothed plane cannot change, lifted or not",
        remedy="put this step before the smoothing where it works on the plane; where it needs the lift, "
        "take the smoothing step out",
    )
