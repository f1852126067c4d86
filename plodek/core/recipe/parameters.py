"""Setting values from outside: a parameter of the recipe, or a field named ``step.field``."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from plodek.core.errors import BadValue
from plodek.core.recipe.document import Recipe, of


def with_values(recipe: Recipe, values: Mapping[str, str]) -> Recipe:
    """Set parameters, or fields named ``step.field``, to texts as they are typed.

    A parameter sets every field that it names. Raises BadValue for a name that is none, naming the field
    that is not there, or a value that a field does not take.
    """
    raw = recipe.document()
    by_id = {step["id"]: step for step in raw["steps"]}
    for name, text in values.items():
        named = recipe.parameters.get(name, name)
        for target in [named] if isinstance(named, str) else named:
            step, _, field = target.partition(".")
            if step not in by_id or field not in by_id[step] or field in ("kind", "id"):
                raise _no_target(recipe, name, target, by_id)
            now = by_id[step][field]
            by_id[step][field] = text if isinstance(now, str) else _typed(text)
    return of(raw, "the values set")


def _no_target(recipe: Recipe, name: str, target: str, by_id: Mapping[str, Any]) -> BadValue:
    """Say why nothing can be set under a name."""
    if name in recipe.parameters:
        step, _, field = target.partition(".")
        what = f"step “{step}” has no field “{field}”" if step in by_id else f"there is no step “{step}”"
        return BadValue(f"the parameter “{name}” names {target}, but {what}", remedy="correct the recipe")
    known = ", ".join(recipe.parameters) or "none"
    return BadValue(
        f"“{name}” is no parameter", remedy=f"use step.field; this recipe's own names are {known}"
    )


def _typed(text: str) -> Any:
    """Read a typed value as JSON where it is some, as text where not."""
    try:
        return json.loads(text)
    except ValueError:
        return text
