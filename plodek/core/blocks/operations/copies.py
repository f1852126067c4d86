"""Moving and copying groups of blocks: shifted, turned, mirrored, or brought in from another layout."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np
import scipy

from plodek.core.arrays import place
from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Corner, Edge, Follow, Layout, Name, edge_of, side_of, stable_id
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.blocks.soundness import check
from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.curves.compound import MovedCurve, Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, surface_named
from plodek.core.shape.joined import is_own, names_in
from plodek.core.shape.lattice import Lattice
from plodek.core.shape.move import Move
from plodek.core.shape.surfaces.moved_surface import moved_surface
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.tolerances import SAME_PLACE


def moved(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    chosen: Iterable[str],
    move: Move,
    *,
    keep: bool,
    gap: float | None = None,
) -> Change:
    """Move blocks, or copies of them where the old ones are to ``keep``; corners that meet are joined.

    Corners meet within ``gap``, or at the same place where it is None. What followed a guide keeps its
    shape where it comes to lie, and edges their spacing unless they are scaled. Raises BadValue where a
    copy would lie on the block it was made of, Refused where the layout would break.
    """
    part, surfaces = _part(layout, guides, set(chosen), move, step)
    rest = layout
    if not keep:
        left = {n: b for n, b in layout.blocks.items() if n not in set(chosen)}
        rest = replace(layout, blocks=left).tidied()
    done = join(rest, part, gap)
    names = meeting(rest, part, gap)
    shares = {
        new: Share(edge, same=new[0] == ends[0])
        for edge in layout.edges
        if move.scale == 1.0 and all(stable_id(step, c) in part.corners for c in edge)
        for ends in ([names.get(stable_id(step, c), stable_id(step, c)) for c in edge],)
        if (new := edge_of(*ends)) in done.layout.edges and new not in rest.edges
    }
    return replace(done, surfaces=surfaces, shares=shares)


def brought_in(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    other: Layout,
    other_guides: Mapping[str, Guide],
    move: Move,
    gap: float | None = None,
) -> Change:
    """Bring another layout in after a move; edges that follow guides of names known here follow those.

    Raises BadValue where one layout is plane and the other is not.
    """
    if layout.blocks and other.dim != layout.dim:
        raise BadValue(
            "one layout is plane and the other in space", remedy="lift the plane one before, or neither"
        )
    part, surfaces = _part(other, other_guides, set(other.blocks), move, step)
    # Straight corners (a) map to part ids by the same rule as in `_part`.
    follows = {
        _named(step, edge): Follow(f.guide, f.forward == (_ids(step, edge)[0] < _ids(step, edge)[1]))
        for edge, f in other.follows.items()
        if f.guide in guides
    }
    corners = dict(part.corners)
    for edge, follow in follows.items():
        guide = guides[follow.guide]
        for corner in edge:
            xyz = np.array([corners[corner].xyz])
            if isinstance(guide, Curve):
                fraction = guide.nearest(xyz)
                there = place(guide.at(fraction)[0])
                corners[corner] = Corner(there, "guide", follow.guide, float(fraction[0]))
    bends = {e: b for e, b in part.bends.items() if e not in follows}
    part = replace(part, corners=corners, follows=dict(part.follows) | follows, bends=bends)
    done = join(replace(layout, dim=other.dim) if not layout.blocks else layout, part, gap)
    return replace(done, surfaces=surfaces)


def _ids(step: str, edge: Edge) -> tuple[str, str]:
    return stable_id(step, edge[0]), stable_id(step, edge[1])


def _named(step: str, edge: Edge) -> Edge:
    return edge_of(*_ids(step, edge))


def _part(
    layout: Layout, guides: Mapping[str, Guide], chosen: set[str], move: Move, step: str
) -> tuple[Layout, dict[str, Surface]]:
    """Make a layout of the moved blocks alone, with ids of their own, and the surfaces it lies on."""
    old = list(dict.fromkeys(c for n, block in layout.blocks.items() if n in chosen for c in block.corners))
    if not old:
        raise NothingFound("there is no block to move", remedy="choose blocks")
    ids = {c: stable_id(step, c) for c in old}
    places = move.places(layout.places(old))
    if layout.dim == 2 and np.ptp(np.append(places[:, 2], 0.0)) > 1e-9 * layout.size():
        raise BadValue("the move leaves the plane", remedy="shift in x and y, and turn about z")
    corners = {
        ids[c]: Corner(place(xyz), "pinned" if layout.corners[c].sign == "pinned" else "free")
        for c, xyz in zip(old, places, strict=True)
    }
    blocks = {}
    for name in (n for n in layout.blocks if n in chosen):
        own = tuple(ids[c] for c in layout.blocks[name].corners)
        if move.mirrors:  # the first axis turns round, so that the block stays right-handed
            own = tuple(own[n ^ 1] for n in range(len(own)))
        blocks[stable_id(step, name)] = replace(layout.blocks[name], corners=own)
    shapes = _Shapes(layout, guides, ids, move, step)
    moulds = _moulds(layout, ids, chosen, move, step)
    part = Layout(layout.dim, corners, blocks, shapes.follows, shapes.bends, shapes.lies, moulds=moulds)
    return part.tidied(), shapes.surfaces


def _moulds(
    layout: Layout, ids: Mapping[str, str], chosen: set[str], move: Move, step: str
) -> dict[Name, Mould]:
    """Move the moulds of blocks and of their sides, with the lattices that these stand in."""
    lattices: dict[Lattice, Lattice] = {}
    found: dict[Name, Mould] = {}
    for name, mould in layout.moulds.items():
        if name not in chosen if isinstance(name, str) else not all(c in ids for c in name):
            continue
        if mould.lattice not in lattices:
            lattices[mould.lattice] = mould.lattice.moved(move)
        there = replace(mould.renamed(ids), lattice=lattices[mould.lattice])
        if isinstance(name, str):
            there = there.turned_round() if move.mirrors else there
            found[stable_id(step, name)] = there
        else:
            found[side_of(*there.corners)] = there
    return found


class _Shapes:
    """What the edges and sides of moved blocks follow and lie on; ``ids`` are the corners' new ones."""

    def __init__(
        self, layout: Layout, guides: Mapping[str, Guide], ids: Mapping[str, str], move: Move, step: str
    ) -> None:
        self._guides, self._move, self._step = guides, move, step
        self.surfaces: dict[str, Surface] = {}
        self.follows: dict[Edge, Follow] = {}
        self.bends: dict[Edge, Curve] = {}
        for a, b in layout.edges:
            if a not in ids or b not in ids:
                continue
            there, follow = edge_of(ids[a], ids[b]), layout.follows.get((a, b))
            if follow is not None and isinstance(guides[follow.guide], Surface):
                self.follows[there] = Follow(self._moved(follow.guide), True)
                curve = layout.bends.get((a, b))
            else:
                curve = edge_path(layout, guides, (a, b)).as_curve()
            if curve is not None:
                own = curve if there[0] == ids[a] else Part(curve, 1.0, 0.0)
                self.bends[there] = MovedCurve(own, move)
        self.lies = {
            side_of(*(ids[c] for c in side)): self._moved(guide)
            for side, guide in layout.lies.items()
            if all(c in ids for c in side)
        }

    def _moved(self, guide: str) -> str:
        """Move a surface, once; gives its name after that."""
        name = stable_id(self._step, "surface", guide)
        if name not in self.surfaces:
            before = surface_named(self._guides, guide)
            self.surfaces[name] = after = moved_surface(before, self._move, name)
            after.made_of = (guide,) if is_own(before) else names_in(before)
        return name


def meeting(layout: Layout, part: Layout, gap: float | None = None) -> dict[str, str]:
    """Give the corners of a part that lie at corners of a layout, within ``gap``, each with that one."""
    if not layout.corners:
        return {}
    within = SAME_PLACE * max(layout.size(), part.size()) * 10 if gap is None else gap
    there = list(layout.corners)
    found = scipy.spatial.cKDTree(layout.places(there)).query(part.places(part.corners))
    gaps, nearest = (np.atleast_1d(values) for values in found)
    return {c: there[n] for c, d, n in zip(part.corners, gaps, nearest, strict=True) if d <= within}


def join(layout: Layout, part: Layout, gap: float | None = None) -> Change:
    """Put two layouts together; corners of the part become those of the layout that they meet.

    Raises BadValue where a block of the part would be one that is there already.
    """
    names = meeting(layout, part, gap)
    whole = replace(
        layout,
        dim=part.dim,
        corners=dict(part.corners) | dict(layout.corners),
        blocks=dict(layout.blocks) | dict(part.blocks),
        follows=dict(part.follows) | dict(layout.follows),
        bends=dict(part.bends) | dict(layout.bends),
        lies=dict(part.lies) | dict(layout.lies),
        moulds=dict(part.moulds) | dict(layout.moulds),
        twins=(*layout.twins, *part.twins),
    )
    joined = whole.renamed(names) if names else whole
    # Where both have an edge or a side, the shape of the one that was there stays.
    mine = set(layout.edges)
    follows = {e: f for e, f in joined.follows.items() if e not in mine} | dict(layout.follows)
    bends = {e: b for e, b in joined.bends.items() if e not in mine} | dict(layout.bends)
    lies = {s: name for s, name in joined.lies.items() if s not in layout.sides} | dict(layout.lies)
    moulds = dict(joined.moulds) | dict(layout.moulds)
    joined = replace(joined, follows=follows, bends=bends, lies=lies, moulds=moulds)
    seen: dict[tuple[str, ...], str] = {}
    for name, block in joined.blocks.items():
        key = side_of(*block.corners)
        if key in seen:
            raise BadValue(
                f"block {joined.labels[name]} would lie on {joined.labels[seen[key]]}",
                remedy="move it further, or choose other blocks",
            )
        seen[key] = name
    order = [c for c in [*layout.corners, *part.corners] if c in joined.corners]
    return Change(check(replace(joined, corners={c: joined.corners[c] for c in order}).tidied()))
