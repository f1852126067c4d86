"""Building the grid of a model: its operations run in order."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TypeAlias

from plodek.core.arrays import Floats
from plodek.core.budget import need
from plodek.core.build.assemble import assemble
from plodek.core.build.carry import carried
from plodek.core.build.heights import hold, layered
from plodek.core.build.keeping import kept_passing, sound_start
from plodek.core.build.pins import pins_in_the_way
from plodek.core.build.sides import sides_of
from plodek.core.grid.fill import Layer, Sheets, fill_plane, fill_space
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.smooth.outcome import NOT_BEGUN, Smoothed, Watched
from plodek.core.smooth.settings import ShapeSettings
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.smooth import smooth

#: The nodes (ni, nj, nk, 3) of each block; nk is 1 in the plane.
Blocks: TypeAlias = Mapping[str, Floats]


@dataclass(frozen=True)
class Built:
    """A grid, and what its smoothing runs reached."""

    grid: Grid
    runs: tuple[Smoothed, ...]


def build(model: Model) -> Built:
    """Build the grid of a model. Raises NotReady without blocks."""
    model.need_blocks()
    runs = tuple(runs_of(model))
    return Built(finished(model, runs[-1].blocks if runs else None), runs)


def runs_of(
    model: Model, watched: Watched | None = None, *, done: int = 0, blocks: Blocks | None = None
) -> Iterator[Smoothed]:
    """Run the smoothing of a model, that of a plane that was lifted first, and give what each run reached.

    The first ``done`` runs are left out: these have given ``blocks``. Each run is ``watched`` by its number.
    """
    need("cells", model.cells)
    below = len(model.all_runs) - len(model.smoothing)
    for number, asked in enumerate(model.all_runs):
        if number < done:
            continue
        settings = asked.settings
        owner = model if number >= below else model.plane
        if owner.layout.dim == 3 and number == below:
            blocks = _in_space(model, blocks)
        elif blocks is None:
            blocks = fill_plane(owner.layout, owner.laid)
        grid, sides = assemble(owner, blocks), sides_of(owner, blocks, settings)
        watch = None if watched is None else watched(number)
        if isinstance(settings, ShapeSettings):
            run = shape(grid, sides, settings, watch)
            if settings.polish is None and run.progress.folded and run.progress.note != "stopped":
                pins = pins_in_the_way(owner, grid, blocks, settings, run, watch)
                run = replace(run, pins={corner: owner.layout.labels[corner] for corner in pins})
        else:
            start = sound_start(grid, sides, untangle=settings.untangle, watch=watch)
            if start is None:
                blocks = dict(zip(grid.names, grid.xyz, strict=True))
                yield Smoothed(blocks, NOT_BEGUN, replace(NOT_BEGUN, note="stopped"))
                return
            grid = start
            run = smooth(grid, sides, settings, watch)
        run = kept_passing(grid, run, asked.limits, asked.own)
        blocks = run.blocks
        yield run


def finished(model: Model, blocks: Blocks | None, *, only_sides: bool = False) -> Grid:
    """Run the operations after the last smoothing, which gave ``blocks``; or all where that is None.

    With ``only_sides`` the nodes inside blocks mean nothing. Raises OverBudget for too many cells.
    """
    need("cells", model.cells)
    if model.layout.dim == 2:
        if blocks is None:
            blocks = fill_plane(model.layout, model.laid)
            hold(model, blocks)
        return assemble(model, blocks)
    if blocks is not None and model.smoothing:
        return assemble(model, blocks)
    return assemble(model, _in_space(model, blocks, shell=only_sides))


def filled_grid(model: Model) -> Grid:
    """Fill the grid without smoothing. Raises NotReady without blocks."""
    model.need_blocks()
    return finished(model, None)


def shell(model: Model) -> Grid:
    """Fill only the sides of the blocks, without smoothing; nodes inside blocks mean nothing.

    What is seen of a large grid is there at once that way. Raises NotReady without blocks.
    """
    model.need_blocks()
    return finished(model, None, only_sides=True)


def layer_grid(model: Model, layer: Layer) -> Grid:
    """Fill only a layer of a model in space, without smoothing: its blocks, nodes elsewhere mean nothing.

    Blocks with wall layers are filled whole: where their nodes come to lie is said along whole lines.
    """
    need("cells", model.cells)
    whole = layered(model)
    blocks = _in_space(model, None, layer={name: None if name in whole else at for name, at in layer.items()})
    return Grid(3, tuple(layer), tuple(blocks[name] for name in layer))


def coarse(model: Model, most: int) -> Model:
    """Give the model with at most ``most`` cells on any tier, evenly spaced, for a quick look."""
    counts = {e: min(n, most) for e, n in model.laid.counts.items()}
    return model.with_spacing(replace(model.spacing, counts=counts, laws={}))


def _in_space(
    model: Model, plane: Blocks | None, *, shell: bool = False, layer: Sheets | None = None
) -> dict[str, Floats]:
    """Carry the plane along where the lift of it is whole, else fill between the edges."""
    if model.lift is not None and (plane is not None or model.lift.whole):
        blocks = carried(model, model.lift, plane, shell=shell, layer=layer)
    else:
        blocks = fill_space(model.layout, model.laid, model.guides, shell=shell, layer=layer)
    if plane is None:  # smoothing holds heights itself
        hold(model, blocks, shell=shell)
    return blocks
