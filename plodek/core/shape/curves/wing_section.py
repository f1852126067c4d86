"""Sections of the four-digit family, as points for a spline.

Thickness and camber as in Abbott & von Doenhoff, Theory of Wing Sections (1959), ch. 6. A sharp
trailing edge has the last coefficient 0.1036 instead of 0.1015, so that the thickness closes to nothing
(common practice).
"""

from __future__ import annotations

import re

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.tolerances import SAME_PLACE


def thickness(x: Floats, thick: float, *, sharp: bool) -> Floats:
    """Give half the thickness over the chord (n,) at ``x`` (n,), 0 to 1 along the chord."""
    last = 0.1036 if sharp else 0.1015
    return np.asarray(
        5 * thick * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - last * x**4)
    )


def measured(points: Floats, *, sharp: bool) -> Floats:
    """Bring a measured section (n, 3) to chord 1 along x, with its nose at 0: ordered as `section` does.

    The points run once around, from the trailing edge over the upper side. Where it shall be ``sharp``,
    both ends become their middle. Raises BadValue for a section of no length.
    """
    tail = 0.5 * (points[0] + points[-1])
    away = points - tail
    nose = int(np.argmax(np.linalg.norm(away, axis=1)))
    chord = tail - points[nose]
    size = float(np.linalg.norm(chord))
    if not size > 0 or nose in (0, len(points) - 1):
        raise BadValue(
            "the points go round no section", remedy="give them once around, from the trailing edge"
        )
    along = chord / size
    across = np.array([-along[1], along[0], 0.0])
    flat = (points - points[nose]) / size
    found = np.stack([flat @ along, flat @ across, np.zeros(len(flat))], axis=1)
    if found[: nose + 1, 1].mean() < found[nose:, 1].mean():
        found = found[::-1]
    ends_meet = float(np.linalg.norm(found[0] - found[-1])) <= SAME_PLACE
    if sharp:
        found[0] = [1.0, 0.0, 0.0]
    return found[:-1] if sharp or ends_meet else found


def section(digits: str, count: int, *, sharp: bool) -> Floats:
    """Give ``count`` points (n, 3) on each of both sides of the section with chord 1 along x.

    They run from the trailing edge over the upper side to the nose and back below, closer at both edges
    (cosine spacing). A sharp trailing edge is one point, at the start only; a blunt one is two.
    Raises BadValue for anything but four digits, or a thickness of 0.
    """
    if not re.fullmatch(r"\d{4}", digits):
        raise BadValue(f"“{digits}” is no four-digit section", remedy="give four digits, such as 2412")
    camber, place, thick = int(digits[0]) / 100, int(digits[1]) / 10, int(digits[2:]) / 100
    if thick == 0:
        raise BadValue(f"the section {digits} has no thickness", remedy="give last digits above 00")
    if (camber == 0) != (place == 0):
        raise BadValue(
            f"the section {digits} has {'a place of' if camber == 0 else 'no place for its'} camber",
            remedy="give both of the first two digits, or 00",
        )
    x = 0.5 * (1 - np.cos(np.linspace(0.0, np.pi, count)))
    half = thickness(x, thick, sharp=sharp)
    if sharp:
        half[-1] = 0.0
    line, slope = _camber(x, camber, place)
    angle = np.arctan(slope)
    upper = np.stack([x - half * np.sin(angle), line + half * np.cos(angle), 0 * x], axis=1)
    lower = np.stack([x + half * np.sin(angle), line - half * np.cos(angle), 0 * x], axis=1)
    below = lower[1:-1] if sharp else lower[1:]
    return np.vstack([upper[::-1], below])


def _camber(x: Floats, camber: float, place: float) -> tuple[Floats, Floats]:
    if camber == 0:
        return np.zeros_like(x), np.zeros_like(x)
    before = x < place
    scale = camber / np.where(before, place**2, (1 - place) ** 2)
    line = np.where(before, 2 * place * x - x**2, 1 - 2 * place + 2 * place * x - x**2)
    return scale * line, scale * 2 * (place - x)
