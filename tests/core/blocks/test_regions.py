"""Regions: what is made of a region's blocks keeps it, what lies between two can be named, and files carry them."""

import h5py
import pytest

from plodek.core.build.build import build
from plodek.core.formats import cgns
from plodek.core.formats.cargo import Cargo
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO_FILES, evaluated, model_of

PLANE = [
    {"kind": "frame", "id": "f", "width": 3, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [1, 2]},
    {"kind": "cut", "id": "y", "by": "y", "at": [1]},
    {"kind": "region", "id": "r", "blocks": {"each": [[0.5, 0.5], [0.5, 1.5]]}, "name": "cooling"},
]
#: What is done next; the region still is all there is left of x = 1.
NEXT = {
    "cut": [{"kind": "cut", "id": "n", "by": "x", "at": [0.5]}],
    "cut elsewhere": [{"kind": "cut", "id": "n", "by": "x", "at": [2.5]}],
    "cut across": [{"kind": "cut", "id": "n", "by": "y", "at": [0.25, 1.6]}],
    "ring inside": [
        {"kind": "ring", "id": "n", "blocks": {"at": [0.5, 0.5]}, "where": "inside", "thickness": 0.1}
    ],
    "merge": [{"kind": "merge", "id": "n", "blocks": {"each": [[0.5, 0.5], [0.5, 1.5]]}}],
    "pin": [{"kind": "pin", "id": "n", "corner": {"at": [2, 1]}, "to": [2.2, 1.1]}],
    "extrude": [{"kind": "extrude", "id": "n", "depth": 1, "cells": 3}],
    "extrude and cut": [
        {"kind": "extrude", "id": "n", "depth": 1, "cells": 4},
        {"kind": "cut", "id": "z", "by": "z", "at": [0.5]},
    ],
    "revolve": [{"kind": "revolve", "id": "n", "angle": 90, "parts": 2, "cells": 6}],
}  # fmt: skip


def side_of(model, name):
    """Tell the region of a block by where its middle stands."""
    return "cooling" if model.layout.centre(name)[0] < 1 else "fluid"


@pytest.mark.parametrize("done", NEXT)
def test_what_is_made_of_a_regions_blocks_keeps_it(done):
    model = model_of([*PLANE, *NEXT[done]])
    assert set(model.layout.regions) == {"fluid", "cooling"}
    for name in model.layout.filled:
        assert model.layout.blocks[name].region == side_of(model, name)


def test_a_hollow_block_is_of_no_region():
    model = model_of([*PLANE, {"kind": "hollow", "id": "h", "blocks": {"at": [0.5, 0.5]}}])
    assert len(model.layout.regions["cooling"]) == 1
    named = {name for blocks in model.layout.regions.values() for name in blocks}
    assert named == set(model.layout.filled)


def test_faces_between_two_regions_stay_open_or_become_an_inner_patch():
    lift = {"kind": "extrude", "id": "e", "depth": 1, "cells": 3}
    name = {
        "kind": "patch", "id": "p", "faces": {"between": ["cooling", "fluid"]}, "name": "sheet", "type": "wall",
    }  # fmt: skip
    plain, named = model_of([*PLANE, lift]), model_of([*PLANE, lift, name])
    (patch,) = named.patches
    assert len(patch.sides) == 2
    for side in patch.sides:
        regions = {named.layout.blocks[use.block].region for use in named.layout.sides[side]}
        assert regions == {"cooling", "fluid"}
    # As a wall it has faces on both sides, and the blocks are joined there no more.
    open_grid, closed = build(plain).grid, build(named).grid
    assert len(closed.interfaces) == len(open_grid.interfaces) - 2
    (sheet,) = closed.patches
    assert len(sheet.windows) == 4
    assert len(closed.unnamed) == len(open_grid.unnamed)


def test_a_region_is_found_by_its_name_and_one_that_is_not_there_is_told():
    step = {"kind": "hollow", "id": "h", "blocks": {"region": "cooling"}}
    assert len(model_of([*PLANE, step]).layout.filled) == 4
    found = evaluated([*PLANE, step | {"blocks": {"region": "heating"}}])
    assert "heating" in str(found.error)
    assert "cooling" in str(found.error)


def test_naming_only_hollow_blocks_is_refused():
    steps = [*PLANE, {"kind": "hollow", "id": "h", "blocks": {"region": "cooling"}}]
    found = evaluated([*steps, {"kind": "region", "id": "q", "blocks": {"hollow": True}, "name": "solid"}])
    assert "hollow" in str(found.error)


def test_zones_of_a_file_carry_the_family_of_their_region(tmp_path):
    recipe = document.of({"steps": [*PLANE, {"kind": "extrude", "id": "e", "depth": 1, "cells": 3}]})
    model = Evaluator().evaluate(recipe, DEMO_FILES).model
    cargo, choices = Cargo(build(model).grid, "m"), cgns.FORMAT.choices()
    (path,) = cgns.FORMAT.write(tmp_path / "grid.cgns", cargo, choices)
    with h5py.File(path) as file:
        (base,) = (node for node in file.values() if node.attrs.get("label", b"") == b"CGNSBase_t")
        families = {
            name: bytes(zone["FamilyName"][" data"][()]).decode()
            for name, zone in base.items()
            if zone.attrs.get("label", b"") == b"Zone_t"
        }
    names = [model.layout.blocks[block].region for block in model.layout.filled]
    assert sorted(families.values()) == sorted(names)
    assert set(families.values()) == {"cooling", "fluid"}
