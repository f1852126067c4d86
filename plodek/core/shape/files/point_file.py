"""Reading point text: a place per row, x y or x y z, parted by blanks, commas, semicolons or tabs.

An empty row begins another section; a row of words at the beginning of a section is its title.
"""

from __future__ import annotations

import codecs
import re
from collections import Counter
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.budget import need
from plodek.core.errors import BadFile
from plodek.core.tolerances import LARGEST

MOST_BYTES = 50_000_000
_COMMENT = ("#", "%", "!", "//")
_PARTED = re.compile(r"[,;\s]+")
_EXPONENT = re.compile(r"(\d\.?)[dD]([-+]?\d)")
_NAMED_ROWS = 5


@dataclass(frozen=True)
class Section:
    """A section of a point file: its ``title`` ("" where there is none) and its points (n, 3)."""

    title: str
    points: Floats
    closed: bool


def read(data: bytes, name: str = "the file") -> list[Section]:
    """Read point text; ``closed`` says that the last place repeats the first, which is then dropped.

    Raises BadFile, naming every bad row by its line number; nothing is half read.
    """
    if len(data) > MOST_BYTES:
        raise BadFile(
            f"it holds {len(data) / 1e6:.0f} MB of text",
            where=name,
            remedy=f"points are read up to {MOST_BYTES / 1e6:.0f} MB",
        )
    need("rows", max(data.count(b"\n"), data.count(b"\r")), where=name)
    try:
        lines = _text(data).splitlines()
    except UnicodeDecodeError as error:
        raise BadFile(
            "it is not text", where=name, remedy="save the points as plain text, one place per row"
        ) from error
    sections, bad, width = _parsed(lines)
    if bad:
        raise _bad_rows(bad, width, name)
    need("sections", len(sections), where=name)
    if not sections:
        raise BadFile("it holds 0 points", where=name, remedy="a curve needs two points or more")
    return [_checked(title, rows, name) for title, rows in sections]


def _text(data: bytes) -> str:
    """Decode text by its byte-order mark; UTF-8 where there is none."""
    for mark, code in ((codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16")):
        if data.startswith(mark):
            return data.decode(code)
    return data.decode("utf-8-sig")


def _parsed(
    lines: list[str],
) -> tuple[list[tuple[str, list[list[float]]]], list[tuple[int, str]], int]:
    """Give the sections that hold rows, the bad rows by their number, and how many numbers a row has.

    That is what most rows have. Where rows are parted by semicolons, commas are decimal ones.
    """
    texts = [line.strip() for line in lines]
    decimal_commas = any(";" in text for text in texts if not text.startswith(_COMMENT))
    numbers = [None if text.startswith(_COMMENT) else _numbers(text, decimal_commas) for text in texts]
    widths = Counter(len(row) for row in numbers if row is not None and len(row) in (2, 3))
    width = widths.most_common(1)[0][0] if widths else 0
    found: list[tuple[str, list[list[float]]]] = [("", [])]
    bad: list[tuple[int, str]] = []
    for number, (text, values) in enumerate(zip(texts, numbers, strict=True), 1):
        if text.startswith(_COMMENT):
            continue
        title, rows = found[-1]
        if not text:
            found += [("", [])] if rows else []
        elif values is None and not rows and not bad and not title and not _has_number(text):
            found[-1] = (text, rows)
        elif values is None or len(values) != width:
            bad.append((number, text))
        else:
            rows.append(values)
    return [(title, rows) for title, rows in found if rows], bad, width


def _numbers(text: str, decimal_commas: bool) -> list[float] | None:
    """Read the numbers of a row; exponents may be written with D, as Fortran does."""
    if decimal_commas:
        text = text.replace(",", ".")
    try:
        parts = text.split() if "," not in text and ";" not in text else _PARTED.split(text.strip(",;"))
        if "d" in text or "D" in text:
            parts = [_EXPONENT.sub(r"\1e\2", part) for part in parts]
        values = [float(part) for part in parts if part]
    except ValueError:
        return None
    return values if all(abs(v) <= LARGEST for v in values) else None  # not-a-numbers fail this too


def _has_number(text: str) -> bool:
    """Whether the row begins with a number: then it is a bad row, and no title."""
    return re.match(r"[-+.]?\d", text) is not None


def _bad_rows(bad: list[tuple[int, str]], width: int, name: str) -> BadFile:
    shown = ", ".join(f"line {number} “{text[:40]}”" for number, text in bad[:_NAMED_ROWS])
    more = f" and {len(bad) - _NAMED_ROWS} more" if len(bad) > _NAMED_ROWS else ""
    wanted = f"{width} numbers like most rows" if width else "two or three numbers"
    return BadFile(
        f"{shown}{more} {'is' if len(bad) == 1 else 'are'} not {wanted}",
        where=name,
        remedy="correct the file and read it again; nothing was read",
        rows=[number for number, _ in bad],
    )


def _checked(title: str, rows: list[list[float]], name: str) -> Section:
    if len(rows) < 2:
        which = f"its section “{title}” holds" if title else "a section of it holds"
        words = "1 point" if len(rows) == 1 else f"{len(rows)} points"
        raise BadFile(f"{which} {words}", where=name, remedy="a curve needs two points or more")
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
    return Section(title, points, closed)
