"""Running the smoother on models, from their filled blocks or from others."""

import numpy as np

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.sides import sides_of
from plodek.core.grid.numbering import Numbering
from plodek.core.smooth.settings import Parts, SmoothSettings
from plodek.core.smooth.smooth import smooth


def filled(model):
    """Give the filled nodes of each block."""
    grid = build.filled_grid(model)
    return dict(zip(grid.names, grid.xyz, strict=True))


def made(kind, sweeps, **settings):
    """Make settings of a kind, what parts do among them."""
    own = {name: settings.pop(name) for name in Parts.__dataclass_fields__ if name in settings}
    return kind(sweeps, Parts(**own), **settings)


def run(model, start=None, watch=None, **settings):
    """Smooth with settings, to the end unless they say otherwise."""
    settings = made(SmoothSettings, **{"sweeps": 4000, "tolerance": 1e-12} | settings)
    blocks = start or filled(model)
    return smooth(assemble(model, blocks), sides_of(model, blocks, settings), settings, watch)


def apart(first, second):
    """Give the largest difference between the nodes of blocks."""
    return max(float(np.abs(first[name] - second[name]).max()) for name in first)


def shaken(model, size, seed=5):
    """Displace all inner nodes at random, the same at every coincident place; not along z in the plane."""
    grid = build.filled_grid(model)
    numbering = Numbering.of(grid)
    move = np.random.default_rng(seed).uniform(-size, size, (numbering.count, 3))
    if grid.dim == 2:
        move[:, 2] = 0.0
    for window in grid.unnamed:
        ids = numbering.ids[window.block]
        move[ids[window.slices(ids.shape)]] = 0.0
    return {name: xyz + move[ids] for name, xyz, ids in zip(grid.names, grid.xyz, numbering.ids, strict=True)}
