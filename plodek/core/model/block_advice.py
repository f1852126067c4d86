"""Advice: what an experienced analyst would change in the blocks, each with the steps that do it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from plodek.core.blocks.angles import CornerAngles, opens_smoothly, shrunk
from plodek.core.blocks.layout import Edge, Layout, Side
from plodek.core.blocks.operations.near import Match, matches
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface

#: A block corner on a smooth guide opens too far beyond this, in degrees; and any is too sharp below that.
WIDE, SHARP = 150.0, 20.0
#: An edge within this share of the layout's size of a guide is likely meant to follow it.
NEAR = 0.02
#: What is nearer than this share of it is there.
_EXACT = 1e-9
#: A twin's corner nearer to a guide than this share of it, where it curves as tightly, meets a leading edge.
NOSE = 0.06
MOST_OF_A_KIND = 4


@dataclass(frozen=True)
class Advice:
    """A suggestion: its ``rule``, a sentence, the ``steps`` that take it (perhaps none), and where."""

    rule: str
    text: str
    steps: tuple[dict[str, Any], ...] = ()
    blocks: tuple[str, ...] = ()
    corners: tuple[str, ...] = ()
    edges: tuple[Edge, ...] = ()


def advise(model: Model) -> list[Advice]:
    """Look at the blocks of a model and suggest what would make them better. Steps have no ids yet."""
    if not model.layout.filled:
        return []
    angles = model.facts.angles
    rules: tuple[Callable[[Model, CornerAngles], list[Advice]], ...] = (
        _slits,
        _poles,
        _wide_corners,
        _sharp_corners,
        _near_edges,
        _twins_at_noses,
    )
    return [advice for rule in rules for advice in rule(model, angles)[:MOST_OF_A_KIND]]


def _poles(model: Model, angles: CornerAngles) -> list[Advice]:
    layout = model.layout
    names = shrunk(layout)
    if not names:
        return []
    if layout.dim == 2:
        return _in_the_plane(layout, names)
    return [
        Advice(
            "pole",
            f"{len(names)} blocks meet in a pole, which some solvers refuse: a butterfly core replaces it",
            ({"kind": "butterfly", "blocks": {"ids": names}},),
            tuple(names),
        )
    ]


def _in_the_plane(layout: Layout, names: list[str]) -> list[Advice]:
    """Propose a core for blocks that meet in one corner, as in a pole, and three blocks for one alone."""
    at: dict[str, list[str]] = {}
    for name in names:
        corners = layout.blocks[name].corners
        at.setdefault(next(c for c in corners if corners.count(c) > 1), []).append(name)
    found = []
    for pole, own in at.items():
        if len(own) > 1:
            text = (
                f"{len(own)} blocks meet in corner {layout.labels[pole]} as in a pole: a butterfly core "
                "replaces it"
            )
            step: dict[str, Any] = {"kind": "butterfly", "blocks": {"ids": own}}
            found.append(Advice("pole", text, (step,), tuple(own), (pole,)))
        else:
            text = f"block {layout.labels[own[0]]} has three sides: three blocks that meet in its middle"
            step = {"kind": "three", "block": {"ids": own}}
            found.append(Advice("three-sided", text, (step,), tuple(own)))
    return found


def _slits(model: Model, angles: CornerAngles) -> list[Advice]:
    """Join blocks that a slit parts: the second is placed where it is, and takes the corners of the first."""
    found = []
    for finding in model.facts.findings:
        if finding.gap is not None:
            names = " and ".join(model.layout.labels[block] for block in finding.blocks)
            step = {
                "kind": "place", "blocks": {"ids": [finding.blocks[1]]}, "shift": [0.0] * model.layout.dim,
                "copies": 0, "gap": float(f"{2 * finding.gap:.2g}"),
            }  # fmt: skip
            text = (
                f"blocks {names} are {finding.gap:.3g} {model.unit} apart where they should meet: join them"
            )
            found.append(Advice("slit", text, (step,), finding.blocks, finding.corners))
    return found


def _wide_corners(model: Model, angles: CornerAngles) -> list[Advice]:
    layout = model.layout
    found: dict[tuple[str, ...], Advice] = {}
    for n in np.argsort(-angles.degrees).tolist():
        if angles.degrees[n] <= WIDE:
            break
        block, corner, first, second = angles.where(n)
        guide = opens_smoothly(layout, first, second)
        if guide is None or not _smooth_at(model, guide, corner):
            continue
        hollow = tuple(b for b in layout.at_corner[corner] if layout.blocks[b].hollow)
        opens = f"corner {layout.labels[corner]} opens to {angles.degrees[n]:.0f}° on “{guide}”"
        if hollow:
            size = float(f"{0.05 * layout.size():.2g}")
            step = {"kind": "ring", "blocks": {"ids": list(hollow)}, "where": "around", "thickness": size}
            text = f"{opens}: a ring around the hollow takes the angle apart"
            found.setdefault(hollow, Advice("wide", text, (step,), (block,), (corner,)))
        else:
            step = {"kind": "butterfly", "blocks": {"ids": [block]}}
            text = f"{opens}: a ring inside block {layout.labels[block]} takes the angle apart"
            found.setdefault((block,), Advice("wide", text, (step,), (block,), (corner,)))
    return list(found.values())


def _smooth_at(model: Model, guide: str, corner: str) -> bool:
    curve = model.guides.get(guide)
    if not isinstance(curve, Curve):
        return True  # the edges lie on a surface
    at = curve.nearest(model.layout.places([corner]))
    gaps = np.abs(curve.corners - at)
    return not len(gaps) or float(np.minimum(gaps, 1 - gaps).min()) > 1e-6


def _sharp_corners(model: Model, angles: CornerAngles) -> list[Advice]:
    layout = model.layout
    found: dict[str, Advice] = {}
    for n in np.argsort(angles.degrees).tolist():
        if angles.degrees[n] >= SHARP:
            break
        block, corner, first, second = angles.where(n)
        text = f"corner {layout.labels[corner]} of block {layout.labels[block]} has {angles.degrees[n]:.0f}°"
        beside = [c for edge in (first, second) for c in edge if c != corner]
        steps: tuple[dict[str, Any], ...] = ()
        inner = next((c for c in (corner, *beside) if _moves_freely(model, c)), None)
        if inner is not None:
            around = {c for e in layout.edges if inner in e for c in e if c != inner}
            steps = ({"kind": "pin", "corner": {"ids": [inner]}, "to": _middle(model, sorted(around))},)
            text += f": with {layout.labels[inner]} amid its neighbours it would open"
        elif layout.corners[corner].fraction is not None:
            steps = ({"kind": "slide", "corner": {"ids": [corner]}, "near": _middle(model, beside)},)
            text += ": slid along its guide it would open"
        found.setdefault(corner, Advice("sharp", text, steps, (block,), (corner,)))
    return list(found.values())


def _moves_freely(model: Model, corner: str) -> bool:
    """Whether a corner is free, and not on the boundary."""
    layout = model.layout
    return layout.corners[corner].sign == "free" and not any(corner in side for side in layout.outer)


def _middle(model: Model, corners: list[str]) -> list[float]:
    """Give the mean place of corners, to six digits."""
    mean = model.layout.places(corners).mean(axis=0)
    return [float(f"{v:.6g}") for v in mean[: model.layout.dim]]


def _bends(model: Model, match: Match, exact: float) -> bool:
    """Whether a surface bends under a side whose edges run on it: its inside is not on it by itself."""
    middle = model.layout.places(match.corners).mean(axis=0)[None]
    off = model.surface(match.guide).onto(middle) - middle
    return float(np.abs(off).max()) > exact


def _near_edges(model: Model, angles: CornerAngles) -> list[Advice]:
    layout = model.layout
    within, exact = NEAR * layout.size(), _EXACT * layout.size()
    by_guide: dict[str, list[Edge]] = {}
    far: dict[str, float] = {}
    sides: dict[str, list[Side]] = {}
    guides = {name: g for name, g in model.own_guides.items() if isinstance(g, Curve | Surface)}
    for p in matches(layout, model.paths, guides, within):
        edge = (p.corners[0], p.corners[-1])
        if p.far <= exact and not (p.does == "lie" and _bends(model, p, exact)):
            continue
        if p.does == "follow" and edge not in layout.bends:
            by_guide.setdefault(p.guide, []).append(edge)
            far[p.guide] = max(far.get(p.guide, 0.0), p.far)
        elif p.does == "lie":
            sides.setdefault(p.guide, []).append(p.corners)
            far[p.guide] = max(far.get(p.guide, 0.0), p.far)

    def told(distance: float) -> str:
        return f"{distance:.2g}" if distance > exact else "0"

    return [
        Advice(
            "near",
            f"{len(found)} side{'s lie' if len(found) > 1 else ' lies'} within {told(far[guide])} "
            f"{model.unit} of “{guide}” but not on it",
            ({"kind": "follow", "guide": guide, "edges": {"sides": [list(side) for side in found]}},),
            corners=tuple(dict.fromkeys(corner for side in found for corner in side)),
        )
        for guide, found in sides.items()
    ] + [
        Advice(
            "near",
            f"{len(edges)} edge{'s lie' if len(edges) > 1 else ' lies'} within {far[guide]:.2g} {model.unit} "
            f"of “{guide}” but not on it",
            ({"kind": "follow", "guide": guide, "edges": {"edges": [list(e) for e in edges]}},),
            edges=tuple(edges),
        )
        for guide, edges in by_guide.items()
    ]


def _twins_at_noses(model: Model, angles: CornerAngles) -> list[Advice]:
    layout = model.layout
    corners = dict.fromkeys(c for twin in layout.twins for pair in twin.corners.items() for c in pair)
    found = []
    for corner in corners:
        place = layout.places([corner])
        for name, guide in model.own_guides.items():
            if not isinstance(guide, Curve) or not guide.closed:
                continue
            s = guide.nearest(place)
            near = float(np.linalg.norm(guide.at(s) - place)) <= NOSE * guide.length
            if near and float(guide.curvature(s)[0]) * guide.length * NOSE > 1:
                text = (
                    f"the twin side meets “{name}” at its leading edge in corner {layout.labels[corner]}: "
                    "put it half-way between two of them"
                )
                found.append(Advice("twin-nose", text, (), (), (corner,)))
    return found
