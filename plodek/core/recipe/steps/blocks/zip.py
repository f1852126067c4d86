"""Steps that close blocks and edges up: zip, pinch, and three for what was pinched."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Use
from plodek.core.blocks.operations import zip as zipping
from plodek.core.blocks.operations.wedges.four import is_tetrahedron, quarters
from plodek.core.blocks.operations.wedges.three import star
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, EdgeSelector, SideSelector
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, in_turn

Keep = Literal["this", "other", "middle"]


class Zip(BlockStep):
    """Close blocks by laying a side of each onto the opposite one; the blocks vanish."""

    kind: Literal["zip"] = "zip"
    verb: ClassVar[str] = "Zip"
    key: ClassVar[str] = "Z"
    order: ClassVar[int] = 80
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("close a gap", "collapse", "C-grid", "weld corners")
    sentence: ClassVar[str] = "Zip {blocks} from {side}, keeping {keep}"
    blocks: BlockSelector = Field(title="Blocks")
    side: SideSelector = Field(
        title="Side", description="one side of each block: it is laid onto the opposite one"
    )
    keep: Keep = Field(default="this", title="Places that stay", description="of this side, or of the other")

    def apply(self, model: Model, context: Context) -> Model:
        sides = set(selectors.sides(model, self.side))
        chosen: list[tuple[str, Use]] = []
        for name in selectors.blocks(model, self.blocks):
            uses = [u for s in model.layout.sides_of(name) if s in sides for u in model.layout.sides[s]]
            mine = [u for u in uses if u.block == name]
            if len(mine) != 1:
                raise BadValue(
                    f"{len(mine)} of the sides belong to block {model.layout.labels[name]}",
                    remedy="choose one side of each block",
                )
            chosen.append((name, mine[0]))
        return model.changed(zipping.zip_blocks(model.layout, chosen, self.keep))


class Pinch(BlockStep):
    """Shrink edges to a point: a pole on an axis, or a wedge."""

    kind: Literal["pinch"] = "pinch"
    verb: ClassVar[str] = "Pinch"
    key: ClassVar[str] = "I"
    order: ClassVar[int] = 90
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("collapse", "degenerate", "pole", "wedge")
    sentence: ClassVar[str] = "Pinch {edges}, keeping {keep}"
    edges: EdgeSelector = Field(title="Edges")
    keep: Keep = Field(
        default="middle", title="To", description="the first corner (this), the other, or the middle"
    )

    def apply(self, model: Model, context: Context) -> Model:
        return model.changed(zipping.pinch(model.layout, selectors.edges(model, self.edges), self.keep))


class Three(BlockStep):
    """Divide a three-sided block or a wedge into three that meet in its middle, a tetrahedron into four.

    Wedges in which one goes on are divided with it.
    """

    kind: Literal["three"] = "three"
    verb: ClassVar[str] = "Three"
    key: ClassVar[str] = "3"
    order: ClassVar[int] = 100
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("triangle", "wedge", "split")
    sentence: ClassVar[str] = "Divide {block} about its middle"
    block: BlockSelector = Field(title="Three-sided block")

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        (name, *others) = selectors.blocks(model, self.block)
        if others:
            raise BadValue("more than one block is chosen", remedy="divide one after the other")
        divide = quarters if is_tetrahedron(model.layout, name) else star
        return in_turn(model, divide(self.id, model.layout, model.guides, name))
