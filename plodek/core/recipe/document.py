"""The recipe as it stands in a file: a whole document, read from JSON, with the schema of all its steps."""

from __future__ import annotations

import difflib
import json
import re
from typing import Annotated, Any, Final, Literal, TypeAlias, Union

import numpy as np
from pydantic import Field, PlainValidator, SerializeAsAny, ValidationError, create_model
from pydantic_core import ErrorDetails, PydanticCustomError

from plodek.core.budget import most, need
from plodek.core.doors.validation import said
from plodek.core.errors import BadValue
from plodek.core.formats.block_map import is_map
from plodek.core.recipe.fields import Strict
from plodek.core.recipe.formats import FORMAT, brought_up
from plodek.core.recipe.step import Step, kinds, kinds_by_name

MOST_STEPS: Final = 2000
#: Text in JSON, which may hold brackets that mean nothing; and the brackets that do.
_QUOTED = re.compile(rb'"(?:[^"\\]|\\.)*+"', re.DOTALL)
_OPENING, _CLOSING = np.frombuffer(b"[{", dtype=np.uint8), np.frombuffer(b"]}", dtype=np.uint8)


def _by_kind(raw: Any) -> Step:
    """Read a step by its kind. Only the kinds that are met are made ready: that of all takes 0.2 s."""
    if isinstance(raw, Step):
        return raw
    name = raw.get("kind") if isinstance(raw, dict) else None
    if not isinstance(name, str):
        raise PydanticCustomError("no_kind", "is no step: it has no “kind”")
    kind = kinds_by_name().get(name)
    if kind is None:
        near = difflib.get_close_matches(name, kinds_by_name(), n=1)
        meant = f"; the nearest is “{near[0]}”" if near else ""
        raise PydanticCustomError(
            "kind", "there is no kind of step “{name}”{meant}", {"name": name, "meant": meant}
        )
    return kind.model_validate(raw)


AnyStep: TypeAlias = Annotated[SerializeAsAny[Step], PlainValidator(_by_kind)]


class Recipe(Strict):
    """A recipe as it stands in a file."""

    plodek: Literal[5] = FORMAT
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
    union: Any = Annotated[Union[kinds()], Field(discriminator="kind")]  # noqa: UP007  # made of the registry
    whole = create_model(
        "Recipe",
        __base__=Recipe,
        __doc__=Recipe.__doc__,
        steps=(list[union], Field([], max_length=MOST_STEPS)),
    )
    found = whole.model_json_schema()
    for order, kind in enumerate(kinds()):
        node = found["$defs"][kind.__name__]
        node["plodek"] = {
            "order": order,
            "stage": kind.stage,
            "verb": kind.verb,
            "key": kind.key,
            "sentence": kind.sentence,
            "family": kind.family,
            "changes": kind.changes,
            "known_as": list(kind.known_as),
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
    current = brought_up(raw)
    try:
        recipe = Recipe.model_validate(current)
    except ValidationError as error:
        raise BadValue(_said(error, current), where=name, remedy="correct it there") from error
    seen: set[str] = set()
    for step in recipe.steps:
        if step.id in seen:
            raise BadValue(
                f"two steps have the id “{step.id}”", where=name, remedy="give every step an id of its own"
            )
        seen.add(step.id)
    return recipe


def _said(error: ValidationError, raw: Any) -> str:
    """Put into words what pydantic found first in ``raw``."""
    first = _telling(error.errors())
    place = list(first["loc"])
    words = []
    if len(place) > 1 and place[0] == "steps" and isinstance(place[1], int):
        words.append(f"step {place[1] + 1}")
        place = place[2:]
        if place:
            words.append(f"({raw['steps'][first['loc'][1]]['kind']})")
    if place:
        words.append(f"field “{place[0]}”")
    within = place[-1] if len(place) > 1 and first["type"] in ("missing", "extra_forbidden") else None
    if isinstance(within, str):
        words.append(f"“{within}” within it")
    message = said(first)
    shown = first["input"] if isinstance(first["input"], str | int | float) else None
    met = f", got “{str(shown)[:60]}”" if shown is not None else ""
    return " ".join([*words, message]).strip() + met


def _telling(errors: list[ErrorDetails]) -> ErrorDetails:
    """Choose the error that says most: where a rule was tried as each of several, that of the one meant.

    The one meant is the one whose own fields are there; where there is none, no rule is meant that is known.
    """
    first = errors[0]
    field = first["loc"][:3]
    arms: dict[Any, list[ErrorDetails]] = {}
    for one in errors:
        if one["loc"][:3] == field and len(one["loc"]) > 3:
            arms.setdefault(one["loc"][3], []).append(one)
    if len(arms) < 2:
        return first
    for arm in arms.values():
        if not any(one["type"] in ("missing", "extra_forbidden") for one in arm):
            return arm[0]
    whole = first["input"]
    shown = json.dumps(whole, ensure_ascii=False)[:80] if isinstance(whole, dict) else ""
    told = f"is no rule that is known here: {shown}" if shown else said(first)
    return {**first, "msg": told, "type": "rule", "input": None}
