"""Pictures of grids for reports and the command line, drawn without a screen: outside, sections, histograms.

Faces are drawn from the furthest to the nearest, as the camera of the view sees them in parallel sight.
"""

from __future__ import annotations

import io

import matplotlib as mpl
import numpy as np
import scipy
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.cm import ScalarMappable
from matplotlib.collections import PolyCollection
from matplotlib.colors import LogNorm, Normalize
from matplotlib.figure import Figure

from plodek.core.arrays import Floats, Ints
from plodek.core.check.geometry import cells_at
from plodek.core.check.listing import cut_at
from plodek.core.check.look.pieces import Pieces, cells_of
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import DEFAULT_LIMITS, LENGTH, Metric, there
from plodek.core.check.metrics import known
from plodek.core.check.quality import Histogram
from plodek.core.dryrun.outside import Outside
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window

#: Where the camera stands: as in the view.
_FROM = np.array([-0.75, -1.15, 0.95])
#: Faces that are drawn at most; sides with more are drawn by every second, third … line.
_MOST_FACES = 60_000
#: Size of a picture in inches, and dots in an inch.
_SIZE, _DOTS = (7.2, 4.4), 150
_INK, _MADDER, _RULE, _PAPER = "#22303c", "#a3243b", "#ddd6c7", "#fffdf8"
#: Colour of a face that a metric says nothing of.
_PLAIN = "#f4f0e6"
_CLEAR = (0.0, 0.0, 0.0, 0.0)


def outside(cells: CellValues, metric: Metric, unit: str = "") -> bytes:
    """Draw a grid from outside, its cells coloured by a metric, as PNG."""
    figure, axes = _empty()
    grid = cells.grid
    faces, owners = _outer_faces(grid)
    _draw_faces(
        axes, faces, _colours(cells.of(metric.key)[owners], _scale(cells, metric), metric), flat=grid.dim == 2
    )
    _colour_bar(figure, axes, cells, metric, unit)
    return _png(figure)


def section_picture(
    cells: CellValues, cut: Pieces, metric: Metric, unit: str = "", limit: float | None = None
) -> bytes:
    """Draw what a section cuts out of a grid, as PNG; cells that miss a ``limit`` are outlined."""
    figure, axes = _empty()
    normal = _normal_of(cut.places)
    frame = _frame(normal) if normal is not None else _sight()
    shown = cut.places @ frame.T
    polygons = [shown[a:b, :2] for a, b in zip(cut.start[:-1], cut.start[1:], strict=True)]
    values = cells.of(metric.key)[cut.cells]
    missed = metric.misses(values, limit) if limit is not None else np.zeros(len(values), dtype=bool)
    depth = np.add.reduceat(shown[:, 2], cut.start[:-1]) / np.diff(cut.start)
    _paint(axes, polygons, depth, _colours(values, _scale(cells, metric), metric))
    if missed.any():
        bad = [polygons[n] for n in np.flatnonzero(missed)]
        axes.add_collection(PolyCollection(bad, facecolors="none", edgecolors=_MADDER, linewidths=1.2))
    _fit(axes, shown[:, :2])
    _colour_bar(figure, axes, cells, metric, unit)
    return _png(figure)


def cells_picture(cells: CellValues, chosen: Ints, metric: Metric, unit: str = "") -> bytes:
    """Draw chosen cells (n,) alone within the outline of the grid, as PNG."""
    figure, axes = _empty()
    grid = cells.grid
    frame = _sight() if grid.dim == 3 else np.eye(3)
    for line in _outlines(grid):
        seen = line @ frame.T
        axes.plot(seen[:, 0], seen[:, 1], color=_INK, linewidth=0.4, alpha=0.45)
    if len(chosen):
        pieces = cells_of(grid, chosen)
        faces = pieces.places.reshape(-1, 4, 3)
        colours = _colours(cells.of(metric.key)[pieces.cells], _scale(cells, metric), metric)
        _draw_faces(axes, faces, colours, flat=grid.dim == 2, fit=False)
        middles = faces.mean(axis=1) @ frame.T
        axes.plot(middles[:, 0], middles[:, 1], "o", color=_MADDER, markersize=7, fillstyle="none", alpha=0.5)
    axes.autoscale()
    _colour_bar(figure, axes, cells, metric, unit)
    return _png(figure)


def flow_picture(seen: Outside, factor: float = 1.0) -> bytes:
    """Draw the flow of a dry run on the outside of its grid, with lines of equal potential, as PNG.

    Its numbers are ``factor`` times those that the grid has in the project.
    """
    figure, axes = _empty()
    normal = _normal_of(seen.points)
    frame = _frame(normal) if normal is not None else _sight()
    faces, lines = (xyz / factor @ frame.T for xyz in (seen.points[seen.faces], seen.lines))
    scale = Normalize(float(seen.speed.min()), max(float(seen.speed.max()), float(seen.speed.min()) + 1e-9))
    colours = np.concatenate([mpl.colormaps["cividis"](scale(seen.speed)), np.tile(_CLEAR, (len(lines), 1))])
    edges = np.concatenate([colours[: len(faces)], np.tile(mpl.colors.to_rgba(_INK), (len(lines), 1))])
    depth = faces[..., 2].mean(axis=1)
    if len(lines):  # drawn after the faces around them
        beside = scipy.spatial.cKDTree(faces.mean(axis=1)).query(lines.mean(axis=1), k=min(2, len(faces)))[1]
        depth = np.concatenate(
            [depth, np.nextafter(depth[beside].reshape(len(lines), -1).max(axis=1), np.inf)]
        )
    _paint(axes, [*faces[..., :2], *lines[..., :2]], depth, colours, edges)
    _fit(axes, faces[..., :2].reshape(-1, 2))
    _scale_bar(figure, axes, ScalarMappable(scale, "cividis"), "speed, as times that at the inlets")
    return _png(figure)


def histogram_picture(found: Histogram, metric: Metric, unit: str = "", limit: float | None = None) -> bytes:
    """Draw a histogram, as shares of the cells on a scale by factors, with the limit, as PNG."""
    figure, axes = _empty((7.2, 2.4))
    axes.set_axis_on()
    total = max(sum(found.counts), 1)
    shares = np.array(found.counts) / total
    middles = 0.5 * (found.bounds[:-1] + found.bounds[1:])
    by_factors = metric.log and found.bounds[0] > 0
    scale = LogNorm if by_factors else Normalize
    norm = scale(found.bounds[0], found.bounds[-1])
    share = norm(middles) if metric.better == "high" else 1 - norm(middles)
    axes.bar(
        found.bounds[:-1], shares, np.diff(found.bounds), align="edge",
        color=mpl.colormaps["cividis"](share), edgecolor=_INK, linewidth=0.3,
    )  # fmt: skip
    axes.set_yscale("log")
    if by_factors:
        axes.set_xscale("log")
    if limit is not None:
        axes.axvline(limit, color=_MADDER, linewidth=1.5)
    axes.set_xlabel(_words(metric, unit))
    axes.set_ylabel("share of the cells")
    return _png(figure)


def picture_of(cells: CellValues, metric: str, place: str | None, unit: str) -> bytes:
    """Draw a section at a plane such as ``x=0.3``, or the outside where none is named, as PNG.

    Raises BadValue for no metric or no plane, NothingFound for a plane beside the grid.
    """
    shown = known(metric)
    if place is None:
        return outside(cells, shown, unit)
    limit = DEFAULT_LIMITS.get(metric)
    return section_picture(cells, cut_at(cells.grid, place), shown, unit, limit)


def _empty(size: tuple[float, float] = _SIZE) -> tuple[Figure, Axes]:
    figure = Figure(figsize=size, dpi=_DOTS, layout="constrained", facecolor=_PAPER)
    FigureCanvasAgg(figure)
    axes = figure.add_subplot()
    axes.set_facecolor(_PAPER)
    axes.set_axis_off()
    return figure, axes


def _png(figure: Figure) -> bytes:
    with mpl.rc_context({"font.size": 8, "axes.linewidth": 0.5}):
        file = io.BytesIO()
        figure.savefig(file, format="png", facecolor=_PAPER)
    return file.getvalue()


def _words(metric: Metric, unit: str) -> str:
    shown = unit if metric.unit == LENGTH else metric.unit
    return f"{metric.label} ({shown})" if shown else metric.label


def _scale(cells: CellValues, metric: Metric) -> Normalize:
    """Give the scale of a metric's colours: from the least to the largest value there is."""
    values = there(cells.of(metric.key))
    values = values[np.isfinite(values)]
    low, high = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
    if low == high:
        low, high = low - 0.5 * max(abs(low), 1e-9), high + 0.5 * max(abs(high), 1e-9)
    return LogNorm(low, high) if metric.log and low > 0 else Normalize(low, high)


def _map_of(metric: Metric) -> str:
    """Name the colours of a metric: bright where its values are good."""
    return "cividis" if metric.better == "high" else "cividis_r"


def _colours(values: Floats, scale: Normalize, metric: Metric) -> Floats:
    """Give the colours (n, 4) of values."""
    largest = 1.0 if scale.vmax is None else scale.vmax
    share = np.asarray(np.clip(scale(np.where(np.isfinite(values), values, largest)), 0, 1))
    found = mpl.colormaps[_map_of(metric)](share)
    found[np.isnan(values)] = mpl.colors.to_rgba(_PLAIN)
    return np.asarray(found)


def _colour_bar(figure: Figure, axes: Axes, cells: CellValues, metric: Metric, unit: str) -> None:
    _scale_bar(figure, axes, ScalarMappable(_scale(cells, metric), _map_of(metric)), _words(metric, unit))


def _scale_bar(figure: Figure, axes: Axes, scale: ScalarMappable, words: str) -> None:
    bar = figure.colorbar(scale, ax=axes, orientation="horizontal", fraction=0.05, pad=0.02, aspect=50)
    bar.set_label(words, fontsize=8)
    bar.ax.tick_params(labelsize=7)


def _frame(normal: Floats) -> Floats:
    """Give the axes (3, 3) of a picture that looks against a normal: right, up, and towards the eye."""
    up = np.array([0.0, 0.0, 1.0]) if abs(normal[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    right = np.cross(up, normal)
    right /= np.linalg.norm(right)
    return np.stack([right, np.cross(normal, right), normal])


def _sight() -> Floats:
    return _frame(_FROM / np.linalg.norm(_FROM))


def _normal_of(places: Floats) -> Floats | None:
    """Give the normal of places (n, 3) that lie in a plane, None where they do not."""
    _, sizes, axes = np.linalg.svd(places - places.mean(axis=0), full_matrices=False)
    if len(sizes) < 3 or sizes[2] > 1e-6 * sizes[0]:
        return None
    normal: Floats = axes[2]
    return normal if (normal @ _FROM) > 0 else -normal


def _draw_faces(axes: Axes, faces: Floats, colours: Floats, *, flat: bool, fit: bool = True) -> None:
    """Draw faces (n, 4, 3) in their colours."""
    seen = faces @ (np.eye(3) if flat else _sight()).T
    _paint(axes, list(seen[..., :2]), seen[..., 2].mean(axis=1), colours)
    if fit:
        _fit(axes, seen[..., :2].reshape(-1, 2))


def _paint(
    axes: Axes, polygons: list[Floats], depth: Floats, colours: Floats, edges: Floats | None = None
) -> None:
    """Draw polygons of places (k, 2) in their colours (n, 4), those of the least ``depth`` (n,) first."""
    order = np.argsort(depth, kind="stable")
    shown = [polygons[n] for n in order]
    width = 0.2 if len(shown) < 20_000 else 0.05
    ink = _INK if edges is None else edges[order]
    axes.add_collection(PolyCollection(shown, facecolors=colours[order], edgecolors=ink, linewidths=width))


def _fit(axes: Axes, places: Floats) -> None:
    low, high = places.min(axis=0), places.max(axis=0)
    room = 0.02 * max(*(high - low), 1e-300)
    axes.set_xlim(low[0] - room, high[0] + room)
    axes.set_ylim(low[1] - room, high[1] + room)
    axes.set_aspect("equal")


def _outer_faces(grid: Grid) -> tuple[Floats, Ints]:
    """Give the faces (n, 4, 3) that a grid is seen by from outside, and their cells (n,)."""
    if grid.dim == 2:
        windows = [Window(b, 2, 0) for b in range(len(grid.xyz))]
    else:
        named = [w for patch in grid.patches for w in patch.windows]
        every = [Window(b, axis, end) for b in range(len(grid.xyz)) for axis in range(3) for end in (0, 1)]
        windows = [*named, *grid.unnamed] or every  # of node arrays alone nothing is known
    total = sum(grid.faces(window) for window in windows)
    step = max(1, int(np.ceil((total / _MOST_FACES) ** 0.5)))
    faces, owners = [np.empty((0, 4, 3))], [np.empty(0, dtype=np.int64)]
    for window in windows:
        nodes = np.squeeze(grid.nodes(window), axis=window.axis)
        rows, columns = (_lines(n, step) for n in nodes.shape[:2])
        thin = nodes[np.ix_(rows, columns)]
        quads = np.stack([thin[:-1, :-1], thin[1:, :-1], thin[1:, 1:], thin[:-1, 1:]], axis=2)
        own = np.squeeze(cells_at(grid, window), axis=window.axis)
        faces.append(quads.reshape(-1, 4, 3))
        owners.append(own[np.ix_(rows[:-1], columns[:-1])].ravel())
    return np.concatenate(faces), np.concatenate(owners)


def _lines(nodes: int, step: int) -> Ints:
    """Give the numbers of every so many lines of nodes, the first and last among them."""
    return np.unique(np.append(np.arange(0, nodes, step), nodes - 1))


def _outlines(grid: Grid) -> list[Floats]:
    """Give the edges of blocks as lines of nodes (n, 3)."""
    found = []
    for nodes in grid.xyz:
        for axis in range(grid.dim):
            others = [a for a in range(3) if a != axis]
            for m in range(4):
                at: list[int | slice] = [slice(None)] * 3
                at[others[0]], at[others[1]] = -(m & 1), -(m >> 1)
                found.append(nodes[tuple(at)])
    return found
