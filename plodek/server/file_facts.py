"""What a stored geometry file holds, in plain values."""

from __future__ import annotations

from typing import Any

from plodek.core.shape.files import geometry_file


def file_facts(name: str, packed: bytes) -> dict[str, Any]:
    """Tell what packed contents of a geometry file hold."""
    found = geometry_file.summary(packed, name)
    return {
        "name": name, "kind": found.kind, "unit": found.unit, "file_unit": found.file_unit,
        "counts": found.counts, "names": list(found.names), "left_out": list(found.left_out),
        "title": "", "closed": False, "gap": 0.0, "low": list(found.low), "high": list(found.high),
    }  # fmt: skip
