"""What is doubtful about the places by which a step names what it works on."""

from __future__ import annotations

from plodek.core.errors import PlodekError
from plodek.core.model.model import Model
from plodek.core.recipe.selectors import doubts
from plodek.core.recipe.step import Step


def doubts_of(step: Step, model: Model) -> list[str]:
    """Tell where a place of a step has a second candidate nearly as near as the one it found."""
    found = []
    for name, meaning in step.meanings().items():
        selector = getattr(step, name)
        if meaning.finds is not None and selector is not None:
            try:
                found += doubts(model, meaning.finds, selector)
            except PlodekError:  # the step's own error says so
                continue
    return found
