"""Explaining an evaluation: what the rules of each step found, in words, ids and places.

With it a recipe can be written without the screen.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from typing import Any

from plodek.core.errors import PlodekError
from plodek.core.model.model import Model
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.fields import Finds
from plodek.core.recipe.places import middle_of
from plodek.core.recipe.selectors import find
from plodek.core.recipe.step import Step

#: Entities that are told for one field at most.
_MOST = 12


def explained(evaluation: Evaluation) -> list[dict[str, Any]]:
    """Tell for each step what its selectors found, what it reports (doubts too), and its error."""
    found = []
    for number, step in enumerate(evaluation.recipe.steps):
        told: dict[str, Any] = {"step": step.id, "kind": step.name_of_kind(), "state": "ok"}
        if evaluation.failed is not None and number >= evaluation.failed:
            told["state"] = "failed" if number == evaluation.failed else "waiting"
        if told["state"] == "failed":
            told["error"] = str(evaluation.error)
        if told["state"] != "waiting":
            told["found"] = _found(step, evaluation.before(number))
        if told["state"] == "ok":
            model = evaluation.models[number]
            told["report"] = model.said(step.id)
            told["makes"] = _makes(evaluation.before(number), model)
        found.append(told)
    return found


def lines_of(told: list[dict[str, Any]]) -> list[str]:
    """Write what was explained as lines of text."""
    lines = []
    for number, step in enumerate(told, 1):
        lines.append(f"{number:02d} {step['kind']} “{step['step']}”: {step['state']}")
        for field in step.get("found", []):
            lines.append(f"   {field['field']} finds {_many(field['count'], field['what'])}")
            for one in field["first"]:
                lines.append(f"      {one['label']:<14} {one['id']}  at {_shown(one['at'])}")
            if field["count"] > len(field["first"]):
                lines.append("      …")
        lines += [f"   makes {words}" for words in step.get("makes", [])]
        lines += [f"   {words}" for words in step.get("report", [])]
        if "error" in step:
            lines.append(f"   {step['error']}")
    return lines


def found_by(step: Step, model: Model) -> Iterator[tuple[str, Finds, list[Any]]]:
    """Give each field of a step that finds something, what, and the ids, in the model before the step."""
    for name, what in step.finds(model).items():
        selector = getattr(step, name)
        if selector is not None:
            with suppress(PlodekError):  # the step's own error says so
                yield name, what, find(model, what, selector, filled=step.filled)


def _found(step: Step, model: Model) -> list[dict[str, Any]]:
    return [
        {
            "field": name,
            "what": what,
            "count": len(entities),
            "first": [_told(model, entity) for entity in entities[:_MOST]],
        }
        for name, what, entities in found_by(step, model)
    ]


def _told(model: Model, entity: Any) -> dict[str, Any]:
    name = entity if isinstance(entity, str) else "|".join(entity)
    return {"label": model.layout.label(entity), "id": name, "at": middle_of(model, entity).tolist()}


def _makes(before: Model, after: Model) -> list[str]:
    """Tell the guides, blocks and corners that a step added, in numbers."""
    words = []
    new = [name for name in after.own_guides if name not in before.guides]
    if new:
        words.append("guides " + ", ".join(new[:_MOST]) + (" …" if len(new) > _MOST else ""))
    for noun, old, now in (
        ("blocks", before.layout.blocks, after.layout.blocks),
        ("corners", before.layout.corners, after.layout.corners),
    ):
        made = sum(name not in old for name in now)
        if made:
            words.append(f"{_many(made, noun)}, {len(now)} in all")
    return words


def _many(count: int, nouns: str) -> str:
    return f"{count} {nouns.removesuffix('s') if count == 1 else nouns}"


def _shown(at: list[float]) -> str:
    return "(" + ", ".join(f"{v:.6g}" for v in at) + ")"
