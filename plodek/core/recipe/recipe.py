"""The recipe: the ordered steps that make a grid, read from JSON and evaluated to a model."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, TypeAlias, get_args

import numpy as np
from pydantic import Field, ValidationError

from plodek.core.errors import BadValue, PlodekError
from plodek.core.model.model import Model
from plodek.core.recipe import (
    change_steps,
    copy_steps,
    counting_steps,
    curve_change_steps,
    curve_steps,
    cut_steps,
    edge_copy_steps,
    fit_steps,
    frame_steps,
    grid_steps,
    lift_steps,
    shape_steps,
    space_step,
    surface_curve_steps,
    surface_steps,
    tier_steps,
    wall_layer_step,
    wrap_steps,
)
from plodek.core.recipe.selectors import Strict
from plodek.core.recipe.step import Context, Step
from plodek.core.shape.files import geometry_file

ReadFile: TypeAlias = Callable[[str], bytes]

#: Raised when the meaning of a recipe changes; `read` refuses newer ones.
FORMAT: Literal[1] = 1
#: How many recipes may bring each other in, one within the other.
_DEEPEST = 8

AnyStep: TypeAlias = Annotated[
    shape_steps.Unit
    | shape_steps.Read
    | shape_steps.BringIn
    | shape_steps.PointStep
    | curve_steps.LineStep
    | curve_steps.PolylineStep
    | curve_steps.ArcStep
    | curve_steps.CircleStep
    | curve_steps.EllipseStep
    | curve_steps.SplineStep
    | curve_steps.WingSectionStep
    | curve_change_steps.OffsetStep
    | curve_change_steps.JoinStep
    | curve_change_steps.DivideStep
    | surface_curve_steps.BorderStep
    | surface_curve_steps.CrossingStep
    | surface_curve_steps.SectionStep
    | surface_steps.PlaneStep
    | surface_steps.CylinderStep
    | surface_steps.ConeStep
    | surface_steps.SphereStep
    | surface_steps.TorusStep
    | surface_steps.ExtrudeCurveStep
    | surface_steps.RevolveCurveStep
    | surface_steps.SweepCurveStep
    | surface_steps.LoftStep
    | surface_steps.FillStep
    | change_steps.MoveStep
    | change_steps.GroupStep
    | change_steps.RenameStep
    | change_steps.LeaveOutStep
    | change_steps.SewStep
    | frame_steps.Frame
    | frame_steps.BlockFrom
    | frame_steps.BringLayout
    | cut_steps.Cut
    | cut_steps.Merge
    | cut_steps.Hollow
    | cut_steps.BringBack
    | cut_steps.Zip
    | cut_steps.Pinch
    | cut_steps.Three
    | wrap_steps.Ring
    | wrap_steps.Butterfly
    | wrap_steps.Refine
    | wrap_steps.Grow
    | fit_steps.Pin
    | fit_steps.Slide
    | fit_steps.Follow
    | fit_steps.Bend
    | fit_steps.Align
    | fit_steps.FitNear
    | lift_steps.Extrude
    | lift_steps.Revolve
    | lift_steps.SweepLayout
    | copy_steps.Place
    | copy_steps.Twin
    | tier_steps.Count
    | tier_steps.Release
    | tier_steps.NameTier
    | space_step.Space
    | wall_layer_step.WallLayer
    | edge_copy_steps.Turn
    | edge_copy_steps.Copy
    | edge_copy_steps.Blend
    | counting_steps.WantedSize
    | counting_steps.Budget
    | counting_steps.Factor
    | counting_steps.Multiples
    | grid_steps.Smooth
    | grid_steps.GateStep
    | grid_steps.PatchStep,
    Field(discriminator="kind"),
]
KINDS: tuple[type[Step], ...] = get_args(get_args(AnyStep)[0])


class Recipe(Strict):
    """A recipe as it stands in a file."""

    plodek: Literal[1] = FORMAT
    name: str = Field(default="", max_length=120)
    #: Names under which the command line sets fields of steps: "profile": "vane.digits".
    parameters: dict[str, str] = Field(default={}, max_length=100)
    steps: list[AnyStep] = Field(default=[], max_length=2000)


def schema() -> dict[str, Any]:
    """Give the JSON schema of a recipe; each step kind says its stage, verb, key and sentence."""
    found = Recipe.model_json_schema()
    for order, kind in enumerate(KINDS):
        found["$defs"][kind.__name__]["plodek"] = {
            "order": order,
            "stage": kind.stage,
            "verb": kind.verb,
            "key": kind.key,
            "sentence": kind.sentence,
            "family": kind.family,
        }
    return found


def read(data: bytes | str, name: str = "the recipe") -> Recipe:
    """Read a recipe from JSON text. Raises BadValue, naming the step and field that are wrong."""
    try:
        raw = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise BadValue(f"it is not JSON ({error})", where=name, remedy="check the file") from error
    return of(raw, name)


def of(raw: Any, name: str = "the recipe") -> Recipe:
    """Read a recipe from parsed JSON; see `read`."""
    try:
        recipe = Recipe.model_validate(raw)
    except ValidationError as error:
        raise BadValue(_said(error), where=name, remedy="correct it there") from error
    ids = [step.id for step in recipe.steps]
    twice = next((i for i in ids if ids.count(i) > 1), None)
    if twice is not None:
        raise BadValue(
            f"two steps have the id “{twice}”",
            where=name,
            remedy="give every step an id of its own",
        )
    return recipe


def with_values(recipe: Recipe, values: Mapping[str, str]) -> Recipe:
    """Set parameters, or fields named ``step.field``, to texts as they are typed.

    Raises BadValue for a name that is none, or a value that the field does not take.
    """
    raw = recipe.model_dump(mode="json")
    by_id = {step["id"]: step for step in raw["steps"]}
    for name, text in values.items():
        step, _, field = recipe.parameters.get(name, name).partition(".")
        if step not in by_id or field not in by_id[step] or field in ("kind", "id"):
            known = ", ".join(recipe.parameters) or "none"
            raise BadValue(
                f"“{name}” is no parameter", remedy=f"use step.field; this recipe's own names are {known}"
            )
        now = by_id[step][field]
        by_id[step][field] = text if isinstance(now, str) else _typed(text)
    return of(raw, "the values set")


def _typed(text: str) -> Any:
    """Read a typed value as JSON where it is some, as text where not."""
    try:
        return json.loads(text)
    except ValueError:
        return text


def _said(error: ValidationError) -> str:
    """Put the first thing that pydantic found into words."""
    first = error.errors()[0]
    place = list(first["loc"])
    words = []
    if len(place) > 1 and place[0] == "steps" and isinstance(place[1], int):
        words.append(f"step {place[1] + 1}")
        place = place[2:]
    kinds = {kind.model_fields["kind"].default for kind in KINDS}
    fields = [str(p) for p in place if isinstance(p, int) or (str(p).islower() and p not in kinds)]
    named = [str(p) for p in place if str(p) in kinds]
    if named:
        words.append(f"({named[0]})")
    if fields:
        words.append(f"field “{fields[0]}”")
    message = first["msg"][0].lower() + first["msg"][1:]
    shown = first["input"] if isinstance(first["input"], str | int | float) else None
    met = f", got “{str(shown)[:60]}”" if shown is not None else ""
    return " ".join([*words, message]).strip() + met


@dataclass(frozen=True)
class Evaluation:
    """The models after each step, up to the first that failed; ``error`` says why it did."""

    recipe: Recipe
    models: tuple[Model, ...]
    error: PlodekError | None

    @property
    def model(self) -> Model:
        """The model after the last step that could be applied."""
        return self.models[-1] if self.models else Model()

    @property
    def failed(self) -> int | None:
        """The index of the step that failed."""
        return len(self.models) if self.error else None


class Evaluator:
    """Evaluates recipes, keeping the models of prefixes seen before: a late change costs a late step."""

    def __init__(self, keep: int = 2000) -> None:
        self._keep = keep
        self._models: OrderedDict[str, Model] = OrderedDict()

    def evaluate(
        self,
        recipe: Recipe,
        read_file: ReadFile,
        read_geometry: ReadFile | None = None,
    ) -> Evaluation:
        """Apply the steps one after the other; stops at the first that cannot be applied.

        ``read_geometry`` gives the packed contents of CAD and other files, where these are kept.
        """
        return self._evaluate(recipe, read_file, read_geometry or _reader(read_file), ())

    def _evaluate(
        self, recipe: Recipe, read_file: ReadFile, read_geometry: ReadFile, within: tuple[str, ...]
    ) -> Evaluation:
        def other(name: str) -> Model:
            """Evaluate the recipe in a file, which may bring in others in turn."""
            if name in within or len(within) >= _DEEPEST:
                raise BadValue(f"“{name}” brings in itself", remedy="take that step out of it")
            found = self._evaluate(read(read_file(name), name), read_file, read_geometry, (*within, name))
            if found.error is not None:
                step = found.recipe.steps[len(found.models)]
                raise type(found.error)(
                    found.error.what, where=f"“{name}”, step {step.id}", remedy=found.error.remedy
                )
            return found.model

        context = Context(read_file, read_geometry, other)
        model = Model()
        models: list[Model] = []
        for step, key in zip(recipe.steps, keys(recipe, read_file), strict=True):
            try:
                found = self._models.get(key)
                if found is None:
                    found = step.apply(model, context)
                    if found.layout.blocks:
                        _ = found.laid  # impossible spacing is this step's error, not a later one's
            except PlodekError as error:
                return Evaluation(recipe, tuple(models), error)
            except (np.linalg.LinAlgError, ArithmeticError):
                flat = BadValue(
                    "its numbers describe something flat or singular",
                    remedy="look at the guides it uses: two may coincide, or one may have no size",
                )
                return Evaluation(recipe, tuple(models), flat)
            self._models[key] = model = found
            self._models.move_to_end(key)
            models.append(model)
            while len(self._models) > self._keep:
                self._models.popitem(last=False)
        return Evaluation(recipe, tuple(models), None)


def _reader(read_file: ReadFile) -> ReadFile:
    """Read geometry files without a store for them, each once."""
    return cache(lambda name: geometry_file.read(read_file(name), name))


def keys(recipe: Recipe, read_file: ReadFile) -> list[str]:
    """Give the hash of each prefix of the recipe, with the contents of the files it reads."""
    state, found = hashlib.blake2s(f"plodek {FORMAT}".encode()), []
    for step in recipe.steps:
        state.update(step.model_dump_json().encode())
        for name in step.files():
            state.update(_contents(name, read_file))
        found.append(state.hexdigest())
    return found


def _contents(name: str, read_file: ReadFile, depth: int = 0) -> bytes:
    """Give a file's bytes, with those that a recipe in it reads in turn."""
    try:
        data = read_file(name)
        if not name.lower().endswith(".json") or depth >= _DEEPEST:
            return data
        inner = [file for step in read(data, name).steps for file in step.files()]
    except PlodekError:
        return b"missing"
    return b"".join([data, *(_contents(file, read_file, depth + 1) for file in inner)])
