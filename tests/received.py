"""Grids as others might send them: with poles, turned over, not quite meeting; made up."""

from pathlib import Path

import numpy as np

from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.grid import Grid


def pipe(radius, along, centre, across, up, *, around=24):
    """The nodes (r, angle, s) of a round pipe with a pole on its line: places (n, 3) and two directions there."""
    r = radius * np.tanh(1.6 * np.linspace(0, 1, 11)) / np.tanh(1.6)
    angle = np.linspace(0, 2 * np.pi, around + 1)
    angle[-1] = 0.0
    ring = np.cos(angle)[:, None, None] * across + np.sin(angle)[:, None, None] * up
    nodes = centre + r[:, None, None, None] * ring
    nodes[0] = centre
    return nodes


def dewatering_bend():
    """A bend of a pipe, left-handed, and a straight piece after it, 0.02 mm off; in mm."""
    turn = np.linspace(0, np.pi / 2, 25)
    zero, one = np.zeros_like(turn), np.ones_like(turn)
    line = np.stack([300 * (1 - np.cos(turn)), zero, 300 * np.sin(turn)], axis=1)
    out = np.stack([-np.cos(turn), zero, np.sin(turn)], axis=1)
    bend = pipe(100.0, turn, line, out, np.stack([zero, one, zero], axis=1))
    s = np.linspace(0, 400, 17)
    zero, one = np.zeros_like(s), np.ones_like(s)
    line = np.stack([300 + s + 0.02, zero, 300 * one], axis=1)
    straight = pipe(100.0, s, line, np.stack([zero, zero, one], axis=1), np.stack([zero, one, zero], axis=1))
    return [bend, straight.transpose(2, 1, 0, 3)]


def written(path: Path, grid: Grid, key: str, unit: str = "m", **choices: str) -> bytes:
    """The bytes of a grid in a format, written to a path."""
    one = registry.written()[key]
    one.write(path, Cargo(grid, unit), one.choices(choices))
    return path.read_bytes()
