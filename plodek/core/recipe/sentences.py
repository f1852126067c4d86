"""Steps told as sentences, as the screen tells them (`web/src/model/sentences.ts`)."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from typing import Any

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.model.model import Model
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.step import Step

#: Names that are listed one by one at most: of guides, edges and sides; and of other things.
_FEW, _MANY = 3, 4


def sentences(evaluation: Evaluation) -> list[str]:
    """Tell the steps of an evaluated recipe, with the labels that things had when each was applied."""
    return [
        sentence(step, labels_in(step, evaluation.before(number)))
        for number, step in enumerate(evaluation.recipe.steps)
    ]


def labels_in(step: Step, model: Model) -> dict[str, str]:
    """Collect friendly labels for the ids anywhere in a step, of the model that it is applied to."""
    tiers = {e: t.label for e, t in model.tier_by_edge.items()} if model.layout.blocks else {}
    return _named(step.model_dump(mode="json"), model.layout.labels, tiers)


def _named(value: Any, labels: Mapping[str, str], tiers: Mapping[Edge, str]) -> dict[str, str]:
    found: dict[str, str] = {}
    if isinstance(value, dict):
        for part in value.values():
            found |= _named(part, labels, tiers)
    elif isinstance(value, list):
        if len(value) == 2 and all(isinstance(v, str) and v in labels for v in value):
            edge = edge_of(value[0], value[1])
            if edge in tiers:
                found["|".join(value)] = f"{tiers[edge]} ({labels[value[0]]}→{labels[value[1]]})"
        for part in value:
            found |= _named(part, labels, tiers)
    elif isinstance(value, str) and value in labels:
        found[value] = labels[value]
    return found


def sentence(step: Step, labels: Mapping[str, str]) -> str:
    """Tell a step: the words of its kind with its values; what is left out takes its words along."""
    values, meanings = step.model_dump(mode="json"), type(step).meanings()
    parts: list[tuple[str, bool]] = []
    for piece in re.split(r"(\{\w+\})", type(step).sentence):
        name = piece[1:-1] if re.fullmatch(r"\{\w+\}", piece) else ""
        if not name:
            if piece:
                parts.append((piece, False))
            continue
        meaning = meanings.get(name)
        widget, unit = (meaning.widget, meaning.unit) if meaning else ("", "")
        told = _value(values[name], labels, widget, unit) if step.counts(name) else ""
        if told:
            parts.append((told, True))
        else:
            _drop_word(parts)
    return re.sub(r"\s+", " ", "".join(text for text, _ in parts)).strip()


def _drop_word(parts: list[tuple[str, bool]]) -> None:
    """Take the words before a value that is left out along, back to a comma or one, but never the verb."""
    if not parts or parts[-1][1]:
        return
    text = parts[-1][0]
    first = re.match(r"\S+\s*", text) if len(parts) == 1 else None
    verb = first.group(0) if first else ""
    rest = text[len(verb) :]
    shorter = re.sub(r",[^,]*$", "", rest) if "," in rest else re.sub(r"(^|\s)[^\W\d_]*\s*$", r"\1", rest)
    parts[-1] = (verb + shorter, False)


def _value(value: Any, labels: Mapping[str, str], widget: str = "", unit: str = "") -> str:
    """Tell a value in words: a number, a place, or a selector by its labels."""
    if value is None or value == "":
        return ""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, int | float):
        return f"{_number(value)}{unit}"
    if isinstance(value, str):
        return f"{value}{unit}"
    if isinstance(value, list):
        return _list(value, labels, widget)
    return _rule({key: one for key, one in value.items() if one is not None}, labels)


def _list(values: list[Any], labels: Mapping[str, str], widget: str) -> str:
    count = len(values)
    if widget == "corner-places":
        return f"{count} corners"
    if widget == "table":
        return f"a table of {count}" if count else ""
    if widget == "places":
        return f"{count} points"
    if widget == "guides" and count > _FEW:
        return f"{count} guides"
    return ", ".join(_value(one, labels) for one in values)


def _rule(rule: dict[str, Any], labels: Mapping[str, str]) -> str:
    """Tell a selector."""
    told: dict[str, Callable[[], str]] = {
        "at": lambda: f"nearest {_value(rule['at'], labels)}",
        "any": lambda: " and ".join(_value(one, labels) for one in rule["any"]),
        "every": lambda: ", only ".join(_value(one, labels) for one in rule["every"]),
        "region": lambda: f"region {rule['region']}",
        "between": lambda: f"what is between {' and '.join(rule['between'])}",
        "on": lambda: f"what follows {rule['on']}",
        "side": lambda: f"side {rule['side']}",
        "looks": lambda: (
            f"what looks along {_value(rule['looks'], labels)} within {_number(rule.get('within', 45))}°"
        ),
        "inside": lambda: f"what is in the box {' to '.join(_value(p, labels) for p in rule['inside'])}",
        "ball": lambda: (
            f"what is in the ball of {_value(rule['radius'], labels)} round {_value(rule['ball'], labels)}"
        ),
        "plane": lambda: (
            f"what is in the plane through {_value(rule['plane'], labels)} "
            f"with normal {_value(rule['normal'], labels)}"
        ),
        "but": lambda: (
            f"{_value(rule['of'], labels)}, but not {' and '.join(_value(v, labels) for v in rule['but'])}"
        ),
        "each": lambda: f"{len(rule['each'])} by their places",
        "patch": lambda: f"patch {rule['patch']}",
        "sides": lambda: _several(
            [labels.get("|".join(sorted(one)), "a side") for one in rule["sides"]], "sides"
        ),
        "around": lambda: f"what is around {_value(rule['around'], labels)}",
        "hollow": lambda: "all hollow blocks",
        "all": lambda: "all" if rule["all"] is True else "all, hollow too",
        "rest": lambda: "all the rest",
        "guide": lambda: (
            f"{rule['guide']} at {_number(rule['fraction'])}" if rule.get("fraction") else rule["guide"]
        ),
        "ends": lambda: f"{rule['ends']} of {_listed(rule['ids'], labels)}",
        "edges": lambda: _several(
            [labels.get("|".join(e), "–".join(labels.get(c, c) for c in e)) for e in rule["edges"]], "edges"
        ),
        "ids": lambda: _listed(rule["ids"], labels),
    }
    return next((tell() for key, tell in told.items() if key in rule), json.dumps(rule))


def _several(named: list[str], what: str) -> str:
    return f"{len(named)} {what}" if len(named) > _FEW else ", ".join(named)


def _listed(ids: list[str], labels: Mapping[str, str]) -> str:
    named = [labels.get(one, one) for one in ids]
    return f"{len(named)} of them" if len(named) > _MANY else ", ".join(named)


def _number(value: float) -> str:
    """Write a number without what rounding has left behind its sixth digit."""
    short = float(f"{value:.6g}")
    return str(int(short)) if short == int(short) and abs(short) < 1e21 else repr(short)
