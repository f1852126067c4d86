"""Changes that run through a whole recipe: a guide's new name, and another length unit.

Both follow the types of the fields, which say what each value means.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np

from plodek.core.blocks.layout import Layout
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.fields import Meaning, rewritten
from plodek.core.recipe.step import Step, kinds_by_name
from plodek.core.recipe.steps.shape.read_points import Read
from plodek.core.recipe.steps.shape.unit import Unit
from plodek.core.shape.joined import renamed_in
from plodek.core.units import METRES, LengthUnit, factor

#: What was converted lies where it should, in shares of the size.
_SAME = 1e-9


def renamed(evaluation: Evaluation, old: str, new: str) -> Recipe:
    """Give a guide or group another name where it is made, and in every later step that names it.

    Where its name comes from a file, a rename step is put behind the step that made it. Raises
    NothingFound for a name that is not there.
    """
    steps = evaluation.recipe.steps
    made = next((n for n, m in enumerate(evaluation.models) if old in m.guides or old in m.groups), None)
    if made is None:
        raise NothingFound(f"no guide is called “{old}”", remedy="see the list of guides")
    before = evaluation.before(made)
    new_guides = [name for name in evaluation.models[made].guides if name not in before.guides]
    own = getattr(steps[made], "name", None) == old and new_guides in ([old], [])
    head = list(steps[: made + 1])
    if own:
        head[made] = _checked(steps[made].model_copy(update={"name": new}))
    else:
        taken = {step.id for step in steps}
        fresh = next(f"rename-{n}" for n in range(1, len(steps) + 2) if f"rename-{n}" not in taken)
        head.append(kinds_by_name()["rename"].model_validate({"id": fresh, "guide": old, "to": new}))

    def change(meaning: Meaning, value: Any) -> Any:
        if meaning.widget != "guide":
            return value
        return renamed_in(str(value), old, new)

    return evaluation.recipe.model_copy(
        update={"steps": head + [rewritten(step, change) for step in steps[made + 1 :]]}
    )


def _checked(step: Step) -> Step:
    """Validate a step that was changed. Raises BadValue."""
    try:
        return type(step).model_validate(step.model_dump())
    except ValueError as error:
        raise BadValue(
            "this is no name for a guide",
            remedy="use letters, digits, _ . and -, beginning with a letter, without spaces",
        ) from error


def in_unit(recipe: Recipe, unit: str, *, convert: bool, evaluate: Callable[[Recipe], Evaluation]) -> Recipe:
    """Give the recipe in another length unit: numbers converted, or kept as they are.

    Converted, the shape stays and its numbers change, which is made sure of by evaluating both; kept, the
    numbers stay and the shape changes its size. Lengths with a unit of their own stay in either case.
    Raises BadValue for no unit, or where the converted recipe is not the same shape.
    """
    if unit not in METRES:
        raise BadValue(f"“{unit}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    wanted = cast(LengthUnit, unit)
    own = next((step for step in recipe.steps if isinstance(step, Unit)), None)
    now = own.unit if own else "m"
    first = own.model_copy(update={"unit": wanted}) if own else Unit(id=_fresh_id(recipe), unit=wanted)
    rest = [step for step in recipe.steps if step is not own]
    if not convert:
        return recipe.model_copy(update={"steps": [first, *rest]})
    scale = factor(now, unit)

    def change(meaning: Meaning, value: Any) -> Any:
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        return float(f"{value * scale:.15g}") if meaning.widget == "length" and is_number else value

    converted = []
    for step in rest:
        after = rewritten(step, change)
        if isinstance(after, Read) and after.file_unit is None:  # its numbers were in the unit before
            after = after.model_copy(update={"file_unit": now})
        converted.append(after)
    found = recipe.model_copy(update={"steps": [first, *converted]})
    _check_same(evaluate(recipe), evaluate(found), scale)
    return found


def _fresh_id(recipe: Recipe) -> str:
    taken = {step.id for step in recipe.steps}
    return next(name for n in range(len(taken) + 1) if (name := f"unit-{n}" if n else "unit") not in taken)


def _check_same(before: Evaluation, after: Evaluation, scale: float) -> None:
    """Raise BadValue where a converted recipe is not the same shape as before, times the factor."""
    if before.failed is None and after.failed is not None:
        step = after.recipe.steps[after.failed]
        raise BadValue(
            f"the step {step.verb} could not be converted: {after.error}",
            remedy="take that step out, convert, and put it in again",
        )
    one, other = before.model, after.model
    if not _same(one, other, scale):
        raise BadValue(
            "the converted recipe would not give the same shape",
            remedy="keep the numbers instead, and change the lengths by hand",
        )


def _same(before: Model, after: Model, scale: float) -> bool:
    layout, other = before.layout, after.layout
    alike = (list(layout.corners), layout.blocks, list(before.guides)) == (
        list(other.corners),
        other.blocks,
        list(after.guides),
    )
    return alike and before.spacing.counts == after.spacing.counts and _places_same(layout, other, scale)


def _places_same(layout: Layout, other: Layout, scale: float) -> bool:
    if not layout.corners:
        return True
    gaps = np.abs(layout.places(layout.corners) * scale - other.places(other.corners))
    size = max(other.size(), float(np.abs(other.places(other.corners)).max()))
    return bool(gaps.max() <= _SAME * size)
