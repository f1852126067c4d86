"""What the steps of the Blocks stage share."""

from __future__ import annotations

from typing import ClassVar

from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Layout
from plodek.core.model.model import Model
from plodek.core.recipe.step import Stage, Step


class BlockStep(Step):
    """What all steps of the Blocks stage share."""

    stage: ClassVar[Stage] = "Blocks"


def refitted(model: Model, layout: Layout) -> Model:
    """Give the model with a layout whose corners moved; twins follow."""
    return model.changed(Change(layout))
