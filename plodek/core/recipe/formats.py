"""The formats of the recipe: which one this is, and how older documents are brought up to it on reading."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, Literal

#: Raised when the meaning of a recipe changes; newer ones are refused.
FORMAT: Literal[5] = 5

_LIFTS = ("extrude", "revolve", "sweep")
#: Format 1 named what stands above a plane corner or block by its id, a dot and a number of the way.
_ABOVE = re.compile(r"([A-Za-z0-9_-]+)\.(?:0|1|0?\.\d+|\d(?:\.\d+)?e-\d+)")


def brought_up(raw: Any) -> Any:
    """Give a document in this format, which one without a format is taken to be in; what is none stays."""
    if not isinstance(raw, dict):
        return raw
    found = dict(raw)
    while (step := _STEPS.get(found.get("plodek", FORMAT))) is not None:
        found = step(found)
    return found


def _from_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Give fractions of a cut a field of their own, and let steps before a lift name the plane itself."""
    steps = raw.get("steps", [])
    if not isinstance(steps, list):
        return raw | {"plodek": 2}
    lift = next((n for n, s in enumerate(steps) if isinstance(s, dict) and s.get("kind") in _LIFTS), None)
    after = []
    for n, step in enumerate(steps):
        if isinstance(step, dict) and step.get("kind") == "cut" and step.get("by") == "fraction":
            step = {k: v for k, v in step.items() if k != "at"} | {"fractions": step.get("at", [])}
        if lift is not None and n < lift and isinstance(step, dict) and step.get("kind") != "rename":
            step = {k: _in_plane(v) if isinstance(v, dict) else v for k, v in step.items()}
        after.append(step)
    return raw | {"plodek": 2, "steps": after}


def _in_plane(selector: dict[str, Any]) -> dict[str, Any]:
    """Take the number of the way from the ids in a selector."""

    def plain(value: Any) -> Any:
        if isinstance(value, str):
            match = _ABOVE.fullmatch(value)
            return match[1] if match else value
        return [plain(part) for part in value] if isinstance(value, list) else value

    return {k: plain(v) if k in ("ids", "edges", "sides") else v for k, v in selector.items()}


def _from_2(raw: dict[str, Any]) -> dict[str, Any]:
    """Let “all blocks” go on meaning hollow ones too, and patches stay where sides have grown from them."""
    steps = raw.get("steps", [])
    after = [_all_blocks(s) for s in steps] if isinstance(steps, list) else steps
    return raw | {"plodek": 3, "steps": after}


def _all_blocks(step: Any) -> Any:
    """Rewrite a step of format 2."""
    if not isinstance(step, dict):
        return step
    found = {k: _HOLLOW_TOO if k in _OF_BLOCKS and v == _ALL else _around_all(v) for k, v in step.items()}
    return found | _OF_KIND_2.get(str(step.get("kind")), {})


def _from_3(raw: dict[str, Any]) -> dict[str, Any]:
    """Let the new edges of rings go on being straight where nothing else is said."""
    steps = raw.get("steps", [])
    after = (
        [_OF_KIND_3.get(str(s.get("kind")), {}) | s if isinstance(s, dict) else s for s in steps]
        if isinstance(steps, list)
        else steps
    )
    return raw | {"plodek": 4, "steps": after}


def _from_4(raw: dict[str, Any]) -> dict[str, Any]:
    """Let layers along normals go on being mitred at convex corners."""
    steps = raw.get("steps", [])
    after = [_mitred(s) for s in steps] if isinstance(steps, list) else steps
    return raw | {"plodek": 5, "steps": after}


def _mitred(step: Any) -> Any:
    """Rewrite a step of format 4."""
    along = isinstance(step, dict) and step.get("kind") == "grow" and step.get("by", _NORMALS) == _NORMALS
    return {"convex": "mitre"} | step if along else step


def _around_all(value: Any) -> Any:
    """Rewrite what is around all blocks, however deep in a selector."""
    if isinstance(value, list):
        return [_around_all(part) for part in value]
    if not isinstance(value, dict):
        return value
    return {k: _HOLLOW_TOO if k == "around" and v == _ALL else _around_all(v) for k, v in value.items()}


#: The fields of format 2 that found blocks.
_OF_BLOCKS = ("blocks", "block", "within")
#: What steps of format 2 did that now have a choice.
_OF_KIND_2 = {"grow": {"patches": "stay"}, "ring": {"measured": "from straight sides"}}
#: What steps of format 3 were taken to say where they said nothing.
_OF_KIND_3 = {"ring": {"bow": 0.0}}
_NORMALS = "along normals"
_ALL, _HOLLOW_TOO = {"all": True}, {"all": "hollow too"}
_STEPS: dict[Any, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _from_1,
    2: _from_2,
    3: _from_3,
    4: _from_4,
}
