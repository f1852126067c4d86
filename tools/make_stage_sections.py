"""Make the point files of the axial pump stage of the demo: vane sections, and lines half a pitch below.

Run it only when the shape is to change: ``.venv/bin/python tools/make_stage_sections.py``. All of it is made
up: guide vanes of a chord of 0.16 m at three radii, their tails cut off at 94 % of it, one of seven sectors.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.shape.curves.wing_section import section

DEMO = Path(__file__).parents[1] / "plodek" / "demo"
CHORD, TAIL, VANES = 0.16, 0.94, 7
#: Radius in metres, and angle of the chord to the axis, of each section.
SECTIONS = ((0.14, 22.0), (0.26, 32.0), (0.38, 39.0))
UPSTREAM, DOWNSTREAM = -0.12, 0.24


def on_cylinder(x: Floats, angle: Floats, radius: float) -> Floats:
    """Give places (n, 3) at angles about the x axis."""
    return np.stack([x, radius * np.cos(angle), radius * np.sin(angle)], axis=1)


def vane(radius: float, chord_angle: float) -> Floats:
    """Give the closed outline (n, 3) of a section, laid on a cylinder, from the upper corner of its tail."""
    points = section("4412", 61, sharp=False)[:, :2]
    nose = int(np.argmin(points[:, 0]))
    upper, lower = points[: nose + 1][::-1], points[nose:]
    cut = [
        np.vstack([side[side[:, 0] < TAIL - 1e-3], [TAIL, np.interp(TAIL, side[:, 0], side[:, 1])]])
        for side in (upper, lower)
    ]
    outline = np.vstack([cut[0][::-1], cut[1][1:], cut[0][-1:]]) - [0.5, 0.0]
    c, s = np.cos(np.radians(chord_angle)), np.sin(np.radians(chord_angle))
    x, t = CHORD * outline @ [c, -s], CHORD * outline @ [s, c]
    return on_cylinder(x + 0.5 * CHORD * c, t / radius, radius)


def pitch_line(radius: float, chord_angle: float) -> Floats:
    """Give the line (n, 3) half a pitch below a section: nearly axial upstream, along the chord, and on."""
    x = np.linspace(-0.2, 0.35, 2001)
    end = CHORD * np.cos(np.radians(chord_angle))
    share = np.interp(x, [-0.2, -0.07, 0.0, end, end + 0.07, 0.35], [0.1, 0.25, 1.0, 1.0, 0.75, 0.6])
    slope = np.tan(np.radians(chord_angle)) * share
    t = np.concatenate([[0.0], np.cumsum(0.5 * (slope[1:] + slope[:-1]) * np.diff(x))])
    t -= np.interp(0.5 * end, x, t)
    at = np.linspace(UPSTREAM, DOWNSTREAM, 19)
    return on_cylinder(at, np.interp(at, x, t) / radius - np.pi / VANES, radius)


def write(name: str, title: str, curves: Sequence[Floats]) -> None:
    """Write a point file with a blank line between curves."""
    parts = ["\n".join(",".join(f"{v:.6f}" for v in place) for place in curve) for curve in curves]
    text = f"# Saltmere Pumping Station (made up), {title}, in metres\nx, y, z\n" + "\n\n".join(parts) + "\n"
    (DEMO / name).write_text(text)


if __name__ == "__main__":
    write("stage-vane.csv", "axial stage, vane at three radii", [vane(*each) for each in SECTIONS])
    write("stage-pitch.csv", "axial stage, half a pitch below the vane", [pitch_line(*each) for each in SECTIONS])
