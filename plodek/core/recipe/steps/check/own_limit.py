"""The step that sets a limit of its own for a part of the grid."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field

from plodek.core.check.limits import OwnLimit
from plodek.core.check.metric import LENGTH
from plodek.core.check.metrics import BY_KEY
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, Length, PatchRef, RegionRef, when
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.units import length

_BY_LABEL = {metric.label: metric for metric in BY_KEY.values()}
_LENGTHS = tuple(label for label, metric in _BY_LABEL.items() if metric.unit == LENGTH)
_OTHERS = tuple(label for label in _BY_LABEL if label not in _LENGTHS)
#: On which side of a bound values are better.
_BETTER: Mapping[str, Literal["high", "low"] | None] = {
    "where it is worse": None,
    "at least": "high",
    "at most": "low",
}
MetricLabel: TypeAlias = Annotated[str, Field(json_schema_extra={"enum": list(_BY_LABEL)})]


class OwnLimitStep(Step):
    """Limit a metric at a patch, in a region or in blocks: there it takes the place of the gate's limit."""

    kind: Literal["own-limit"] = "own-limit"
    stage: ClassVar[Stage] = "Check"
    changes: ClassVar[Changes] = "names"
    verb: ClassVar[str] = "Limit a part"
    key: ClassVar[str] = "L"
    order: ClassVar[int] = 20
    known_as: ClassVar[tuple[str, ...]] = ("quality limits", "y+")
    sentence: ClassVar[str] = "Limit {metric} to {limit} {length}, {bound}, {where} {patch} {region} {blocks}"
    metric: MetricLabel = Field(title="Metric")
    limit: float | None = Field(
        default=None,
        title="Limit",
        description="at least or at most, as the bound says",
        json_schema_extra=when(metric=_OTHERS),
    )
    length: Length | None = Field(
        default=None,
        title="Length",
        description="as limit, of a size",
        json_schema_extra=when(metric=_LENGTHS),
    )
    bound: Literal["where it is worse", "at least", "at most"] = Field(
        default="where it is worse",
        title="Bound",
        description="on the side on which the metric is worse, or as named: two limits make a range",
    )
    where: Literal["at a patch", "in a region", "in blocks"] = Field(default="at a patch", title="Where")
    patch: PatchRef = Field(default="", title="Patch", json_schema_extra=when(where="at a patch"))
    region: RegionRef = Field(default="", title="Region", json_schema_extra=when(where="in a region"))
    blocks: BlockSelector | None = Field(
        default=None, title="Blocks", json_schema_extra=when(where="in blocks")
    )

    def need_effect(self) -> None:
        """Raise BadValue for a metric that is none, too: which fields count follows from it."""
        if self.metric not in _BY_LABEL:
            raise BadValue(
                f"“{self.metric[:80]}” is no metric", remedy=f"the metrics are {', '.join(_BY_LABEL)}"
            )
        super().need_effect()

    def apply(self, model: Model, context: Context) -> Model:
        own = replace(self._limit(model), better=_BETTER[self.bound])
        return replace(model, own_limits=(*model.own_limits, own), known=model.facts)

    def _limit(self, model: Model) -> OwnLimit:
        metric = _BY_LABEL[self.metric]
        wanted = self.limit if metric.unit != LENGTH else self.length
        if wanted is None:
            field = "length" if metric.unit == LENGTH else "limit"
            raise BadValue(
                f"there is no limit for the {metric.label}", remedy=f"give one as the step's {field}"
            )
        limit = length(wanted, model.unit) if isinstance(wanted, str) else float(wanted)
        return self._where(model, metric.key, limit)

    def _where(self, model: Model, key: str, limit: float) -> OwnLimit:
        if self.where == "at a patch":
            if not self.patch:
                raise BadValue("no patch is named", remedy="name one; it may be made in a later step")
            return OwnLimit(key, limit, "patch", (self.patch,), f" at “{self.patch}”")
        if self.where == "in a region":
            names = {block.region for block in model.layout.blocks.values() if not block.hollow}
            if self.region not in names:
                raise NothingFound(
                    f"there is no region “{self.region}”",
                    remedy=f"the regions are {', '.join(sorted(names))}",
                )
            return OwnLimit(key, limit, "region", (self.region,), f" in region “{self.region}”")
        if self.blocks is None:
            raise BadValue("no block is chosen", remedy="choose the blocks that the limit is for")
        chosen = selectors.blocks(model, self.blocks)
        told = ", ".join(model.layout.labels.get(name, name) for name in chosen[:3])
        more = f" and {len(chosen) - 3} more" if len(chosen) > 3 else ""
        return OwnLimit(key, limit, "blocks", tuple(chosen), f" in {told}{more}")
