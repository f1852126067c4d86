"""Recipes, files and messages that ask for too much, or are no such thing, made by a script: a seed gives the same."""

import json
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

FRAME = {"kind": "frame", "width": 4, "height": 2}
BOX = {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": "50 cm"}


@dataclass(frozen=True)
class Case:
    """Something to send: a recipe's steps with its files, or a body for one path of a project."""

    name: str
    steps: list[dict[str, Any]] = field(default_factory=list)
    files: dict[str, bytes] = field(default_factory=dict)
    path: str = "model"
    body: bytes | None = None
    #: How the body is sent, and what it says it is.
    method: str = "POST"


def numbered(steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [{"id": f"s{n}", **step} for n, step in enumerate(steps)]


def recipe(steps: list[dict[str, Any]]) -> bytes:
    return json.dumps({"plodek": 3, "steps": numbered(steps)}).encode()


def too_much() -> list[Case]:
    """What has once taken a server down or held it up, and what is like it."""
    budget = {"kind": "budget", "cells": 10**9}
    bring = [{"kind": "bring-layout", "file": "me.json", "shift": [5 * n, 0]} for n in range(1, 6)]
    copies = [
        {"kind": "place", "blocks": {"all": True}, "copies": 100, "shift": [4 * 101**n, 0]} for n in range(3)
    ]
    return [
        Case("a length of 20 000 digits", [{**FRAME, "width": "1" * 20_000 + "!"}]),
        Case("1e9 cells in a box", [BOX, budget], path="grid?smoothed=false"),
        Case("1e9 cells, their quality", [BOX, budget], path="quality?smoothed=false"),
        Case("1e12 cells", [BOX, {"kind": "budget", "cells": 10**12}], path="grid?smoothed=false"),
        Case("1e8 cells in the plane", [FRAME, {**budget, "cells": 10**8}], path="grid"),
        Case("three factors of 100", [FRAME, *[{"kind": "factor", "factor": 100}] * 3]),
        Case("cells of a nanometre", [FRAME, {"kind": "wanted-size", "size": 1e-9}]),
        Case("a million copies", [FRAME, *copies[:2], *copies]),
        Case("a thousand copies of guides", [
            {"kind": "line", "name": "a", "start": [0, 0], "end": [1, 1]},
            *[{"kind": "move", "guides": ["a"], "shift": [1, 0, 0], "copies": 500}] * 3,
        ]),
        Case("itself five times", [FRAME, bring[0]], {"me.json": recipe([FRAME, *bring])}),
        Case("2 000 steps that are wrong", [{"kind": "point", "name": "p", "at": [0, 0]}] * 2000),
        Case("deep", body=b'{"steps":' + b"[" * 5000 + b"]" * 5000 + b"}", path="preview"),
        Case("deep, in text", body=b'{"steps":["' + b"[" * 5000 + b'"]}', path="preview"),
        Case("60 MB of lists", body=b'{"steps":[' + b"[]," * 20_000_000 + b"[]]}", path="preview"),
        Case("7 MB of lists", body=b'{"steps":[' + b"[]," * 2_400_000 + b"[]]}", path="preview"),
        Case("a kept recipe of lists", body=b'{"base":0,"steps":[' + b"[]," * 2_400_000 + b"[]]}",
             path="recipe", method="PUT"),
        Case("49 MB of points", body=b"1234567.5 1.25\n" * 3_300_000, path="files?name=a.csv"),
        Case("a million sections", body=b"0 0\n1 1\n\n" * 1_000_000, path="files?name=a.csv"),
        Case("one line of points", body=b"1 " * 5_000_000, path="files?name=a.csv"),
        Case("a recipe of 60 MB", body=b"[" + b"[]," * 20_000_000 + b"[]]", path="files?name=a.json"),
    ]  # fmt: skip


def at_random(seed: int, count: int) -> Iterator[Case]:
    """Give cases put together by chance: steps with wild values, and files that are torn or turned about."""
    chance = random.Random(seed)
    values = [
        0,
        -1,
        1e-300,
        1e300,
        10**9,
        "1e9 m",
        "",
        "a" * 3000,
        None,
        [],
        {},
        [[]],
        True,
        "\x00",
        "½",
        -0.0,
    ]
    fields = [
        "width",
        "height",
        "cells",
        "at",
        "blocks",
        "guide",
        "name",
        "copies",
        "sweeps",
        "angle",
        "parts",
    ]
    kinds = [
        "frame",
        "cut",
        "ring",
        "extrude",
        "revolve",
        "place",
        "space",
        "smooth",
        "polish",
        "read",
        "circle",
    ]
    good = [
        b"0 0\n1 0\n1 1\n",
        b"solid a\nendsolid a\n",
        b"v 0 0 0\nf 1 1 1\n",
        recipe([FRAME]),
        b"PK\x03\x04",
    ]
    for number in range(count):
        if chance.random() < 0.6:
            steps: list[dict[str, Any]] = [FRAME] if chance.random() < 0.7 else []
            for _ in range(chance.randint(1, 4)):
                chosen = chance.sample(fields, chance.randint(0, 4))
                steps.append({"kind": chance.choice(kinds)} | {f: chance.choice(values) for f in chosen})
            body = json.dumps({"steps": numbered(steps)}).encode()
            yield Case(f"steps {number}", body=body, path="preview")
        else:
            data = bytearray(chance.choice(good) * chance.randint(1, 50))
            for _ in range(chance.randint(1, 20)):
                data[chance.randrange(len(data))] = chance.randrange(256)
            ending = chance.choice(["csv", "json", "stl", "obj", "step", "igs", "dxf", "txt", "zip"])
            route = "files" if ending in ("csv", "json", "txt", "zip") else "geometry"
            yield Case(f"file {number}", body=bytes(data), path=f"{route}?name=a.{ending}")
