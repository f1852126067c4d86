"""Where curves cross each other, and outlines themselves."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats, dot
from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.curves.curve import Curve, drawn

_STEPS = 40
_MOST_CROSSINGS = 100


def curve_crossings(a: Curve, b: Curve, tolerance: float) -> tuple[Floats, Floats]:
    """Give the fractions (n,) on both curves where they come within ``tolerance`` of each other.

    The lowest places of the distance along ``a``, found from samples and refined by Newton steps on
    both fractions. Raises NothingFound, with the smallest distance, where there is none, and BadValue
    where the curves run along each other.
    """
    s = np.unique(np.concatenate([np.linspace(0.0, 1.0, 801), a.corners]))
    t = b.nearest(a.at(s))
    gap = np.linalg.norm(a.at(s) - b.at(t), axis=1)
    before, after = np.roll(gap, 1), np.roll(gap, -1)
    if not a.closed:
        before[0] = after[-1] = np.inf
    low = (gap <= before) & (gap <= after)
    s, t = _met(a, b, s[low], t[low])
    gap = np.linalg.norm(a.at(s) - b.at(t), axis=1)
    if np.min(gap) > tolerance:
        raise NothingFound(
            f"the curves do not cross: they stay {np.min(gap):.4g} apart",
            remedy="move one of them, or project a point of one onto the other",
        )
    s, t = s[gap <= tolerance], t[gap <= tolerance]
    if len(s) > _MOST_CROSSINGS:
        raise BadValue("the curves run along each other", remedy="choose curves that only cross")
    places = a.at(s)
    kept = [
        n for n in range(len(s)) if not np.any(np.linalg.norm(places[:n] - places[n], axis=1) <= tolerance)
    ]
    order = np.array(kept)[np.argsort(s[kept])]
    return s[order], t[order]


def _met(a: Curve, b: Curve, s: Floats, t: Floats) -> tuple[Floats, Floats]:
    for _ in range(_STEPS):
        pa, da, dda = a.derivatives(s)
        pb, db, ddb = b.derivatives(t)
        away = pa - pb
        gs, gt = dot(away, da), -dot(away, db)
        haa, hbb, hab = dot(da, da), dot(db, db), -dot(da, db)
        newton = (haa + dot(away, dda), hbb - dot(away, ddb))
        sound = newton[0] * newton[1] - hab**2 > 1e-12 * haa * hbb
        haa, hbb = (np.where(sound, n, h) for n, h in zip(newton, (haa, hbb), strict=True))
        size = haa * hbb - hab**2
        size = np.where(size > 1e-14 * haa * hbb, size, np.inf)
        ds, dt = -(hbb * gs - hab * gt) / size, -(haa * gt - hab * gs) / size
        s, t = _held(a, s + ds), _held(b, t + dt)
        if np.max(np.abs(ds), initial=0.0) + np.max(np.abs(dt), initial=0.0) < 1e-14:
            break
    return s, t


def _held(curve: Curve, s: Floats) -> Floats:
    return np.mod(s, 1.0) if curve.closed else np.clip(s, 0.0, 1.0)


def refuse_self_crossing(curve: Curve, name: str) -> None:
    """Raise BadValue where a closed outline in a plane of constant z crosses itself, saying where."""
    from shapely import LineString, Polygon
    from shapely.validation import explain_validity

    places = drawn(curve, 0.5)
    if not curve.closed or np.ptp(places[:, 2]) > 1e-9 * np.max(np.ptp(places, axis=0)):
        return
    if LineString(places[:, :2]).is_simple:
        return
    said = explain_validity(Polygon(places[:, :2]))
    at = said[said.find("[") + 1 : said.find("]")].split()
    where = f" near ({float(at[0]):.6g}, {float(at[1]):.6g})" if len(at) >= 2 else ""
    raise BadValue(
        f"the outline “{name}” crosses itself{where}",
        remedy="correct the order of its points, or take out the one that is off",
    )
