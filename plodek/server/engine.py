"""Models and grids of recipes, kept so that nothing is worked out twice; all of it derived and disposable.

Models are kept in memory per recipe prefix. Smoothed planes lie in the cache folder, by the hash of the
recipe prefix that made them; lift, patches and metrics are cheap and made anew.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import tempfile
import time
from collections import OrderedDict
from collections.abc import Callable, Mapping
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.build import build as building
from plodek.core.check.metrics import CellValues, measure
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.recipe import recipe as recipes
from plodek.core.recipe.grid_steps import Smooth
from plodek.core.shape.files import geometry_file
from plodek.core.shape.files.cad_file import Tell
from plodek.core.smooth.smooth import Smoothed, Watch
from plodek.server.api.grid_messages import RunOut

ReadFile = Callable[[str], bytes]
#: Smoothed planes and picture files older than this are thrown away, in seconds.
KEEP = 14 * 24 * 3600.0
#: Raised when what is packed of geometry files changes.
GEOMETRY_FORMAT = 2
#: Cells of all grids that are kept in memory, about 100 bytes each.
MOST_CELLS = 8_000_000


class Engine:
    """Evaluates recipes and builds grids for one data folder."""

    def __init__(self, folder: Path) -> None:
        self.cache = folder / "cache"
        self.cache.mkdir(parents=True, exist_ok=True)
        self._evaluator = recipes.Evaluator()
        self._lock = Lock()
        self._planes: OrderedDict[str, tuple[dict[str, Floats], list[RunOut]]] = OrderedDict()
        self._grids: OrderedDict[str, tuple[Grid, CellValues]] = OrderedDict()

    def evaluate(self, recipe: recipes.Recipe, read_file: ReadFile) -> recipes.Evaluation:
        """Evaluate a recipe."""
        with self._lock:
            return self._evaluator.evaluate(recipe, read_file, self.geometry_reader(read_file))

    def geometry_reader(self, read_file: ReadFile) -> ReadFile:
        """Give the function that reads geometry files, from the cache where they have been read before."""
        return lambda name: self.geometry(read_file(name), name)

    def geometry(self, data: bytes, name: str, tell: Tell | None = None) -> bytes:
        """Read a geometry file as packed contents, or take them from the cache. Raises BadFile."""
        kind = geometry_file.kind_of(name)
        path = self.cache / f"{hashlib.sha256(data).hexdigest()}.{kind}-{GEOMETRY_FORMAT}"
        if path.is_file():
            path.touch()
            return path.read_bytes()
        packed = geometry_file.read(data, name, tell)
        self._keep(path, packed)
        return packed

    def _keep(self, path: Path, data: bytes) -> None:
        """Write a file of the cache, whole or not at all."""
        handle, name = tempfile.mkstemp(dir=self.cache, suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(name).replace(path)

    def plane_key(self, recipe: recipes.Recipe, read_file: ReadFile) -> str | None:
        """Give the key of the smoothed plane: that of the last smoothing step, None without one."""
        found = recipes.keys(recipe, read_file)
        last = [n for n, step in enumerate(recipe.steps) if isinstance(step, Smooth)]
        return found[last[-1]] if last else None

    def plane(self, key: str) -> tuple[dict[str, Floats], list[RunOut]] | None:
        """Give a smoothed plane and its runs from the cache, None where it is not there."""
        with self._lock:
            if key in self._planes:
                self._planes.move_to_end(key)
                return self._planes[key]
        path = self.cache / f"{key}.npz"
        try:
            with np.load(path, allow_pickle=False) as data:
                runs = [RunOut(**r) for r in json.loads(str(data["runs"]))]
                blocks = {name: data[name] for name in data.files if name != "runs"}
        except (OSError, ValueError, KeyError):
            return None
        with self._lock:
            self._planes[key] = blocks, runs
            while len(self._planes) > 16:
                self._planes.popitem(last=False)
        return blocks, runs

    @staticmethod
    def smooth(model: Model, watch: Watch | None = None) -> tuple[dict[str, Floats], list[RunOut]]:
        """Build the smoothed plane of a model, and say what its runs reached."""
        plane, runs = building.smoothed_plane(model, watch)
        return dict(plane or {}), [_run(run) for run in runs]

    def keep_plane(self, key: str, blocks: Mapping[str, Floats], runs: list[RunOut]) -> None:
        """Write a smoothed plane to the cache, whole or not at all."""
        file = io.BytesIO()
        arrays: dict[str, Any] = dict(blocks) | {"runs": np.array(json.dumps([r.model_dump() for r in runs]))}
        np.savez(file, **arrays)
        self._keep(self.cache / f"{key}.npz", file.getvalue())

    def grid(
        self, evaluation: recipes.Evaluation, read_file: ReadFile, *, smoothed: bool = True
    ) -> tuple[Grid, CellValues] | None:
        """Give the grid of a recipe and its metrics; None where its smoothing has not been run yet."""
        key = self._grid_key(evaluation, read_file, smoothed)
        found = self._kept_grid(key)
        if found is not None:
            return found
        grid = self._assembled(evaluation, read_file, smoothed, only_sides=False)
        if grid is None:
            return None
        cells = measure(grid)
        with self._lock:
            self._grids[key] = grid, cells
            while len(self._grids) > 1 and sum(g.cells for g, _ in self._grids.values()) > MOST_CELLS:
                self._grids.popitem(last=False)
        return grid, cells

    def sides(
        self, evaluation: recipes.Evaluation, read_file: ReadFile, *, smoothed: bool = True
    ) -> Grid | None:
        """Give the grid of a recipe of which perhaps only the blocks' sides are filled; None as `grid`."""
        found = self._kept_grid(self._grid_key(evaluation, read_file, smoothed))
        return found[0] if found else self._assembled(evaluation, read_file, smoothed, only_sides=True)

    def _grid_key(self, evaluation: recipes.Evaluation, read_file: ReadFile, smoothed: bool) -> str:
        return f"{(recipes.keys(_applied(evaluation), read_file) or ['none'])[-1]}-{smoothed}"

    def _kept_grid(self, key: str) -> tuple[Grid, CellValues] | None:
        with self._lock:
            if key in self._grids:
                self._grids.move_to_end(key)
            return self._grids.get(key)

    def _assembled(
        self, evaluation: recipes.Evaluation, read_file: ReadFile, smoothed: bool, *, only_sides: bool
    ) -> Grid | None:
        model = evaluation.model
        plane = None
        if smoothed and model.plane.smoothing:
            key = self.plane_key(_applied(evaluation), read_file)
            found = self.plane(key) if key else None
            if found is None:
                return None
            plane = found[0]
        return building.assemble(model, plane, only_sides=only_sides)

    def sweep_out(self) -> None:
        """Throw away what has not been used for long."""
        for path in self.cache.iterdir():
            if path.is_file() and time.time() - path.stat().st_mtime > KEEP:
                path.unlink(missing_ok=True)


def _applied(evaluation: recipes.Evaluation) -> recipes.Recipe:
    """Give the recipe of the steps that could be applied."""
    steps = evaluation.recipe.steps[: len(evaluation.models)]
    return evaluation.recipe.model_copy(update={"steps": steps})


def _run(run: Smoothed) -> RunOut:
    off = np.abs(run.heights / run.wished - 1) if len(run.wished) else np.empty(0)
    return RunOut(
        sweeps=run.progress.sweeps,
        move=run.progress.move,
        folded=run.progress.folded,
        note=run.progress.note,
        heights_off=float(off.max(initial=0.0)),
        heights_within=float(np.mean(off <= 0.01)) if len(off) else 1.0,
        angles_within=float(np.mean(np.abs(run.angles - 90) <= 3)) if len(off) else 1.0,
        held=len(off),
    )
