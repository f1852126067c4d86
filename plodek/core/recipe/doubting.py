"""What is doubtful about the places by which a step names what it works on."""

from __future__ import annotations

from typing import Any

import numpy as np

from plodek.core.errors import PlodekError
from plodek.core.model.model import Model
from plodek.core.recipe import fields
from plodek.core.recipe.fields import At, Each
from plodek.core.recipe.places import candidates, place_of, places_in, shown
from plodek.core.recipe.step import Step
from plodek.core.tolerances import SAME_PLACE

#: A second candidate at most so much farther away than the nearest is told.
_NEARLY_AS_NEAR = 1.05


def doubts_of(step: Step, model: Model) -> list[str]:
    """Tell where a place of a step has a second candidate nearly as near as the one it found."""
    found = []
    for name, what in step.finds(model).items():
        selector = getattr(step, name)
        if selector is not None:
            try:
                found += _doubts(model, what, selector, step.filled)
            except PlodekError:  # the step's own error says so
                continue
    return found


def _doubts(model: Model, what: fields.Finds, selector: Any, filled: bool) -> list[str]:
    """Tell where a place that a selector gives has a second candidate nearly as near as the first."""
    if isinstance(selector, fields.Around):
        return _doubts(model, "blocks", selector.around, filled)
    if not isinstance(selector, At | Each):
        return [d for rule in getattr(selector, "any", ()) for d in _doubts(model, what, rule, filled)]
    if not model.layout.blocks:
        return []
    found = []
    for where in places_in(selector):
        at = np.array(place_of(model, where))
        names, xyz = candidates(model, what, filled=filled)
        far = np.linalg.norm(xyz - at, axis=1)
        order = np.argsort(far, kind="stable")[:2]
        if len(order) < 2 or far[order[0]] <= SAME_PLACE * model.layout.size():
            continue
        if far[order[1]] <= _NEARLY_AS_NEAR * far[order[0]]:
            one, other = (model.layout.label(names[n]) for n in order)
            found.append(
                f"{shown(at)} is nearest to {one}, {far[order[0]]:.3g} {model.unit} away, and {other} is "
                f"nearly as near ({far[order[1]]:.3g} {model.unit})"
            )
    return found
