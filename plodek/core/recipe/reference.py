"""The recipe reference of the documentation, made from the schema of all steps."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from plodek.core.recipe.document import schema
from plodek.core.recipe.fields import Meaning
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.step import STAGES, Step, kinds

_HEAD = """# Recipe reference

Made from the schema (`plodek schema`) by `make reference`; do not edit it by hand.

A recipe is a JSON file:

```json
{
  "plodek": {format},
  "name": "Intake pier",
  "parameters": {"width": "f.width", "ends": ["f.width", "f.height"]},
  "steps": [{"kind": "frame", "id": "f", "width": 9, "height": "5 m"}]
}
```

Steps are applied in order. Every step has a `kind` and an `id` of its own (letters, digits, `-`, `_`),
which names what it makes for good. Lengths are numbers in the project's unit, or text with a unit
(`"6 mm"`; m, cm, mm, in, ft). Places are `[x, y]` or `[x, y, z]`.

`plodek` is the format of the recipe: {format} now. An older recipe is brought up to it when it is read; a
newer one is refused. `parameters` gives names of your own to fields of steps, to one or to several at once;
`plodek build --set width=12` sets them. `plodek explain` tells what each step's rules found.

## How steps name corners, edges, blocks and faces

| written | finds |
|---|---|
| `{"ids": ["…"]}` | corners or blocks by id (what the screen writes) |
| `{"sides": [["…", "…", "…", "…"]]}` | sides of blocks by the ids of their corners; edges, in the plane |
| `{"edges": [["…", "…"]]}` | edges by the ids of their corners; the order gives the edge its way |
| `{"at": [x, y]}` | the nearest corner; the edge, side or block whose middle is nearest |
| `{"at": {"guide": "pier", "fraction": 0.5}}` | the same for a place on a guide |
| `{"each": [[x, y], [x, y]]}` | the same for several places |
| `{"at": [x, y], "start": [x, y]}` | the same edge, running from its end nearest to `start` |
| `{"on": "pier"}` | the edges that follow a guide, or one of a group; the sides that lie on it or its lift |
| `{"side": "x-"}` | the outer sides (edges, in the plane) on that extreme side |
| `{"around": {"at": [x, y]}}` | the sides (edges, in the plane) around blocks |
| `{"patch": "wall"}` | the sides of a patch |
| `{"region": "cooling"}` | the blocks of a region |
| `{"between": ["fluid", "cooling"]}` | the sides between two regions |
| `{"hollow": true}` | all hollow blocks |
| `{"all": true}` | all edges or sides; all blocks of the flow |
| `{"all": "hollow too"}` | all blocks |
| `{"looks": [0, 0, -1], "within": 30}` | the outer sides that look that way within 30° (45 if left out) |
| `{"inside": [[0, 0, 0], [1, 1, 1]]}` | the outer sides all of whose corners lie in a box |
| `{"ball": [0, 0, 0], "radius": "50 mm"}` | the outer sides all of whose corners lie in a ball |
| `{"plane": [0, 0, 0], "normal": [0, 1, 0]}` | the outer sides all of whose corners lie in a plane |
| `{"ends": "z+", "ids": ["…"]}` | ends of chosen blocks (patches only) |
| `{"rest": true}` | all outer faces that no patch has taken (patches only) |

Where edges are meant, rules that find sides find the edges around them.
Rules of one sort can be put together: `{"any": [{"side": "x-"}, {"on": "pier"}]}` finds what any of them
finds; for sides `{"every": […]}` finds what each of them finds, and `{"of": {"side": "z-"}, "but": […]}` what
one finds but for what any of the others does.

The middle of an edge is that of its way, the middle of a side the mean of its corners. A place finds nothing
that is farther away than the largest block is across; where a second candidate is nearly as near (within
5 %), the step says so. Steps of the Spacing stage pass over what lies in hollow blocks.

Lists of guides may name groups too, and all guides that begin alike: `"cone.*"`.
An edge found by `at` without `start` runs from its end with the lower x (or y).

Steps that change blocks or spacing may stand after smoothing. They work on the smoothed grid then: its blocks
have its shape, nodes stay to the bit where the step changes nothing, and go along the grid's lines elsewhere.
What is along a lift of a smoothed plane leaves the plane as it is. Steps that change guides stand before the
blocks that follow these.
"""

#: What is told of a kind of steps by what it changes.
_CHANGES = {
    "guides": "; changes guides that are there",
    "blocks": "; changes blocks",
    "spacing": "; changes spacing",
    "grid": "; moves the nodes of the grid",
    "lift": "; lifts the plane",
    "names": "",
    "nothing": "",
}


def reference() -> str:
    """Give the reference as Markdown, by stage."""
    defs = schema()["$defs"]
    parts = [_HEAD.replace("{format}", str(FORMAT))]
    for stage in STAGES:
        of_stage = [kind for kind in kinds() if kind.stage == stage]
        parts += [f"\n# {stage}\n"] if of_stage else []
        parts += [_kind(kind, defs[kind.__name__]) for kind in of_stage]
    return "".join(parts)


def _kind(kind: type[Step], node: dict[str, Any]) -> str:
    about, name, meanings = node["plodek"], kind.name_of_kind(), kind.meanings()
    rows = [
        f"| `{field}` | {_type(part, meanings.get(field))} "
        f"| {_fallback(part, field in node['required'])} | {_help(part)} |"
        for field, part in node["properties"].items()
        if field not in ("kind", "id")
    ]
    words = " ".join(node["description"].split())
    return "\n".join(
        [
            f"\n## `{name}`\n",
            f"{words} Verb **{about['verb']}**, key `{about['key']}`{_CHANGES[kind.changes]}.\n",
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


def _type(part: dict[str, Any], meaning: Meaning | None) -> str:
    """Give the words for what a field takes: those of its meaning, or its choices, or its plain type."""
    options = part.get("anyOf", [part])
    choices = [c for option in options for c in option.get("enum", [])]
    if choices:
        return ", ".join(f"`{c}`" for c in choices)
    if meaning is not None and meaning.words:
        return meaning.words
    kinds_of = [option["type"] for option in options if option.get("type") not in (None, "null")]
    return {"number": "number", "integer": "whole number", "string": "text"}[kinds_of[0]]


def schema_text() -> str:
    """Give the schema as the text of the file that `plodek schema` prints."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


def main() -> None:
    """Write the reference to the file named on the command line, and the schema beside the recipe's code."""
    Path(sys.argv[1]).write_text(reference(), encoding="utf-8")
    Path(__file__).with_name("schema.json").write_text(schema_text(), encoding="utf-8")


if __name__ == "__main__":
    main()
