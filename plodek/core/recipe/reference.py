"""The recipe reference of the documentation, made from the schema of all steps."""

from __future__ import annotations

from typing import Any

from plodek.core.recipe.recipe import KINDS, schema
from plodek.core.recipe.step import STAGES

_HEAD = """# Recipe reference

Made from the schema (`plodek schema`) by `make reference`; do not edit it by hand.

A recipe is a JSON file:

```json
{"plodek": 1, "name": "Intake pier", "steps": [{"kind": "frame", "id": "f", "width": 9, "height": "5 m"}]}
```

Steps are applied in order. Every step has a `kind` and an `id` of its own (letters, digits, `-`, `_`),
which names what it makes for good. Lengths are numbers in the project's unit, or text with a unit
(`"6 mm"`; m, cm, mm, in, ft). Places are `[x, y]` or `[x, y, z]`.

## How steps name corners, edges, blocks and faces

| written | finds |
|---|---|
| `{"ids": ["…"]}` | corners or blocks by id (what the screen writes) |
| `{"sides": [["…", "…", "…", "…"]]}` | sides of blocks by the ids of their corners; edges, in the plane |
| `{"edges": [["…", "…"]]}` | edges by the ids of their corners; the order gives the edge its way |
| `{"at": [x, y]}` | the nearest corner; the edge, side or block whose middle is nearest |
| `{"each": [[x, y], [x, y]]}` | the same for several places |
| `{"at": [x, y], "start": [x, y]}` | the same edge, running from its end nearest to `start` |
| `{"on": "pier"}` | the edges that follow that guide, the sides that lie on it or stand on it |
| `{"side": "x-"}` | the outer sides (edges, in the plane) on that extreme side |
| `{"around": {"at": [x, y]}}` | the sides (edges, in the plane) around blocks |
| `{"patch": "wall"}` | the sides of a patch |
| `{"hollow": true}` | all hollow blocks |
| `{"all": true}` | everything |
| `{"ends": "z+", "ids": ["…"]}` | ends of chosen blocks (patches only) |
| `{"rest": true}` | all outer faces that no patch has taken (patches only) |

Lists of guides may name groups too, and all guides that begin alike: `"cone.*"`.
An edge found by `at` without `start` runs from its end with the lower x (or y).
"""


def reference() -> str:
    """Give the reference as Markdown, by stage."""
    defs = schema()["$defs"]
    parts = [_HEAD]
    for stage in STAGES:
        kinds = [kind for kind in KINDS if kind.stage == stage]
        parts += [f"\n# {stage}\n"] if kinds else []
        for kind in kinds:
            parts.append(_kind(defs[kind.__name__]))
    return "".join(parts)


def _kind(node: dict[str, Any]) -> str:
    about = node["plodek"]
    name = node["properties"]["kind"]["const"]
    rows = [
        f"| `{field}` | {_type(part)} | {_fallback(part, field in node['required'])} | {_help(part)} |"
        for field, part in node["properties"].items()
        if field not in ("kind", "id")
    ]
    words = " ".join(node["description"].split())
    return "\n".join(
        [
            f"\n## `{name}`\n",
            f"{words} Verb **{about['verb']}**, key `{about['key']}`.\n",
            "| field | value | default | |",
            "|---|---|---|---|",
            *rows,
            "",
        ]
    )


def _help(part: dict[str, Any]) -> str:
    unit = f" ({part['unit']})" if "unit" in part else ""
    more = f": {part['description']}" if "description" in part else ""
    return f"{part.get('title', '')}{unit}{more}"


def _fallback(part: dict[str, Any], required: bool) -> str:
    if required:
        return "must be given"
    value = part.get("default")
    return "left out" if value is None else f"`{value}`"


def _type(part: dict[str, Any]) -> str:
    widget = part.get("widget")
    words = {"length": "length", "lengths": "list of lengths", "place": "place", "corner": "corner",
             "edge": "edges", "edges": "edges", "blocks": "blocks", "faces": "faces",
             "direction": "direction `[x, y, z]`", "numbers": "list of numbers",
             "table": "list of `[place, size]`",
             "sides": "sides", "edges-or-sides": "edges or sides", "corners": "corners",
             "corner-places": "list of places and corners", "proposals": "list of names",
             "guides": "list of names", "places": 'list of places, or of `{"guide": "…"}`',
             "place-or-guide": 'place, or `{"guide": "…", "fraction": 0.5}`'}  # fmt: skip
    if widget in words:
        return words[widget]
    options = part.get("anyOf", [part])
    choices = [c for option in options for c in option.get("enum", [])]
    if choices:
        return ", ".join(f"`{c}`" for c in choices)
    kinds = [option["type"] for option in options if option.get("type") not in (None, "null")]
    return {"number": "number", "integer": "whole number", "string": "text"}[kinds[0]]


if __name__ == "__main__":
    print(reference(), end="")
