"""What differs between two hand-offs, by the facts that were told of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, TypeAlias

from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.check.metrics import BY_KEY

_Facts: TypeAlias = Mapping[str, Any]
_COUNTS = {
    "cells": "cells",
    "blocks": "blocks",
    "folded": "folded cells",
    "unnamed_faces": "faces in no patch",
}
#: Figures that differ by less than this share of themselves are alike; worst cells, by less than this.
_ALIKE, _ROUNDED = 1e-6, 1e-4


def changes(before: _Facts, after: _Facts) -> list[str]:
    """Tell in short what differs between the grids of two hand-offs: counts, volume, worst cells, patches.

    Of the metrics those are told that the gate has limits for; a volume where both are in one unit.
    """
    return [*_figures(before, after), *_patches(before["patches"], after["patches"])]


def _figures(before: _Facts, after: _Facts) -> Iterator[str]:
    units = [facts["unit"] or f"{facts['metres']:.6g} m" for facts in (before, after)]
    if units[0] != units[1]:
        yield f"in {units[1]} in place of {units[0]}"
    for key, words in _COUNTS.items():
        if before[key] != after[key]:
            yield f"{words} {_grouped(before[key])} → {_grouped(after[key])}"
    if units[0] == units[1]:
        yield from _changed("volume", "", before["volume"], after["volume"], "{:.6g}")
    for key, now in after["metrics"].items():
        then = before["metrics"].get(key)
        if key in DEFAULT_LIMITS and then is not None and abs(now["worst"] - then["worst"]) > _ROUNDED:
            metric = BY_KEY[key]
            yield from _changed(f"worst {metric.label}", metric.unit, then["worst"], now["worst"], "{:.3g}")


def _patches(before: _Facts, after: _Facts) -> Iterator[str]:
    for name in before:
        if name not in after:
            yield f"no patch {name} any more"
    for name, now in after.items():
        then = before.get(name)
        if then is None:
            yield f"patch {name} is new"
            continue
        if then["type"] != now["type"]:
            yield f"patch {name} is {now['type']} in place of {then['type']}"
        if then["faces"] != now["faces"]:
            yield f"faces of {name} {_grouped(then['faces'])} → {_grouped(now['faces'])}"


def _changed(what: str, sign: str, then: float, now: float, form: str) -> Iterator[str]:
    """Tell of a figure whose digits have changed, by more than rounding."""
    words = [form.format(value) + sign for value in (then, now)]
    if words[0] != words[1] and abs(now - then) > _ALIKE * max(abs(then), abs(now)):
        yield f"{what} {words[0]} → {words[1]}"


def _grouped(count: int) -> str:
    return f"{count:,}".replace(",", "\u202f")
