"""Models and grids of recipes, kept so that nothing is worked out twice; all of it derived and disposable.

Models are kept in memory per recipe prefix. What smoothing gave lies in the cache folder, by the hash of
the recipe prefix and of the code that made it; lift, patches and metrics are cheap and made anew.
"""

from __future__ import annotations

import io
import json
import logging
import os
import tempfile
import time
from collections.abc import Mapping
from dataclasses import asdict
from hashlib import blake2b
from pathlib import Path
from typing import Any, NamedTuple, TypeAlias

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.budget import most
from plodek.core.build import build as building
from plodek.core.build.walls import wall_units_of, walls_of
from plodek.core.cache import Cache
from plodek.core.check.look.bricks import Bricks, bricks_of
from plodek.core.check.measure import CellValues, measure
from plodek.core.check.walls import Walls
from plodek.core.errors import NotRun
from plodek.core.fingerprint import fingerprint
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.evaluation import Evaluation, Evaluator, Running, keys
from plodek.core.recipe.files import Files, Reading
from plodek.core.recipe.steps.smooth.run_step import RunStep
from plodek.core.shape.files import geometry_file
from plodek.core.smooth.outcome import Reached, Watched
from plodek.core.telling import Tell, unheard_of
from plodek.server.file_facts import grid_facts

#: What smoothing gave: the nodes of each block, and what its runs reached.
Smoothed: TypeAlias = tuple[dict[str, Floats], list[Reached]]
#: Files of the cache that nobody asked for this long are thrown away, in seconds.
KEEP = 14 * 24 * 3600.0
#: Bytes of smoothed blocks, and of grids with their metrics, that are kept in memory.
MOST_SMOOTHED, MOST_GRIDS = 128 * 1024**2, min(1024**3, most("memory_mb") * 1024**2 // 8)
#: Bytes of what sections pass over grids by.
MOST_BRICKS = 32 * 1024**2
#: Bytes of the hash at the end of a file of the cache.
_SEAL = 16
#: Bytes of a cell with its nodes and basic metrics, about.
_OF_CELL = 130


def not_run() -> NotRun:
    """Give what is said where smoothing has not run."""
    return NotRun("the smoothing has not been run yet", remedy="let it run first (Smooth)")


class Measured(NamedTuple):
    """A grid, the metrics of its cells, and what is told of its walls."""

    grid: Grid
    cells: CellValues
    walls: Walls


class Engine:
    """Evaluates recipes and builds grids, with one cache folder; files are read in place, or as told."""

    def __init__(self, cache: Path, reading: Reading | None = None) -> None:
        self.cache = cache
        self.reading = reading or Reading()
        self.cache.mkdir(parents=True, exist_ok=True)
        self._evaluator = Evaluator(most_seconds=most("evaluation_seconds"), running=self._run_before)
        self._smoothed: Cache[Smoothed] = Cache(
            MOST_SMOOTHED, lambda found: sum(block.nbytes for block in found[0].values())
        )
        self._grids: Cache[Measured] = Cache(
            MOST_GRIDS, lambda found: _OF_CELL * found.grid.cells + found.cells.most_others
        )

        self._bricks: Cache[Bricks] = Cache(MOST_BRICKS, lambda found: found.bytes)

    def evaluate(self, recipe: Recipe, files: Files, running: Running | None = None) -> Evaluation:
        """Evaluate a recipe; what steps need of its smoothing is what has run before, or else ``running``."""
        return self._evaluator.evaluate(recipe, files, running)

    def _run_before(self, recipe: Recipe, files: Files, model: Model) -> dict[str, Floats]:
        """Give what the smoothing of a recipe has given. Raises NotRun where it has not run."""
        found = self.smoothed(str(self.smoothed_key(recipe, files)))
        if found is None:
            raise not_run()
        return found[0]

    def geometry(self, data: bytes, name: str, digest: str, tell: Tell = unheard_of) -> bytes:
        """Read a geometry file as packed contents, or take them from the cache. Raises BadFile."""
        kind = geometry_file.kind_of(name)
        path = self.cache / f"{digest}.{kind}-{fingerprint()}"
        packed = self._taken(path)
        if packed is None:
            packed = self.reading.geometry(data, name, tell)
            self._put(path, packed)
        return packed

    def grid_told(self, data: bytes, name: str, digest: str, tell: Tell = unheard_of) -> dict[str, Any]:
        """Tell what a file of a grid holds, from the cache where it has been read before. Raises BadFile."""
        path = self.cache / f"{digest}.told{Path(name).suffix.lower()}-{fingerprint()}"
        known = self._taken(path)
        if known is not None:
            return {**json.loads(known), "name": name}
        told = grid_facts(name, *self.reading.grid(data, name, tell=tell))
        self._put(path, json.dumps(told).encode())
        return told

    def smoothed_key(self, recipe: Recipe, files: Files) -> str | None:
        """Give the key of what the last smoothing step gives; None without one."""
        return (self._run_keys(recipe, files) or [None])[-1]

    @staticmethod
    def _run_keys(recipe: Recipe, files: Files) -> list[str | None]:
        """Give the keys of what each smoothing step gives."""
        each = zip(recipe.steps, keys(recipe, files), strict=True)
        return [f"{key}-{fingerprint()}" for step, key in each if isinstance(step, RunStep)]

    def smoothed(self, key: str) -> Smoothed | None:
        """Give what smoothing gave, from the cache; None where it is not there."""
        found = self._smoothed.get(key)
        if found is not None:
            return found
        data = self._taken(self.cache / f"{key}.npz")
        if data is None:
            return None
        with np.load(io.BytesIO(data), allow_pickle=False) as arrays:
            runs = [Reached(**run) for run in json.loads(str(arrays["runs"]))]
            found = {name: arrays[name] for name in arrays.files if name != "runs"}, runs
        self._smoothed.keep(key, found)
        return found

    def smooth(self, model: Model, recipe: Recipe, files: Files, watched: Watched | None = None) -> Smoothed:
        """Run the smoothing of a recipe's model, and say what its runs reached.

        What earlier runs have given is taken from the cache, and kept there. Where one is stopped those after
        it are not begun; one that is stopped before its first sweep has reached nothing, and is left out.
        Runs whose grid later steps have worked on are those of the model no more: they are told, not run.
        """
        own = [str(key) for key in self._run_keys(recipe, files)]
        past = len(own) - len(model.all_runs)
        known = ((n, self.smoothed(own[n - 1])) for n in range(len(own) - 1, past - 1, -1) if n)
        done, (blocks, told) = next(((n, found) for n, found in known if found), (past, ({}, [])))
        runs = list(told)
        begun = building.runs_of(
            model,
            None if watched is None else lambda number: watched(past + number),
            done=done - past,
            blocks=blocks if done > past else None,
        )
        blocks = blocks if done > past else {}
        for number, run in enumerate(begun, done + 1):
            stopped = run.progress.note == "stopped"
            if stopped and run.progress.sweeps == 0:
                break
            blocks = dict(run.blocks)
            runs.append(run.reached())
            if stopped:
                break
            if number < len(own):
                self.keep_smoothed(own[number - 1], blocks, runs)
        return blocks, runs

    def keep_smoothed(self, key: str, blocks: Mapping[str, Floats], runs: list[Reached]) -> None:
        """Write what smoothing gave to the cache, whole or not at all."""
        file = io.BytesIO()
        arrays: dict[str, Any] = dict(blocks) | {"runs": np.array(json.dumps([asdict(run) for run in runs]))}
        np.savez(file, **arrays)
        self._put(self.cache / f"{key}.npz", file.getvalue())

    def grid(self, evaluation: Evaluation, files: Files, *, smoothed: bool = True) -> Measured | None:
        """Give the grid of a recipe, measured; None where its smoothing has not been run yet."""
        key = self._grid_key(evaluation, files, smoothed)
        found = self._grids.get(key)
        if found is not None:
            return found
        grid = self._built(evaluation, files, smoothed, only_sides=False)
        if grid is None:
            return None
        found = Measured(
            grid, measure(grid, wall_units_of(evaluation.model)), walls_of(evaluation.model, grid)
        )
        self._grids.keep(key, found)
        return found

    def sides(self, evaluation: Evaluation, files: Files, *, smoothed: bool = True) -> Grid | None:
        """Give the grid of a recipe of which perhaps only the blocks' sides are filled; None as `grid`."""
        found = self._grids.get(self._grid_key(evaluation, files, smoothed))
        return found.grid if found else self._built(evaluation, files, smoothed, only_sides=True)

    def bricks(self, evaluation: Evaluation, files: Files, grid: Grid, *, smoothed: bool) -> Bricks:
        """Give the bricks of a grid of a recipe, for sections."""
        key = self._grid_key(evaluation, files, smoothed)
        found = self._bricks.get(key)
        if found is None:
            found = bricks_of(grid)
            self._bricks.keep(key, found)
        return found

    def sweep_out(self) -> None:
        """Throw away what has not been used for long."""
        for path in self.cache.iterdir():
            if path.is_file() and time.time() - path.stat().st_mtime > KEEP:
                path.unlink(missing_ok=True)

    def _grid_key(self, evaluation: Evaluation, files: Files, smoothed: bool) -> str:
        return f"{(keys(evaluation.applied, files) or ['none'])[-1]}-{smoothed}"

    def _built(
        self, evaluation: Evaluation, files: Files, smoothed: bool, *, only_sides: bool
    ) -> Grid | None:
        model = evaluation.model
        blocks = None
        if smoothed and model.all_runs:
            key = self.smoothed_key(evaluation.applied, files)
            found = self.smoothed(key) if key else None
            if found is None:
                return None
            blocks = found[0]
        return building.finished(model, blocks, only_sides=only_sides)

    @staticmethod
    def _taken(path: Path) -> bytes | None:
        """Read a file of the cache, which keeps it young; None where it is not there.

        One that is not whole is thrown away, to be made again.
        """
        try:
            data = path.read_bytes()
            path.touch()
        except OSError:
            return None
        held, sealed = data[:-_SEAL], data[-_SEAL:]
        if blake2b(held, digest_size=_SEAL).digest() != sealed:
            logging.getLogger(__name__).warning("the cache file %s is damaged, and made again", path.name)
            path.unlink(missing_ok=True)
            return None
        return held

    def _put(self, path: Path, data: bytes) -> None:
        """Write a file of the cache, whole or not at all, with a seal that tells whether it still is."""
        handle, name = tempfile.mkstemp(dir=self.cache, suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.write(blake2b(data, digest_size=_SEAL).digest())
        Path(name).replace(path)
