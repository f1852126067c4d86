"""The worth of the grid of a recipe: as filled, smoothed as the form proposes it, and polished after that."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.build.build import Built, build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.errors import NothingFound, PlodekError
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from tests.conftest import DEMO, demo_file

HERE = Path(__file__).parent
KEPT = HERE / "ledger.json"
#: Demos that take seconds: the others' grids are held by tests of their own.
DEMOS = ("dewatering-bend", "gate-chamber", "outfall-fin")
RUNS = ("smooth", "polish", "untangle")
#: The runs that are measured: each is a list of steps that come last.
SMOOTH = {"kind": "smooth", "id": "ledger-smooth", "folded": "untangle first"}
POLISH = {"kind": "polish", "id": "ledger-polish", "sweeps": 300}


def recipes() -> dict[str, Path]:
    """Give the files of all recipes by their names."""
    own = sorted((HERE / "recipes").glob("*.json"))
    return {path.stem: path for path in [*own, *(DEMO / f"{name}.json" for name in DEMOS)]}


def worth_of(path: Path) -> dict[str, dict[str, float]]:
    """Give the figures of a recipe's grid after each of the three."""
    steps, smooth = parts_of(path)
    return {
        "filled": _figures(model_of(steps, path)),
        "smoothed": _figures(model_of([*steps, smooth], path)),
        "polished": _figures(model_of([*steps, smooth, POLISH], path)),
    }


def ends_of(path: Path) -> list[Built]:
    """Give the grids that smoothing ends at, from coarser grids and from the grid as it is."""
    steps, smooth = parts_of(path)
    starts = ("from coarser grids", "from the grid as it is")
    return [build(model_of([*steps, smooth | {"start": start, "sweeps": 3000}], path)) for start in starts]


def apart(one: Grid, other: Grid) -> float:
    """Give how far nodes are apart at most, as a share of the shortest edge at them."""
    most = 0.0
    for first, second in zip(one.xyz, other.xyz, strict=True):
        least = np.full(first.shape[:3], np.inf)
        for axis in range(one.dim):
            edge = np.moveaxis(np.linalg.norm(np.diff(first, axis=axis), axis=-1), axis, 0)
            along = np.moveaxis(least, axis, 0)
            for part in (along[:-1], along[1:]):
                np.minimum(part, np.where(edge > 0, edge, np.inf), out=part)
        most = max(most, float((np.linalg.norm(first - second, axis=-1) / least).max()))
    return most


def parts_of(path: Path) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """Give the steps without runs, and the run that suits them: with wall control, where there is a wall."""
    steps = [step for step in json.loads(path.read_bytes())["steps"] if step["kind"] not in RUNS]
    try:
        model_of([*steps, SMOOTH], path)
    except NothingFound:
        return steps, SMOOTH | {"control": "interior control"}
    return steps, SMOOTH


def model_of(steps: list[dict[str, Any]], path: Path) -> Model:
    def read(name: str) -> bytes:
        own = path.parent / name
        return own.read_bytes() if own.exists() else demo_file(name)

    form = json.loads(path.read_bytes())["plodek"]
    found = Evaluator().evaluate(document.of({"plodek": form, "steps": steps}), Files(read))
    if found.error is not None:
        raise found.error
    return found.model


def _figures(model: Model) -> dict[str, float]:
    """Give angles in degrees, the worst and that of the worst hundredth, ratios and shares."""
    built = build(model)
    cells = measure(built.grid)
    low, high = cells.of("smallest_angle"), cells.of("largest_angle")
    heights = [one.held for one in walls_of(model, built.grid).heights if one.held is not None]
    found = {
        "smallest_angle": low.min(),
        "smallest_1": np.quantile(low, 0.01),
        "largest_angle": high.max(),
        "largest_1": np.quantile(high, 0.99),
        "volume_ratio": np.nanmax(cells.of("volume_ratio")),
        "folded": cells.folded.sum(),
        "heights_held": min(heights, default=1.0),
    }
    if built.runs:
        found |= {
            "sweeps": sum(r.progress.sweeps for r in built.runs),
            "yielded": sum(r.yielded for r in built.runs),
        }
    return {key: float(f"{value:.5g}") for key, value in found.items()}


def worse(kept: dict[str, dict[str, float]], now: dict[str, dict[str, float]]) -> list[str]:
    """Tell what has fallen by more than a degree or a hundredth."""
    found = []
    for state, before in kept.items():
        after = now.get(state, {})
        for key in ("smallest_angle", "smallest_1"):
            if after.get(key, 0.0) < before[key] - 1.0:
                found.append(f"{state}: {key} {before[key]} → {after.get(key)}")
        for key in ("largest_angle", "largest_1"):
            if after.get(key, 360.0) > before[key] + 1.0:
                found.append(f"{state}: {key} {before[key]} → {after.get(key)}")
        if after.get("volume_ratio", np.inf) > 1.01 * before["volume_ratio"]:
            found.append(f"{state}: volume_ratio {before['volume_ratio']} → {after.get('volume_ratio')}")
        if after.get("heights_held", 0.0) < before["heights_held"] - 0.01:
            found.append(f"{state}: heights_held {before['heights_held']} → {after.get('heights_held')}")
        if after.get("folded", np.inf) > before["folded"]:
            found.append(f"{state}: folded {before['folded']} → {after.get('folded')}")
    return found


def main() -> int:
    """Draw the table against the kept one; with ``--keep`` it takes its place."""
    kept = json.loads(KEPT.read_text()) if KEPT.exists() else {}
    names, found, fallen = sys.argv[1:] and [a for a in sys.argv[1:] if a != "--keep"], {}, 0
    for name, path in recipes().items():
        if names and name not in names:
            continue
        try:
            found[name] = worth_of(path)
        except PlodekError as error:
            print(f"{name:28} {error}")
            continue
        print(f"{name:28}", *(_shown(state, one) for state, one in found[name].items()), sep="  ", flush=True)
        for line in worse(kept.get(name, {}), found[name]):
            print(f"{'':30}FALLEN {line}")
            fallen += 1
    if "--keep" in sys.argv:
        KEPT.write_text(json.dumps(kept | found, indent=1, sort_keys=True) + "\n")
    return 1 if fallen else 0


def _shown(state: str, one: dict[str, float]) -> str:
    folded = f", {one['folded']:.0f} folded" if one["folded"] else ""
    return (
        f"{state} {one['smallest_angle']:.1f}–{one['largest_angle']:.1f}° (1 %: {one['smallest_1']:.0f}–"
        f"{one['largest_1']:.0f}°) ×{one['volume_ratio']:.2f}{folded}"
    )


if __name__ == "__main__":
    sys.exit(main())
