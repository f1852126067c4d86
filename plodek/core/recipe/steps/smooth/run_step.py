"""What the steps of the Smooth stage share: they run over the grid, and say what its parts do meanwhile."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal, Protocol, TypeAlias

from pydantic import Field

from plodek.core.blocks.layout import Side, edge_of
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model import operations
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, CornersSelector, SideSelector
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.smooth.settings import Parts, RunSettings

Glide: TypeAlias = Annotated[
    SideSelector | None,
    Field(
        title="Sides that glide",
        description="their nodes slide along what they lie on; other outer sides hold",
    ),
]
Spread: TypeAlias = Annotated[
    SideSelector | None,
    Field(
        title="Sides moved by themselves",
        description="outer sides in space, whose nodes move within the surface that they lie on before the "
        "inside does",
    ),
]
Hold: TypeAlias = Annotated[
    SideSelector | None,
    Field(title="Inner sides that hold", description="others are free and move as inner nodes"),
]
Twins: TypeAlias = Annotated[
    Literal["hold", "free"],
    Field(title="Twin sides", description="free ones move as inner nodes, both together"),
]
OnlyBlocks: TypeAlias = Annotated[
    BlockSelector | None, Field(title="Only these blocks", description="where left out, all")
]
Loose: TypeAlias = Annotated[
    CornersSelector | None,
    Field(
        title="Pinned corners set free",
        description="inner corners that are pinned stay where they are, but for these",
    ),
]


class RunStep(Step):
    """A step that runs over the grid."""

    stage: ClassVar[Stage] = "Smooth"
    changes: ClassVar[Changes] = "grid"
    if TYPE_CHECKING:  # each kind has its own field, among those of the form
        sweeps: int

    def settings(self, model: Model) -> RunSettings:
        """Give what the run is asked for. Raises PlodekError where it cannot be."""
        raise NotImplementedError

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        run = operations.Run(self.settings(model), model.limits, model.part_limits)
        return replace(model, operations=(*model.operations, run), known=model.facts)


class Moves(Protocol):
    """The fields by which a step says what parts of the layout do meanwhile."""

    glide: SideSelector | None
    spread: SideSelector | None
    hold: SideSelector | None
    twins: Literal["hold", "free"]
    blocks: BlockSelector | None
    loose: CornersSelector | None


def parts(
    step: Moves,
    model: Model,
    walls: tuple[Side, ...] = (),
    wakes: tuple[Side, ...] = (),
    first: float | None = None,
) -> Parts:
    """Say what parts of the layout do, the walls and wakes with their first height given.

    Raises BadValue where one shall do two things that exclude each other, or move by itself in the plane.
    """
    if step.spread is not None and model.layout.dim == 2:
        raise BadValue("edges cannot move by themselves", remedy="let them glide instead")
    found = Parts(
        walls=walls,
        glide=sides(model, step.glide),
        spread=sides(model, step.spread),
        held=sides(model, step.hold),
        wakes=wakes,
        first=first,
        blocks=None if step.blocks is None else tuple(selectors.blocks(model, step.blocks)),
        loose=() if step.loose is None else tuple(selectors.corners(model, step.loose)),
        free_twins=step.twins == "free",
    )
    _apart(found.walls, found.glide, "hold as walls and glide")
    _apart(found.glide, found.held, "glide and hold")
    _apart(found.spread, found.held, "move by themselves and hold")
    _apart(found.spread, found.glide, "move by themselves and glide")
    return found


def sides(model: Model, selector: SideSelector | None) -> tuple[Side, ...]:
    """Give the sides of filled blocks that a selector finds, edges in the plane; none where there is none."""
    if selector is None:
        return ()
    if model.layout.dim == 2:
        edges = (edge_of(*e) for e in selectors.edges(model, selector))
        return tuple(e for e in edges if e in set(model.layout.filled_edges))
    filled = set(model.layout.filled)
    uses = model.layout.sides
    return tuple(s for s in selectors.sides(model, selector) if any(use.block in filled for use in uses[s]))


def walls(model: Model, selector: SideSelector | None) -> tuple[Side, ...]:
    """Give the walls that a selector finds; without one those with layers, or all on guides; no twins.

    Where nothing lies on a guide, as in received grids, those of patches that are walls.
    """
    if selector is not None:
        return sides(model, selector)
    found = model.guided if model.layout.dim == 2 else model.layered or model.guided
    if not found:
        outer = model.layout.outer
        found = [s for s, patch in model.patch_of.items() if patch.type == "wall" and s in outer]
    return tuple(side for side in found if side not in model.layout.paired)


def sized_walls(model: Model, selector: SideSelector | None) -> tuple[Side, ...]:
    """Give the walls that a selector finds; without one those above whose first cells were asked for."""
    found = walls(model, selector)
    return found if selector is not None else tuple(side for side in found if side in model.sized)


def need_walls(found: tuple[Side, ...]) -> tuple[Side, ...]:
    """Give walls if there are any. Raises NothingFound."""
    if not found:
        raise NothingFound(
            "no outer side lies on a guide or belongs to a wall, so there is no wall to hold",
            remedy="choose the walls, name them as a patch first, or smooth with interior control",
        )
    return found


def _apart(first: tuple[Side, ...], second: tuple[Side, ...], words: str) -> None:
    """Raise BadValue, with ``words`` for what they shall both do, where sides are in both."""
    if both := set(first) & set(second):
        raise BadValue(f"{len(both)} sides shall both {words}", remedy="take them out of one of the two")
