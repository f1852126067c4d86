"""Changes that run through a whole recipe: a guide's new name, and another length unit.

Both work on steps as they stand in a file, field by field as the steps' own classes describe them.
"""

from __future__ import annotations

from typing import Any

from plodek.core.errors import BadValue, NothingFound
from plodek.core.recipe.recipe import KINDS, Evaluation
from plodek.core.recipe.step import Step
from plodek.core.units import METRES, factor

Steps = list[dict[str, Any]]
_CLASSES: dict[str, type[Step]] = {kind.model_fields["kind"].default: kind for kind in KINDS}
_PLACES = ("place", "places", "place-or-guide")
_SELECTORS = ("corner", "edge", "edges", "blocks", "faces")


def _widgets(step: dict[str, Any]) -> dict[str, str]:
    """Give what each field of a step holds, by its widget."""
    fields = _CLASSES[step["kind"]].model_fields
    extras = {name: field.json_schema_extra for name, field in fields.items()}
    return {name: str(e.get("widget", "")) for name, e in extras.items() if isinstance(e, dict)}


def renamed(evaluation: Evaluation, steps: Steps, old: str, new: str) -> Steps:
    """Give a guide or group another name where it is made, and in every later step that names it.

    Where its name comes from a file, a rename step is put behind the step that made it. Raises
    NothingFound for a name that is not there.
    """
    made = next((n for n, m in enumerate(evaluation.models) if old in m.guides or old in m.groups), None)
    if made is None:
        raise NothingFound(f"no guide is called “{old}”", remedy="see the list of guides")
    before = evaluation.models[made - 1] if made else None
    new_guides = [n for n in evaluation.models[made].guides if before is None or n not in before.guides]
    own = steps[made].get("name") == old and new_guides in ([old], [])
    head = [dict(step) for step in steps[: made + 1]]
    if own:
        head[made]["name"] = new
    else:
        taken = {step["id"] for step in steps}
        fresh = next(f"rename-{n}" for n in range(1, len(steps) + 2) if f"rename-{n}" not in taken)
        head.append({"kind": "rename", "id": fresh, "guide": old, "to": new})
    return head + [_with_name(step, old, new) for step in steps[made + 1 :]]


def _with_name(step: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for field, value in step.items():
        widget = _widgets(step).get(field, "")
        if widget == "guide" and value == old:
            found[field] = new
        elif widget == "guides" and isinstance(value, list):
            found[field] = [new if name == old else name for name in value]
        else:
            found[field] = _within(value, old, new)
    return found


def _within(value: Any, old: str, new: str) -> Any:
    """Change the guide that a place or selector inside a field names."""
    if isinstance(value, dict):
        return {
            k: new if k in ("guide", "on") and v == old else _within(v, old, new) for k, v in value.items()
        }
    if isinstance(value, list):
        return [_within(part, old, new) for part in value]
    return value


def in_unit(steps: Steps, unit: str, *, convert: bool) -> Steps:
    """Give the recipe in another length unit: numbers converted, or kept as they are.

    Converted, the shape stays and its numbers change; kept, the numbers stay and the shape changes
    its size. Lengths with a unit of their own stay in either case. Raises BadValue for no unit.
    """
    if unit not in METRES:
        raise BadValue(f"“{unit}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    now = next((step.get("unit", "m") for step in steps if step["kind"] == "unit"), "m")
    rest = [step for step in steps if step["kind"] != "unit"]
    own = next((step for step in steps if step["kind"] == "unit"), {"kind": "unit", "id": "unit"})
    if convert:
        rest = [_converted(step, factor(now, unit), now) for step in rest]
    return [own | {"unit": unit}, *rest]


def _converted(step: dict[str, Any], scale: float, before: str) -> dict[str, Any]:
    found = {}
    widgets = _widgets(step)
    fractions = step["kind"] == "cut" and step.get("by") == "fraction"
    for field, value in step.items():
        widget = widgets.get(field, "")
        if (widget in ("length", "lengths") and not fractions) or widget in _PLACES:
            found[field] = _scaled(value, scale)
        elif widget in _SELECTORS:
            found[field] = _selector(value, scale)
        else:
            found[field] = value
    if step["kind"] == "read" and found.get("file_unit") is None:
        found["file_unit"] = before
    return found


def _scaled(value: Any, scale: float) -> Any:
    if isinstance(value, bool | str) or value is None:
        return value
    if isinstance(value, int | float):
        return float(f"{value * scale:.15g}")
    if isinstance(value, list):
        return [_scaled(part, scale) for part in value]
    return value


def _selector(value: Any, scale: float) -> Any:
    if not isinstance(value, dict):
        return value
    return {
        key: _scaled(part, scale) if key in ("at", "start") else _selector(part, scale)
        for key, part in value.items()
    }
