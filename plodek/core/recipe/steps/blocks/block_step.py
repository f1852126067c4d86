"""What the steps of the Blocks stage share."""

from __future__ import annotations

from collections.abc import Generator
from typing import ClassVar

from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Layout
from plodek.core.model.model import Model
from plodek.core.recipe.step import Changes, Stage, Step


class BlockStep(Step):
    """What all steps of the Blocks stage share."""

    stage: ClassVar[Stage] = "Blocks"
    changes: ClassVar[Changes] = "blocks"


def refitted(model: Model, layout: Layout) -> Model:
    """Give the model with a layout whose corners moved; twins follow."""
    return model.changed(Change(layout))


def in_turn(model: Model, changes: Generator[Change, Layout, None]) -> Model:
    """Give the model after changes of which each is worked out on the layout that the one before came to."""
    change = next(changes)
    while True:
        model = model.changed(change)
        try:
            change = changes.send(model.layout)
        except StopIteration:
            return model
