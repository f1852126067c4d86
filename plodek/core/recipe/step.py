"""What a step is: a small class of fields with a kind, applied to a model by a pure function.

A step registers itself: a class with a ``kind`` in a file below `steps` is a step of the recipe.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from pkgutil import walk_packages
from typing import Any, ClassVar, Literal, cast

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Finds, Meaning, Strict, meaning_of
from plodek.core.recipe.files import Files
from plodek.core.tolerances import SMALLEST
from plodek.core.units import length

Stage = Literal["Shape", "Blocks", "Spacing", "Smooth", "Check", "Hand-off"]
STAGES: tuple[Stage, ...] = ("Shape", "Blocks", "Spacing", "Smooth", "Check", "Hand-off")


@dataclass(frozen=True)
class Context:
    """What a step may ask for besides the model: ``files``, and the model of another recipe's file."""

    files: Files
    evaluate: Callable[[str], Model]


#: What a step changes: guides that are there, blocks, the spacing of blocks, the nodes of the grid (a run),
#: the plane (a lift of it), what parts are called or how they are judged, or nothing: it only adds guides.
Changes = Literal["guides", "blocks", "spacing", "grid", "lift", "names", "nothing"]

_REGISTERED: list[type[Step]] = []


class Step(Strict):
    """One step of a recipe; ``id`` names it for good, so that what it makes keeps its ids."""

    #: Where the verb stands, what it is called, its key, and the sentence with its values in braces.
    stage: ClassVar[Stage]
    verb: ClassVar[str]
    key: ClassVar[str]
    sentence: ClassVar[str]
    #: Other words of the trade that it is found by.
    known_as: ClassVar[tuple[str, ...]] = ()
    #: Its place among the verbs of its stage, and the heading that it stands under.
    order: ClassVar[int]
    family: ClassVar[str] = ""
    #: What it changes: after a smoothing run steps that change blocks or spacing work on the smoothed grid.
    changes: ClassVar[Changes]
    #: Whether its rules pass over what lies in hollow blocks.
    filled: ClassVar[bool] = False

    id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,32}$")

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        if "kind" in cls.model_fields:
            _REGISTERED.append(cls)

    @classmethod
    def name_of_kind(cls) -> str:
        """Give the kind by which steps of this class are named in recipes."""
        return cast(str, cls.model_fields["kind"].default)

    @classmethod
    def meanings(cls) -> dict[str, Meaning]:
        """Give what the fields mean, of those that mean something."""
        found = {name: meaning_of(f.annotation, f.metadata) for name, f in cls.model_fields.items()}
        return {name: meaning for name, meaning in found.items() if meaning is not None}

    def need_effect(self) -> None:
        """Raise BadValue for a field that was given a value where it does not count."""
        for name, field in type(self).model_fields.items():
            if getattr(self, name) != field.get_default() and not self.counts(name):
                where = ", ".join(
                    f"{type(self).model_fields[other].title} “{'” or “'.join(values[:3])}”"
                    + (" …" if len(values) > 3 else "")
                    for other, values in self.conditions(name).items()
                )
                raise BadValue(
                    f"“{field.title}” ({name}) has no effect here",
                    remedy=f"leave it out; it counts with {where}",
                )

    def apply(self, model: Model, context: Context) -> Model:
        """Give the model after this step. Raises PlodekError where it cannot be applied."""
        raise NotImplementedError

    def finds(self, model: Model) -> dict[str, Finds]:
        """Give what the fields that find something find in a model."""
        return {name: meaning.finds for name, meaning in self.meanings().items() if meaning.finds}

    def files(self) -> list[str]:
        """Give the names of the files that the step reads."""
        return [
            value
            for name, meaning in self.meanings().items()
            if meaning.widget == "file" and isinstance(value := getattr(self, name), str)
        ]

    def sizes(self, model: Model, value: float | str, name: str) -> float:
        """Read a length that must be above 0, in the project's unit."""
        number = length(value, model.unit)
        if not number >= SMALLEST:
            raise BadValue(f"the {name} is {value}", remedy=f"give a {name} above 0")
        return number


@cache
def kinds() -> tuple[type[Step], ...]:
    """Give all kinds of steps, by stage and by their place in it."""
    package = import_module("plodek.core.recipe.steps")
    for module in walk_packages(package.__path__, f"{package.__name__}."):
        import_module(module.name)
    return tuple(sorted(_REGISTERED, key=lambda kind: (STAGES.index(kind.stage), kind.order)))


@cache
def kinds_by_name() -> Mapping[str, type[Step]]:
    """Give the class of each kind of steps."""
    return {kind.name_of_kind(): kind for kind in kinds()}
