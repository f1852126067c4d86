"""The recipe as it stands in a file: a whole document, read from JSON, with the schema of all its steps."""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING, Annotated, Any, Final, Literal, TypeAlias, Union

import numpy as np
from pydantic import Field, ValidationError
from pydantic_core import ErrorDetails

from plodek.core.budget import most, need
from plodek.core.errors import BadValue
from plodek.core.formats.block_map import is_map
from plodek.core.recipe.fields import Strict
from plodek.core.recipe.formats import FORMAT, brought_up
from plodek.core.recipe.step import Step, kinds

MOST_STEPS: Final = 2000
#: Text in JSON, which may hold brackets that mean nothing; and the brackets that do.
_QUOTED = re.compile(rb'"(?:[^"\\]|\\.)*+"', re.DOTALL)
_OPENING, _CLOSING = np.frombuffer(b"[{", dtype=np.uint8), np.frombuffer(b"]}", dtype=np.uint8)

if TYPE_CHECKING:
    AnyStep: TypeAlias = Step
else:
    AnyStep = Annotated[Union[kinds()], Field(discriminator="kind")]  # noqa: UP007  # made of the registry


class Recipe(Strict):
    """A recipe as it stands in a file."""

    plodek: Literal[3] = FORMAT
    name: str = Field(default="", max_length=120)
    #: Names under which values are set from outside, each for one field of a step or several:
    #: "profile": "vane.digits", "depth": ["lift.depth", "lid.value"].
    parameters: dict[str, str | list[str]] = Field(default={}, max_length=100)
    steps: list[AnyStep] = Field(default=[], max_length=MOST_STEPS)

    def upto(self, count: int | None) -> Recipe:
        """Give the recipe of the first steps."""
        return self if count is None else self.model_copy(update={"steps": self.steps[:count]})

    def document(self) -> dict[str, Any]:
        """Give the recipe as JSON values."""
        return self.model_dump(mode="json")


def schema() -> dict[str, Any]:
    """Give the JSON schema of a recipe; each step kind says its stage, verb, key and sentence.

    What a field means, by its type, is told with it: its widget, and where it has them its unit and what
    it is of.
    """
    found = Recipe.model_json_schema()
    for order, kind in enumerate(kinds()):
        node = found["$defs"][kind.__name__]
        node["plodek"] = {
            "order": order,
            "stage": kind.stage,
            "verb": kind.verb,
            "key": kind.key,
            "sentence": kind.sentence,
            "family": kind.family,
        }
        for name, meaning in kind.meanings().items():
            told = {"widget": meaning.widget, "of": meaning.of, "unit": meaning.unit}
            node["properties"][name] |= {key: value for key, value in told.items() if value}
    return found


def is_recipe(name: str) -> bool:
    """Whether a file is a recipe, by its name; the map of a grid is none."""
    return name.lower().endswith(".json") and not is_map(name)


def read(data: bytes | str, name: str = "the recipe") -> Recipe:
    """Read a recipe from JSON text. Raises BadValue, naming the step and field that are wrong."""
    need_bounded(data.encode() if isinstance(data, str) else data, name)
    try:
        raw = json.loads(data)
    except ValueError as error:
        raise BadValue(f"it is not JSON ({error})", where=name, remedy="check the file") from error
    return of(raw, name)


def need_bounded(data: bytes, name: str) -> None:
    """Raise OverBudget for JSON that is too large, of too many values or too deep, before it is parsed."""
    need("json_mb", len(data) / 1024**2, where=name)
    need("json_values", data.count(b",") + data.count(b"[") + data.count(b"{"), where=name)
    if data.count(b"[") + data.count(b"{") <= most("json_depth"):
        return
    found = np.frombuffer(_QUOTED.sub(b"", data), dtype=np.uint8)
    ways = np.isin(found, _OPENING).astype(np.int32) - np.isin(found, _CLOSING)
    need("json_depth", int(np.cumsum(ways).max(initial=0)), where=name)


def of(raw: Any, name: str = "the recipe") -> Recipe:
    """Read a recipe from parsed JSON, of this format or an older one; see `read`."""
    try:
        recipe = Recipe.model_validate(brought_up(raw))
    except ValidationError as error:
        raise BadValue(_said(error), where=name, remedy="correct it there") from error
    seen: set[str] = set()
    for step in recipe.steps:
        if step.id in seen:
            raise BadValue(
                f"two steps have the id “{step.id}”", where=name, remedy="give every step an id of its own"
            )
        seen.add(step.id)
    return recipe


def _said(error: ValidationError) -> str:
    """Put what pydantic found first into words."""
    first = _telling(error.errors())
    place = list(first["loc"])
    words = []
    if len(place) > 1 and place[0] == "steps" and isinstance(place[1], int):
        words.append(f"step {place[1] + 1}")
        place = place[2:]
        if place:  # behind the number stands the kind, and then the field
            words.append(f"({place.pop(0)})")
    if place:
        words.append(f"field “{place[0]}”")
    message = first["msg"][0].lower() + first["msg"][1:]
    shown = first["input"] if isinstance(first["input"], str | int | float) else None
    met = f", got “{str(shown)[:60]}”" if shown is not None else ""
    return " ".join([*words, message]).strip() + met


def _telling(errors: list[ErrorDetails]) -> ErrorDetails:
    """Choose the error that says most: where a rule was tried as each of several, that of the one meant.

    The one meant is the one whose own fields are there; where there is none, no rule is meant that is known.
    """
    first = errors[0]
    field = first["loc"][:4]
    arms: dict[Any, list[ErrorDetails]] = {}
    for one in errors:
        if one["loc"][:4] == field and len(one["loc"]) > 4:
            arms.setdefault(one["loc"][4], []).append(one)
    if len(arms) < 2:
        return first
    for arm in arms.values():
        if not any(one["type"] in ("missing", "extra_forbidden") for one in arm):
            return arm[0]
    whole = first["input"]
    shown = json.dumps(whole, ensure_ascii=False)[:80] if isinstance(whole, dict) else ""
    told = f"is no rule that is known here: {shown}" if shown else first["msg"]
    return {**first, "msg": told, "input": None}
