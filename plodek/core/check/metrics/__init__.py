"""All metrics: the basic ones, and each family of others in a file of its own, which registers itself."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from pkgutil import iter_modules

from plodek.core.arrays import Floats
from plodek.core.check.measured import Measured
from plodek.core.check.metric import BASIC, FAMILIES, Group, Metric
from plodek.core.errors import BadValue

for _one in sorted(module.name for module in iter_modules(__path__)):
    import_module(f"{__name__}.{_one}")

_GROUPS: tuple[Group, ...] = ("cell", "size", "wall", "joint")
#: All metrics by their keys, in the order that they are told.
BY_KEY: Mapping[str, Metric] = {
    metric.key: metric
    for metric in sorted(
        (*BASIC.values(), *(metric for metrics, _ in FAMILIES for metric in metrics)),
        key=lambda metric: _GROUPS.index(metric.group),
    )
}


def known(key: str) -> Metric:
    """Give a metric by its key. Raises BadValue for one that is none."""
    if key not in BY_KEY:
        raise BadValue(f"“{key[:80]}” is no metric", remedy=f"the metrics are {', '.join(BY_KEY)}")
    return BY_KEY[key]


def in_families() -> list[list[str]]:
    """List the keys of all metrics, those together that are worked out together."""
    return [[key] for key in BASIC] + [[metric.key for metric in metrics] for metrics, _ in FAMILIES]


def work_out(key: str, cells: Measured) -> dict[str, Floats]:
    """Work out the family of a metric: values (cells,) by the keys of its metrics."""
    for metrics, work in FAMILIES:
        if any(metric.key == key for metric in metrics):
            return {metric.key: values for metric, values in zip(metrics, work(cells), strict=True)}
    raise KeyError(key)
