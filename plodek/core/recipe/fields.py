"""The types of the fields that steps have: each carries what it means: its widget, its unit, what it finds.

Forms, the recipe reference, unit conversion and renaming read the meaning from the type, never from a
widget's name: a field that holds lengths is one whose type says `Length`, however deep in a list or selector.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, TypeAlias, TypeVar, Union, cast, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field
from pydantic.config import JsonDict

Finds = Literal["corners", "edges", "sides", "blocks"]


@dataclass(frozen=True)
class Meaning:
    """What a value is: its ``widget`` in forms, the ``words`` for it in the reference, and its unit.

    ``of`` says which guides or files are meant; ``finds`` what a selector finds.
    """

    widget: str
    words: str = ""
    of: str = ""
    unit: str = ""
    finds: Finds | None = None


class Strict(BaseModel):
    """A part of a recipe: unknown fields are errors, and nothing changes after reading."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, defer_build=True)

    @classmethod
    def conditions(cls, name: str) -> dict[str, list[str]]:
        """Give the choices of other fields with which a field counts; with none it always does."""
        extra = cls.model_fields[name].json_schema_extra
        when = extra.get("when", {}) if isinstance(extra, dict) else {}
        return cast(dict[str, list[str]], when)

    def counts(self, name: str) -> bool:
        """Whether a field has an effect, given the other values of the step."""
        return all(str(getattr(self, other)) in values for other, values in self.conditions(name).items())


#: Where places stand that are left out.
ORIGIN: list[float | str] = [0.0, 0.0, 0.0]
X_AXIS: list[float] = [1.0, 0.0, 0.0]
Z_AXIS: list[float] = [0.0, 0.0, 1.0]


def when(**choices: str | tuple[str, ...]) -> JsonDict:
    """Say for which choices of other fields a field counts; elsewhere it is not shown nor taken."""
    shown: JsonDict = {name: [one] if isinstance(one, str) else list(one) for name, one in choices.items()}
    return {"when": shown}


Length: TypeAlias = Annotated[
    float | str,
    Meaning("length", "length"),
    Field(description="a number in the project's unit, or text with a unit: “6 mm”"),
]
Lengths: TypeAlias = Annotated[list[Length], Meaning("lengths", "list of lengths")]
Coordinates: TypeAlias = Annotated[
    list[Length],
    Meaning("place", "place"),
    Field(min_length=2, max_length=3, description="x, y and z; z is 0 where left out"),
]
Direction: TypeAlias = Annotated[
    list[float],
    Meaning("direction", "direction `[x, y, z]`"),
    Field(min_length=3, max_length=3, description="x, y and z of a direction of any length"),
]
Degrees: TypeAlias = Annotated[float, Meaning("number", "number", unit="°")]
Fraction: TypeAlias = Annotated[float, Meaning("fraction", "number"), Field(ge=0, le=1)]
Numbers: TypeAlias = Annotated[list[float], Meaning("numbers", "list of numbers")]
Table: TypeAlias = Annotated[
    list[Annotated[list[float | str], Field(min_length=2, max_length=2)]],
    Meaning("table", "list of `[place, size]`"),
]

GuideRef: TypeAlias = Annotated[str, Meaning("guide", "text")]
CurveRef: TypeAlias = Annotated[str, Meaning("guide", "text", of="curve")]
SurfaceRef: TypeAlias = Annotated[str, Meaning("guide", "text", of="surface")]
GuideRefs: TypeAlias = Annotated[list[GuideRef], Meaning("guides", "list of names")]
CurveRefs: TypeAlias = Annotated[list[GuideRef], Meaning("guides", "list of names", of="curve")]
SurfaceRefs: TypeAlias = Annotated[list[GuideRef], Meaning("guides", "list of names", of="surface")]
#: The name of a guide or group that a step makes.
GuideName: TypeAlias = Annotated[
    str,
    Meaning("text", "text"),
    Field(
        pattern=r"^[A-Za-z][A-Za-z0-9_.-]{0,63}$",
        description="letters, digits, _ . and -, without spaces, beginning with a letter",
    ),
]
PointFile: TypeAlias = Annotated[str, Meaning("file", "text", of="points")]
GeometryFile: TypeAlias = Annotated[str, Meaning("file", "text", of="geometry")]
GridFile: TypeAlias = Annotated[str, Meaning("file", "text", of="grid")]
MapFile: TypeAlias = Annotated[str, Meaning("file", "text", of="map")]
RecipeFile: TypeAlias = Annotated[str, Meaning("file", "text", of="recipe")]
#: A patch or region by its name; it may be made in a later step.
PatchRef: TypeAlias = Annotated[str, Meaning("text", "text", of="patch")]
RegionRef: TypeAlias = Annotated[str, Meaning("text", "text", of="region")]
PatchName: TypeAlias = Annotated[str, Meaning("patch-name", "text")]
RegionName: TypeAlias = Annotated[
    str, Meaning("text", "text"), Field(pattern=r"^[A-Za-z][A-Za-z0-9_-]{0,31}$")
]
Proposals: TypeAlias = Annotated[list[str], Meaning("proposals", "list of names")]


class OnGuide(Strict):
    """A place on a guide: a guide point by name, or a fraction of a guide curve's length."""

    guide: GuideRef
    fraction: Fraction = 0.0


PlaceOf: TypeAlias = Annotated[
    Coordinates | OnGuide, Meaning("place-or-guide", 'place, or `{"guide": "…", "fraction": 0.5}`')
]
Places: TypeAlias = Annotated[
    list[Coordinates | OnGuide], Meaning("places", 'list of places, or of `{"guide": "…"}`')
]

EndName = Literal["x-", "x+", "y-", "y+", "z-", "z+"]


class Ids(Strict):
    """Corners or blocks by id."""

    ids: list[str] = Field(min_length=1)


class EdgeIds(Strict):
    """Edges by the ids of their two corners; the order gives the edge its way."""

    edges: list[tuple[str, str]] = Field(min_length=1)


class SideIds(Strict):
    """Sides of blocks by the ids of their corners; edges, in the plane."""

    sides: list[list[str]] = Field(min_length=1)


class At(Strict):
    """What lies nearest to a place: a corner, an edge or side (its middle), a block (its centre).

    The edge runs from its end nearest to ``start``; without it, from the end with the lower x (or y).
    """

    at: PlaceOf
    start: PlaceOf | None = None


class Each(Strict):
    """What lies nearest to each of several places, found as `At` finds one."""

    each: list[Coordinates | OnGuide] = Field(min_length=1, max_length=1000)


class On(Strict):
    """What follows a guide, or sits on it."""

    on: GuideRef


class OnSide(Strict):
    """Outer sides (edges, in the plane) on the extreme side of the layout."""

    side: EndName


class Hollows(Strict):
    """All blocks that are hollow."""

    hollow: Literal[True]


class OfRegion(Strict):
    """The blocks of a region."""

    region: str


class Everything(Strict):
    """All there is."""

    all: Literal[True]


class AllBlocks(Strict):
    """All blocks of the flow, or hollow ones too."""

    all: Literal[True, "hollow too"]


class Around(Strict):
    """The sides (edges, in the plane) around blocks, those between them left out."""

    around: Ids | At | Hollows | OfRegion | AllBlocks


class OfPatch(Strict):
    """The sides that a patch has."""

    patch: str


class Between(Strict):
    """The sides between two regions."""

    between: tuple[str, str]


class Rest(Strict):
    """All outer faces that no patch before has taken."""

    rest: Literal[True]


class Ends(Strict):
    """The ends of chosen blocks of a lifted plane: at the plane (z-) or at the end of the lift (z+)."""

    ends: Literal["z-", "z+"]
    ids: list[str] = Field(min_length=1)


class Looking(Strict):
    """Outer sides (edges, in the plane) that look along a direction, out of the flow, within an angle."""

    looks: Direction
    within: Degrees = Field(default=45.0, gt=0, le=180)


class Inside(Strict):
    """Outer sides (edges, in the plane) all of whose corners lie in a box, given by two opposite corners."""

    inside: tuple[Coordinates, Coordinates]


class InBall(Strict):
    """Outer sides (edges, in the plane) all of whose corners lie in a ball, given by its centre."""

    ball: Coordinates
    radius: Length


class InPlane(Strict):
    """Outer sides (edges, in the plane) all of whose corners lie in a plane, such as one of a sector."""

    plane: Coordinates
    normal: Direction


_OfSides: TypeAlias = OnSide | Around | OfPatch | Between | Looking | Inside | InBall | InPlane
_Edges: TypeAlias = EdgeIds | At | Each | On | _OfSides | Everything
_Sides: TypeAlias = SideIds | EdgeIds | At | Each | On | _OfSides | Everything


class AnyOfEdges(Strict):
    """All edges that any of several rules finds."""

    any: list[_Edges] = Field(min_length=1, max_length=100)


class AnyOfSides(Strict):
    """All sides that any of several rules finds."""

    any: list[_Sides | Ends] = Field(min_length=1, max_length=100)


class EveryOfSides(Strict):
    """The sides that each of several rules finds."""

    every: list[_Sides | Ends | AnyOfSides] = Field(min_length=2, max_length=100)


class SidesBut(Strict):
    """The sides that one rule finds, but for those that any of others finds."""

    of: _Sides | AnyOfSides | EveryOfSides
    but: list[_Sides | Ends] = Field(min_length=1, max_length=100)


class AnyOfBlocks(Strict):
    """All blocks that any of several rules finds."""

    any: list[Ids | At | Each | Hollows | OfRegion] = Field(min_length=1, max_length=100)


class AnyOfCorners(Strict):
    """All corners that any of several rules finds."""

    any: list[Ids | At | Each | EdgeIds | On | _OfSides | Everything] = Field(min_length=1, max_length=100)


CornerSelector: TypeAlias = Annotated[Ids | At, Meaning("corner", "corner", finds="corners")]
CornersSelector: TypeAlias = Annotated[
    Ids | At | Each | EdgeIds | On | _OfSides | Everything | AnyOfCorners,
    Meaning("corners", "corners", finds="corners"),
]
BlockSelector: TypeAlias = Annotated[
    Ids | At | Each | Hollows | OfRegion | AnyOfBlocks | AllBlocks,
    Meaning("blocks", "blocks", finds="blocks"),
]
EdgeSelector: TypeAlias = Annotated[_Edges | AnyOfEdges, Meaning("edges", "edges", finds="edges")]
TierSelector: TypeAlias = Annotated[_Edges | AnyOfEdges, Meaning("edge", "edges", finds="edges")]
_Composed: TypeAlias = AnyOfSides | EveryOfSides | SidesBut
SideSelector: TypeAlias = Annotated[_Sides | _Composed, Meaning("sides", "sides", finds="sides")]
EdgesOrSides: TypeAlias = Annotated[
    _Sides | _Composed, Meaning("edges-or-sides", "edges or sides", finds="edges")
]
FaceSelector: TypeAlias = Annotated[
    _Sides | _Composed | Ends | Rest, Meaning("faces", "faces", finds="sides")
]
CornerPlaces: TypeAlias = Annotated[
    list[Coordinates | OnGuide | Ids], Meaning("corner-places", "list of places and corners")
]


def meaning_of(annotation: Any, metadata: list[Any]) -> Meaning | None:
    """Give the meaning of a field from its type, the outermost where it is made of several."""
    for kind, marks in _arms(annotation, metadata):
        if kind is not NoneType:
            return next((mark for mark in marks if isinstance(mark, Meaning)), None)
    return None


#: What is done to the innermost values that carry a meaning: numbers and texts.
Change = Callable[[Meaning, Any], Any]
_Part = TypeVar("_Part", bound=Strict)


def rewritten(part: _Part, change: Change) -> _Part:
    """Give a copy of a step or selector with all that counts, and whose type has a meaning, changed."""
    found = {
        name: _rewritten(getattr(part, name), field.annotation, field.metadata, change)
        for name, field in type(part).model_fields.items()
        if part.counts(name)
    }
    return part.model_copy(update=found)


def _rewritten(value: Any, annotation: Any, metadata: list[Any], change: Change) -> Any:
    if value is None:
        return None
    if isinstance(value, Strict):
        return rewritten(value, change)
    if isinstance(value, list | tuple):
        inner = next(k for k, _ in _arms(annotation, metadata) if get_origin(k) in (list, tuple))
        kinds = get_args(inner)
        if get_origin(inner) is list:
            kinds = kinds * len(value)
        return type(value)(_rewritten(v, kind, [], change) for v, kind in zip(value, kinds, strict=True))
    for kind, marks in _arms(annotation, metadata):
        meaning = next((mark for mark in marks if isinstance(mark, Meaning)), None)
        if meaning is not None and kind in (float, int, str):
            return change(meaning, value)
    return value


def _arms(annotation: Any, metadata: list[Any]) -> Iterator[tuple[Any, list[Any]]]:
    """Give the alternatives of a type, each with the marks that stand around it, the outermost first."""
    if get_origin(annotation) is Annotated:
        inner, *marks = get_args(annotation)
        yield from _arms(inner, [*metadata, *marks])
    elif get_origin(annotation) in (Union, UnionType):
        for arm in get_args(annotation):
            yield from _arms(arm, metadata)
    else:
        yield annotation, metadata
