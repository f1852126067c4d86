"""Measuring guides and places: places, distances, angles, lengths, areas, radii of curvature, extents."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.surfaces.surface import SmoothSurface, Surface

Wish = Literal["place", "distance", "angle", "length", "area", "radius", "extent"]


@dataclass(frozen=True)
class Target:
    """What is measured: a guide, or a place (3,), or a place on a guide."""

    name: str
    guide: Guide | None = None
    xyz: Floats | None = None

    @property
    def at(self) -> Floats | None:
        """The place (3,) that is meant, None for a whole curve or surface."""
        if isinstance(self.guide, Point):
            return np.array(self.guide.xyz)
        if self.xyz is None or self.guide is None:
            return self.xyz
        return onto(self.guide, self.xyz)


@dataclass(frozen=True)
class Measured:
    """A result: numbers with what each is, its power of the length unit (None: degrees), and a mark."""

    values: tuple[tuple[str, float, int | None], ...]
    #: Places (n, 3) that show where it was measured: a point, or a line.
    mark: Floats


def onto(guide: Guide, xyz: Floats) -> Floats:
    """Give the place (3,) on a guide nearest to a place (3,)."""
    if isinstance(guide, Point):
        return np.array(guide.xyz)
    if isinstance(guide, Surface):
        return np.asarray(guide.onto(xyz[None, :])[0])
    return np.asarray(guide.at(guide.nearest(xyz[None, :]))[0])


def measure(wish: Wish, targets: Sequence[Target]) -> Measured:
    """Measure targets. Raises BadValue where they are too few or of the wrong kind, saying what is needed."""
    if not targets:
        raise BadValue("nothing is chosen to measure", remedy="choose guides or type places")
    return {
        "place": _place,
        "distance": _distance,
        "angle": _angle,
        "length": _length,
        "area": _area,
        "radius": _radius,
        "extent": _extent,
    }[wish](targets)


def _need(targets: Sequence[Target], count: int, what: str) -> None:
    if len(targets) != count:
        raise BadValue(f"{what} needs {count} and got {len(targets)}", remedy="choose as many")


def _place(targets: Sequence[Target]) -> Measured:
    _need(targets, 1, "a place")
    at = targets[0].at
    if at is None:
        raise BadValue(
            f"“{targets[0].name}” is a whole {_kind(targets[0])}", remedy="say where on it, or choose a point"
        )
    return Measured(tuple((axis, float(v), 1) for axis, v in zip("xyz", at, strict=True)), at[None, :])


def _distance(targets: Sequence[Target]) -> Measured:
    _need(targets, 2, "a distance")
    a, b = nearest_places(*targets)
    step = b - a
    parts = tuple((f"Δ{axis}", float(v), 1) for axis, v in zip("xyz", step, strict=True))
    return Measured((("distance", float(np.linalg.norm(step)), 1), *parts), np.stack([a, b]))


def nearest_places(first: Target, second: Target) -> tuple[Floats, Floats]:
    """Give the places (3,) at which two targets come nearest to each other.

    Between whole guides: from the nearest of samples on by turns of projecting onto each, which can
    only come nearer (von Neumann's alternating projections).
    """
    a, b = first.at, second.at
    if a is not None and b is not None:
        return a, b
    if a is not None:
        assert second.guide is not None
        return a, onto(second.guide, a)
    if b is not None:
        assert first.guide is not None
        return onto(first.guide, b), b
    assert first.guide is not None
    assert second.guide is not None
    samples = places_of(first.guide)
    on = _all_onto(second.guide, samples)
    best = int(np.argmin(np.linalg.norm(samples - on, axis=1)))
    a, b = samples[best], on[best]
    for _ in range(400):
        after = onto(first.guide, b)
        b = onto(second.guide, after)
        if np.linalg.norm(after - a) <= 1e-14 * (1 + np.linalg.norm(a)):
            break
        a = after
    return a, b


def _all_onto(guide: Guide, xyz: Floats) -> Floats:
    if isinstance(guide, Surface):
        return guide.onto(xyz)
    if isinstance(guide, Curve):
        return guide.at(guide.nearest(xyz))
    return np.tile(np.array(guide.xyz), (len(xyz), 1))


def places_of(guide: Guide) -> Floats:
    """Give places (n, 3) all over a guide."""
    if isinstance(guide, Surface):
        return guide.facets.xyz
    return guide.drawing if isinstance(guide, Curve) else np.array([guide.xyz])


def _angle(targets: Sequence[Target]) -> Measured:
    places = [target.at for target in targets]
    if len(targets) == 3 and all(place is not None for place in places):
        a, b, c = (np.asarray(place) for place in places)
        ways = a - b, c - b
        mark = np.stack([a, b, c])
    elif len(targets) == 2 and all(isinstance(t.guide, Curve) for t in targets):
        at = nearest_places(Target("", targets[0].guide), Target("", targets[1].guide))
        curves = [t.guide for t in targets if isinstance(t.guide, Curve)]
        ways = tuple(c.tangent(c.nearest(xyz[None, :]))[0] for c, xyz in zip(curves, at, strict=True))
        mark = np.stack(at)
    else:
        raise BadValue(
            "an angle needs three places, the middle one its tip, or two curves", remedy="choose those"
        )
    sizes = [float(np.linalg.norm(way)) for way in ways]
    if not min(sizes) > 0:
        raise BadValue("two of the places are the same", remedy="choose places apart")
    cosine = float(ways[0] @ ways[1]) / (sizes[0] * sizes[1])
    # By the sine too: the cosine alone is blunt near 0 and 180 degrees.
    sine = float(np.linalg.norm(np.cross(*ways))) / (sizes[0] * sizes[1])
    angle = float(np.degrees(np.arctan2(sine, cosine)))
    return Measured((("angle", angle, None), ("its supplement", 180 - angle, None)), mark)


def _length(targets: Sequence[Target]) -> Measured:
    curves = [t.guide for t in targets if isinstance(t.guide, Curve)]
    if len(curves) != len(targets):
        wrong = next(t for t in targets if not isinstance(t.guide, Curve))
        raise BadValue(f"“{wrong.name}” is a {_kind(wrong)}, which has no length", remedy="choose curves")
    each = [(t.name, c.length, 1) for t, c in zip(targets, curves, strict=True)]
    total = [("all", sum(c.length for c in curves), 1)] if len(curves) > 1 else []
    return Measured((*each, *total), curves[0].at(np.array([0.5])))


def _area(targets: Sequence[Target]) -> Measured:
    surfaces = [t.guide for t in targets if isinstance(t.guide, Surface)]
    if len(surfaces) != len(targets):
        wrong = next(t for t in targets if not isinstance(t.guide, Surface))
        raise BadValue(f"“{wrong.name}” is a {_kind(wrong)}, which has no area", remedy="choose surfaces")
    each = [(t.name, s.area, 2) for t, s in zip(targets, surfaces, strict=True)]
    total = [("all", sum(s.area for s in surfaces), 2)] if len(surfaces) > 1 else []
    return Measured((*each, *total), surfaces[0].facets.xyz.mean(axis=0)[None, :])


def _radius(targets: Sequence[Target]) -> Measured:
    guide = targets[0].guide
    if isinstance(guide, Curve) and len(targets) <= 2:
        at = targets[1].at if len(targets) == 2 else targets[0].xyz
        if at is None:
            s = np.linspace(0.0, 1.0, 2001)
            bent = guide.curvature(s)
            sharpest = int(np.argmax(bent))
            rows = (
                ("smallest radius", _over(float(bent[sharpest])), 1),
                ("largest radius", _over(float(bent.min())), 1),
            )
            return Measured(rows, guide.at(s[sharpest : sharpest + 1]))
        s = guide.nearest(at[None, :])
        return Measured((("radius", _over(float(guide.curvature(s)[0])), 1),), guide.at(s))
    if isinstance(guide, SmoothSurface) and len(targets) <= 2:
        at = targets[1].at if len(targets) == 2 else targets[0].xyz
        if at is None:
            raise BadValue(
                "a surface is bent differently from place to place", remedy="choose a place on it too"
            )
        uv = guide.nearest(at[None, :])
        first, second = (_over(abs(float(k))) for k in guide.curvatures(uv)[0])
        return Measured((("smaller radius", first, 1), ("larger radius", second, 1)), guide.at(uv))
    raise BadValue(
        "a radius needs a curve or a smooth surface, and perhaps a place on it", remedy="choose one"
    )


def _over(curvature: float) -> float:
    return 1 / curvature if curvature > 1e-12 else float("inf")


def _extent(targets: Sequence[Target]) -> Measured:
    parts = [places_of(t.guide) if t.guide is not None else np.atleast_2d(np.asarray(t.xyz)) for t in targets]
    places = np.concatenate(parts)
    low, high = places.min(axis=0), places.max(axis=0)
    rows = []
    for n, axis in enumerate("xyz"):
        rows += [(f"{axis} from", float(low[n]), 1), (f"{axis} to", float(high[n]), 1)]
    rows += [(f"size in {axis}", float(high[n] - low[n]), 1) for n, axis in enumerate("xyz")]
    return Measured(tuple(rows), np.stack([low, high]))


def _kind(target: Target) -> str:
    guide = target.guide
    return "surface" if isinstance(guide, Surface) else "curve" if isinstance(guide, Curve) else "point"
