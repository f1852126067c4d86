"""Steps for all counts at once: a budget, a factor, multiples."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.spacing.spacing_step import SpacingStep


class Budget(SpacingStep):
    """Let the tiers without a count of their own fill a number of cells in all."""

    kind: Literal["budget"] = "budget"
    verb: ClassVar[str] = "Budget"
    key: ClassVar[str] = "B"
    order: ClassVar[int] = 100
    family: ClassVar[str] = "All counts"
    known_as: ClassVar[tuple[str, ...]] = ("total", "number of cells")
    sentence: ClassVar[str] = "Budget of {cells} cells"
    cells: int = Field(title="Cells in all", ge=1, le=10**12)

    def apply(self, model: Model, context: Context) -> Model:
        counting = replace(model.spacing.counting, budget=self.cells)
        return model.with_spacing(replace(model.spacing, counting=counting))


class Factor(SpacingStep):
    """Multiply all counts, keeping the cell sizes that were set or dividing them.

    A later extrusion, revolution or sweep takes its cells times the factor too.
    """

    kind: Literal["factor"] = "factor"
    verb: ClassVar[str] = "Factor"
    key: ClassVar[str] = "F"
    order: ClassVar[int] = 110
    family: ClassVar[str] = "All counts"
    known_as: ClassVar[tuple[str, ...]] = ("coarsen", "refinement study", "scale counts")
    sentence: ClassVar[str] = "Factor {factor} on all counts, {sizes_set}"
    factor: float = Field(title="Factor", gt=0, le=100, description="2 halves the cells; 1.4142 is √2")
    sizes_set: Literal["first heights kept", "first heights divided"] = Field(
        default="first heights divided", title="Sizes that were set"
    )
    single: Literal["kept", "multiplied"] = Field(
        default="kept", title="Tiers of one cell", description="a depth of one cell stays one where kept"
    )

    def apply(self, model: Model, context: Context) -> Model:
        divide = self.sizes_set == "first heights divided"
        thin = self.single == "kept"
        spacing = model.spacing.scaled(self.factor, model.layout.dim, divide=divide, keep_single=thin)
        return model.with_spacing(spacing)


class Multiples(SpacingStep):
    """Let derived counts be multiples: even, or powers of two that a multigrid solver can halve."""

    kind: Literal["multiples"] = "multiples"
    verb: ClassVar[str] = "Multiples"
    key: ClassVar[str] = "M"
    order: ClassVar[int] = 120
    family: ClassVar[str] = "All counts"
    known_as: ClassVar[tuple[str, ...]] = ("multigrid",)
    sentence: ClassVar[str] = "Multiples of {of} for all counts that are derived"
    of: Literal["1", "2", "4", "8", "16", "32"] = Field(default="2", title="Multiples of")

    def apply(self, model: Model, context: Context) -> Model:
        counting = replace(model.spacing.counting, multiple=int(self.of))
        return model.with_spacing(replace(model.spacing, counting=counting))
