"""What a step is: a small class of fields with a kind, applied to a model by a pure function."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.selectors import Strict
from plodek.core.tolerances import SMALLEST
from plodek.core.units import length

Stage = Literal["Shape", "Blocks", "Spacing", "Smooth", "Check", "Hand-off"]
STAGES: tuple[Stage, ...] = ("Shape", "Blocks", "Spacing", "Smooth", "Check", "Hand-off")

GuideName: TypeAlias = Annotated[
    str,
    Field(
        pattern=r"^[A-Za-z][A-Za-z0-9_.-]{0,63}$",
        description="letters, digits, _ . and -, without spaces, beginning with a letter",
    ),
]


@dataclass(frozen=True)
class Context:
    """What a step may ask for besides the model: geometry files by their names.

    ``read_file`` gives a file's bytes; ``read_geometry`` what `geometry_file.read` makes of them, which
    may come from a cache; ``evaluate`` the model of another recipe's file.
    """

    read_file: Callable[[str], bytes]
    read_geometry: Callable[[str], bytes]
    evaluate: Callable[[str], Model]


class Step(Strict):
    """One step of a recipe; ``id`` names it for good, so that what it makes keeps its ids."""

    #: Where the verb stands, what it is called, its key, and the sentence with its values in braces.
    stage: ClassVar[Stage]
    verb: ClassVar[str]
    key: ClassVar[str]
    sentence: ClassVar[str]
    #: Under which heading the verb stands among those of its stage.
    family: ClassVar[str] = ""

    id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,32}$")

    def apply(self, model: Model, context: Context) -> Model:
        """Give the model after this step. Raises PlodekError where it cannot be applied."""
        raise NotImplementedError

    def files(self) -> list[str]:
        """Give the names of the files that the step reads."""
        return []

    def sizes(self, model: Model, value: float | str, name: str) -> float:
        """Read a length that must be above 0, in the project's unit."""
        number = length(value, model.unit)
        if not number >= SMALLEST:
            raise BadValue(f"the {name} is {value}", remedy=f"give a {name} above 0")
        return number
