"""Evaluating a recipe to its models, one after each step; models of prefixes seen before are kept."""

from __future__ import annotations

import hashlib
import logging
import math
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from threading import Lock
from typing import TypeAlias

import numpy as np
from cachetools import LRUCache

from plodek.core.budget import out_of_memory, over
from plodek.core.build.build import Blocks, runs_of
from plodek.core.build.settled import settled
from plodek.core.errors import BadValue, OwnMistake, PlodekError, Refused
from plodek.core.model.model import Model
from plodek.core.model.open import is_carried, is_same_grid
from plodek.core.recipe.document import Recipe, is_recipe, read
from plodek.core.recipe.doubting import doubts_of
from plodek.core.recipe.files import Files
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.step import Context, Step
from plodek.core.smooth.outcome import Reached

#: How many recipes may bring each other in, one within the other.
_DEEPEST = 8
#: Bytes that the kept models take together, about.
MOST_BYTES = 256 * 1024**2
#: Bytes of received grids that kept models hold beside those of the newest.
MOST_RECEIVED = 512 * 1024**2


#: Gives what the runs of a recipe's model reached, for steps that work on its smoothed grid: nodes by block.
Running: TypeAlias = Callable[[Recipe, Files, Model], Blocks]
#: What is told of a step that does.
_ON_SMOOTHED = "works on the smoothed grid, whose nodes stay where it changes nothing"


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

    @property
    def applied(self) -> Recipe:
        """The recipe of the steps that could be applied."""
        return self.recipe.upto(len(self.models))

    @property
    def last_run(self) -> int | None:
        """The index of the last model whose grid is a smoothed one; steps after it may work on that grid."""
        return max((n for n, model in enumerate(self.models) if model.all_runs), default=None)

    def before(self, number: int) -> Model:
        """Give the model that a step was applied to."""
        return self.models[min(number, len(self.models)) - 1] if number and self.models else Model()


class Evaluator:
    """Evaluates recipes, keeping the models of prefixes seen before: a late change costs a late step.

    Several threads may share one: only the looking up is locked, never the work of a step. Where an
    evaluation has taken ``most_seconds`` the next step of it is refused; what was done is kept.

    Steps that change the blocks or the spacing of a smoothed grid work on that: ``running`` gives it.
    """

    def __init__(
        self,
        most_bytes: int = MOST_BYTES,
        *,
        most_seconds: float = math.inf,
        running: Running | None = None,
    ) -> None:
        self._models: LRUCache[str, Model] = LRUCache(most_bytes, getsizeof=lambda model: model.weight)
        self._lock = Lock()
        self._seconds, self._running = most_seconds, running or run_here

    def evaluate(self, recipe: Recipe, files: Files, running: Running | None = None) -> Evaluation:
        """Apply the steps one after the other; stops at the first that cannot be applied."""
        asked = _Asked(running or self._running, time.monotonic() + self._seconds)
        return self._evaluate(recipe, files, (), {}, asked)

    def _evaluate(
        self,
        recipe: Recipe,
        files: Files,
        within: tuple[str, ...],
        known: dict[str, Model],
        asked: _Asked,
    ) -> Evaluation:
        """Evaluate a recipe ``within`` others' files; those that are ``known`` are not evaluated again."""

        def other(name: str) -> Model:
            """Evaluate the recipe in a file, which may bring in others in turn."""
            if name in known:
                return known[name]
            if name in within or len(within) >= _DEEPEST:
                raise BadValue(f"“{name}” brings in itself", remedy="take that step out of it")
            found = self._evaluate(read(files.read(name), name), files, (*within, name), known, asked)
            if found.error is not None:
                step = found.recipe.steps[len(found.models)]
                raise type(found.error)(
                    found.error.what, where=f"“{name}”, step {step.id}", remedy=found.error.remedy
                )
            known[name] = found.model
            return found.model

        context = Context(files, other)
        model = Model()
        models: list[Model] = []
        prefixes = keys(recipe, files)
        for number, (step, key) in enumerate(zip(recipe.steps, prefixes, strict=True)):
            smoothed = partial(self._smoothed, recipe, number, prefixes, files, model, asked)
            try:
                model = self._after(step, key, model, context, asked, smoothed)
            except PlodekError as error:
                return Evaluation(recipe, tuple(models), error)
            except np.linalg.LinAlgError:
                return Evaluation(recipe, tuple(models), _flat())
            except MemoryError:
                return Evaluation(recipe, tuple(models), out_of_memory())
            except Exception:  # a wrong step must not take the others along, and the cause must reach the log
                logging.getLogger(__name__).exception("step %s (%s)", step.id, step.name_of_kind())
                return Evaluation(recipe, tuple(models), _mistake(step))
            models.append(model)
        return Evaluation(recipe, tuple(models), None)

    def _after(
        self,
        step: Step,
        key: str,
        model: Model,
        context: Context,
        asked: _Asked,
        smoothed: Callable[[], Model],
    ) -> Model:
        """Give the model after a step, from those that are kept where it is among them."""
        kept = self._kept(key)
        if kept is not None:
            return kept
        if time.monotonic() > asked.until:
            raise over("evaluation_seconds", math.ceil(self._seconds) + 1, self._seconds)
        step.need_effect()
        before, found = _applied(step, model, context, smoothed)
        said = [] if before is model else [_ON_SMOOTHED]
        said += doubts_of(step, before)
        said += _lost_twins(before, found)
        if said:
            found = found.reporting(step.id, *said)
        if found.layout.blocks:
            _ = found.laid  # impossible spacing is this step's error, not a later one's
        return self._keep(key, found)

    def _smoothed(
        self,
        recipe: Recipe,
        number: int,
        prefixes: Sequence[str],
        files: Files,
        model: Model,
        asked: _Asked,
    ) -> Model:
        """Give the model before a step, by its number, with the shape of its smoothed grid."""
        key = f"{prefixes[number - 1]} settled"
        kept = self._kept(key)
        return kept or self._keep(key, settled(model, asked.run(recipe.upto(number), files, model)))

    def _kept(self, key: str) -> Model | None:
        with self._lock:
            return self._models.get(key)

    def _keep(self, key: str, model: Model) -> Model:
        """Keep a model, if it is not too large, and give it."""
        if model.weight <= self._models.maxsize:
            with self._lock:
                self._models[key] = model
                self._make_room(model)
        return model

    def _make_room(self, newest: Model) -> None:
        """Let models go, those not asked for longest first, whose received grids take too much together.

        Those of the newest model are not counted: as long as it is worked on they are needed.
        """
        own = set(newest.lattices)

        def others() -> int:
            there = {lattice for model in self._models.values() for lattice in model.lattices} - own
            return sum(lattice.nodes.nbytes for lattice in there)

        while len(self._models) > 1 and others() > MOST_RECEIVED:
            self._models.popitem()


def run_here(recipe: Recipe, files: Files, model: Model, ran: list[Reached] | None = None) -> Blocks:
    """Run what a model asks for, here and now; what the runs reached is added to ``ran``."""
    runs = tuple(runs_of(model))
    if ran is not None:
        ran.extend(run.reached() for run in runs)
    return runs[-1].blocks


@dataclass
class _Asked:
    """How runs are made during an evaluation, and until when it may go on: runs are not counted."""

    running: Running
    until: float

    def run(self, recipe: Recipe, files: Files, model: Model) -> Blocks:
        began = time.monotonic()
        found = self.running(recipe, files, model)
        self.until += time.monotonic() - began
        return found


def _applied(
    step: Step, model: Model, context: Context, smoothed: Callable[[], Model]
) -> tuple[Model, Model]:
    """Give the models before and after a step: it is applied to the ``smoothed`` one where it has to be.

    Raises Refused where it changes something that a smoothed grid stands on, and can only stand before it.
    """
    if step.changes == "spacing":
        model.need_blocks()
    if not model.all_runs or step.changes in ("grid", "lift"):
        return model, step.apply(model, context)
    if step.changes not in ("blocks", "spacing"):
        found = step.apply(model, context)
        if not is_same_grid(model, found):
            raise Refused(
                "this changes what the smoothed grid stands on", remedy="put this step before the smoothing"
            )
        return model, found
    with suppress(PlodekError):
        found = step.apply(model, context)
        if is_carried(model, found) or is_same_grid(model, found):
            return model, found
    before = smoothed()
    return before, step.apply(before, context)


def _lost_twins(before: Model, after: Model) -> list[str]:
    """Say which pairs of twins are none any more."""
    still = {twin.name for twin in after.layout.twins}
    lost = [f"“{twin.name}”" for twin in before.layout.twins if twin.name not in still]
    return [f"the twins {', '.join(lost)} are none any more after this"] if lost else []


def _flat() -> BadValue:
    return BadValue(
        "its numbers describe something flat or singular",
        remedy="look at the guides it uses: two may coincide, or one may have no size",
    )


def _mistake(step: Step) -> OwnMistake:
    return OwnMistake(
        f"the step {step.verb} failed in a way it should not",
        remedy="change or take out this step; the log of the program says more, and nothing was lost",
    )


def keys(recipe: Recipe, files: Files) -> list[str]:
    """Give the hash of each prefix of the recipe, with the contents of the files it reads."""
    state, found = hashlib.blake2s(f"plodek {FORMAT}".encode()), []
    hashes: dict[str, str] = {}
    for step in recipe.steps:
        state.update(step.model_dump_json().encode())
        for name in step.files():
            if name not in hashes:
                hashes[name] = _hash(name, files)
            state.update(hashes[name].encode())
        found.append(state.hexdigest())
    return found


def _hash(name: str, files: Files) -> str:
    """Give the hash of a file, with those that a recipe in it reads in turn, each once."""
    found: dict[str, str] = {}
    ahead = [name]
    while ahead:
        one = ahead.pop()
        if one in found:
            continue
        try:
            found[one] = files.hash(one)
            inner = read(files.read(one), one).steps if is_recipe(one) else []
        except PlodekError:
            found[one] = "missing"
            continue
        ahead += files_of(inner)
    return "".join(found.values())


def files_of(steps: Sequence[Step]) -> list[str]:
    """Give the names of the files that steps read, each once."""
    return list(dict.fromkeys(file for step in steps for file in step.files()))


def all_files(recipe: Recipe, files: Files) -> list[str]:
    """Give the names of all files that a recipe reads, those of brought-in recipes too; but missing ones."""
    found: dict[str, None] = {}
    ahead = files_of(recipe.steps)
    while ahead:
        name = ahead.pop(0)
        if name in found:
            continue
        try:
            data = files.read(name)
            inner = read(data, name) if is_recipe(name) else None
        except PlodekError:
            continue
        found[name] = None
        ahead += files_of(inner.steps) if inner else []
    return list(found)
