"""Reading point text: a place per row, x y or x y z, parted by blanks, commas, semicolons or tabs."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadFile
from plodek.core.tolerances import LARGEST

MOST_BYTES = 50_000_000
_COMMENT = ("#", "%", "!", "//")
_PARTED = re.compile(r"[,;\s]+")
_NAMED_ROWS = 5


@dataclass(frozen=True)
class PointText:
    """What a point file holds: its ``title`` ("" where there is none) and its points (n, 3)."""

    title: str
    points: Floats
    closed: bool


def read(data: bytes, name: str = "the file") -> PointText:
    """Read point text; ``closed`` says that the last place repeats the first, which is then dropped.

    Raises BadFile, naming every bad row by its line number; nothing is half read.
    """
    if len(data) > MOST_BYTES:
        raise BadFile(
            f"it holds {len(data) / 1e6:.0f} MB of text",
            where=name,
            remedy=f"points are read up to {MOST_BYTES / 1e6:.0f} MB",
        )
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise BadFile(
            "it is not text", where=name, remedy="save the points as plain text, one place per row"
        ) from error
    title = ""
    rows: list[list[float]] = []
    bad: list[tuple[int, str]] = []
    for number, line in enumerate(lines, 1):
        text = line.strip()
        if not text or text.startswith(_COMMENT):
            continue
        values = _numbers(text)
        if values is None and not rows and not bad and not title and not _has_number(text):
            title = text
        elif values is None or len(values) not in (2, 3) or (rows and len(values) != len(rows[0])):
            bad.append((number, text))
        else:
            rows.append(values)
    if bad:
        raise _bad_rows(bad, len(rows[0]) if rows else 0, name)
    return _checked(title, rows, name)


def _numbers(text: str) -> list[float] | None:
    try:
        values = [float(part) for part in _PARTED.split(text.strip(",;")) if part]
    except ValueError:
        return None
    return values if all(abs(v) <= LARGEST for v in values) else None  # not-a-numbers fail this too


def _has_number(text: str) -> bool:
    """Whether the row begins with a number: then it is a bad row, and no title."""
    return re.match(r"[-+.]?\d", text) is not None


def _bad_rows(bad: list[tuple[int, str]], width: int, name: str) -> BadFile:
    shown = ", ".join(f"line {number} “{text[:40]}”" for number, text in bad[:_NAMED_ROWS])
    more = f" and {len(bad) - _NAMED_ROWS} more" if len(bad) > _NAMED_ROWS else ""
    wanted = f"{width} numbers like the rows before" if width else "two or three numbers"
    return BadFile(
        f"{shown}{more} {'is' if len(bad) == 1 else 'are'} not {wanted}",
        where=name,
        remedy="correct the file and read it again; nothing was read",
        rows=[number for number, _ in bad],
    )


def _checked(title: str, rows: list[list[float]], name: str) -> PointText:
    if len(rows) < 2:
        raise BadFile(f"it holds {len(rows)} points", where=name, remedy="a curve needs two points or more")
    points = np.zeros((len(rows), 3))
    points[:, : len(rows[0])] = rows
    size = float(np.max(np.ptp(points, axis=0)))
    closed = len(points) > 3 and float(np.linalg.norm(points[0] - points[-1])) <= 1e-9 * size
    if closed:
        points = points[:-1]
    same = np.flatnonzero(np.linalg.norm(np.diff(points, axis=0), axis=1) <= 1e-12 * size)
    if len(same):
        first = int(same[0])
        raise BadFile(
            f"points {first + 1} and {first + 2} are the same place",
            where=name,
            remedy="take out one of the two rows; nothing was read",
        )
    return PointText(title, points, closed)
