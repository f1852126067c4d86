"""Geometry files of all kinds, good and bad: what is wrong is said, and where."""

import io
import math
from pathlib import Path

import ezdxf
import numpy as np
import pytest
import trimesh
from ezdxf import units

from plodek.core.errors import BadFile, BadValue
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from plodek.core.shape.files import cad_file, geometry_file
from plodek.core.shape.files.contents import guides_of
from plodek.core.shape.files.packed import pack, unpack

DEMO = Path(__file__).parents[3] / "plodek" / "demo"
STEP = (DEMO / "draft-cone.step").read_bytes()
IGES = (DEMO / "draft-cone-gaps.igs").read_bytes()
BOX = trimesh.creation.box((1.0, 2.0, 3.0))


def stl(kind="stl_ascii"):
    data = BOX.export(file_type=kind)
    return data.encode() if isinstance(data, str) else data


def drawing(insunits=units.MM):
    document = ezdxf.new("R2010")
    document.units = insunits
    space = document.modelspace()
    document.layers.add("walls")
    space.add_line((0, 0), (3, 4), dxfattribs={"layer": "walls"})
    space.add_arc((0, 0), 2, 350, 10)
    space.add_circle((1, 1, 5), 2)
    space.add_ellipse((0, 0), (2, 0), 0.5, 0, math.pi)
    space.add_lwpolyline([(0, 0), (1, 0), (1, 1)], close=True)
    space.add_lwpolyline([(0, 0, 1), (1, 0, 0)], format="xyb")
    space.add_spline([(0, 0), (1, 1), (2, 0), (3, 1)])
    space.add_point((7, 8, 9))
    space.add_text("a note")
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def guides(data, name, **options):
    packed = geometry_file.read(data, name)
    found = guides_of(packed, 1.0, "k", **({"edges": False, "angle": 30.0} | options))
    return {one.name or f"{n}": one for n, one in enumerate(found)}, geometry_file.summary(packed, name)


def test_stl_both_ways_and_obj_are_one_box():
    obj = BOX.export(file_type="obj").encode()
    for data, name in ((stl(), "b.stl"), (stl("stl"), "b.STL"), (obj, "b.obj")):
        found, told = guides(data, name, edges=True)
        surface = next(iter(found.values())).guide
        assert (surface.area, surface.swept_volume) == pytest.approx((22.0, 6.0))
        assert sum(g.guide.length for g in list(found.values())[1:]) == pytest.approx(24.0)
        assert told.unit == ""
        assert told.counts == {"triangulated surfaces": 1, "triangles": 12}
        np.testing.assert_allclose(told.high, [0.5, 1, 1.5], atol=1e-6)


def test_names_of_solids_and_objects_are_kept():
    two = stl().replace(b"solid ", b"solid hull ", 1) + stl().replace(b"solid", b"solid keel", 1)
    assert {"keel"} <= {name.split()[0] for name in guides(two, "two.stl")[0]}
    obj = b"o hull\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nf 1 2 3\no deck\nf 2 4 3\n"
    assert set(guides(obj, "two.obj")[0]) == {"hull", "deck"}


def test_a_drawing_brings_curves_layers_and_its_unit():
    found, told = guides(drawing(), "plan.dxf")
    assert told.unit == "mm"
    assert told.left_out == ("1 TEXT",)
    line = next(one for one in found.values() if one.group == "walls")
    lengths = sorted(round(one.guide.length, 9) for one in found.values() if hasattr(one.guide, "length"))
    arc, bulge, ring = 2 * math.radians(20), math.pi / 2, 2 + math.sqrt(2)
    for wish in (5.0, arc, 2 * math.tau, bulge, ring):
        assert any(abs(wish - had) < 1e-6 for had in lengths), (wish, lengths)
    assert line.guide.length == 5.0
    assert found["point"].guide.xyz == (7, 8, 9)


def test_the_step_file_keeps_its_names_and_says_its_unit():
    found, told = guides(STEP, "cone.stp", edges=True)
    assert told.file_unit == "metre"
    assert {"east", "north", "west", "south", "inlet", "outlet"} <= set(found)
    assert found["east"].group == "draft-cone"
    assert sum(name.startswith("edge") for name in found) == 12


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (b"", "a.step", "is empty"),
        (b"   \n", "a.step", "is empty"),
        (STEP[: len(STEP) // 2], "a.step", "breaks off at line"),
        (b"hello", "a.step", "ISO-10303-21"),
        (IGES[: len(IGES) // 2], "a.igs", "breaks off at line"),
        (b"hello\n", "a.iges", "column 73"),
        (b"PK\x03\x04" + b"\0" * 99, "bomb.step", "ZIP archive"),
        (b"\x1f\x8b" + b"\0" * 99, "bomb.stl", "gzip archive"),
        (stl("stl")[:-70], "a.stl", "breaks off after 10 of its 12"),
        (stl()[:-300], "a.stl", "breaks off at line"),
        (b"just words", "a.stl", "no STL file"),
        (stl().replace(b"0.5", b"nan", 1), "a.stl", "no usable number"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "a.obj", "line 4 “f 1 2 9”"),
        (b"v 0 0 0\nv 1 0 0\nf 1 2 2\n", "a.obj", "no triangle"),
        (b"\xff\xfe\x00\x80", "a.obj", "not text"),
        (drawing()[:3000], "a.dxf", "breaks off"),
        (b"hello\nEOF", "a.dxf", "cannot be understood"),
    ],
)  # fmt: skip
def test_bad_files_say_what_is_wrong_and_where(data, name, words):
    with pytest.raises(BadFile) as caught:
        geometry_file.read(data, name)
    assert words in str(caught.value)
    assert name in str(caught.value)


def test_an_entity_that_step_does_not_know_is_named():
    broken = STEP.replace(b"CYLINDRICAL_SURFACE", b"WOBBLY_SURFACE").replace(
        b"B_SPLINE_SURFACE_WITH_KNOTS", b"WOBBLY_SURFACE"
    )
    assert broken != STEP
    with pytest.raises(BadFile, match=r"entity #\d+.* of no type that the STEP standard knows"):
        cad_file.read(broken, "step", "a.step")


def test_a_file_that_upsets_the_kernel_upsets_nothing_else(monkeypatch):
    monkeypatch.setattr(cad_file, "_MOST_BYTES", 50 * 1024**2)  # too little to even start
    with pytest.raises(BadFile, match="broke down over it"):
        cad_file.read(STEP, "step", "a.step")


def test_a_file_without_a_unit_asks_for_it():
    steps = [{"kind": "bring-in", "id": "b", "file": "box.stl", "name": "box"}]
    for unit, size in ((None, None), ("cm", 0.01)):
        steps[0]["file_unit"] = unit
        found = Evaluator().evaluate(document.of({"steps": steps}), Files(lambda name: stl()))
        if unit is None:
            assert isinstance(found.error, BadValue)
            assert "does not say its unit" in str(found.error)
        else:
            assert (
                found.model.surface("box").area == pytest.approx(22 * size**2)
                if "box" in found.model.guides
                else True
            )
            assert any(
                getattr(g, "area", 0) == pytest.approx(22 * size**2) for g in found.model.guides.values()
            )


def test_packing_is_undone_by_unpacking():
    tree = {"a": [1, "b", {"c": np.arange(6.0).reshape(2, 3)}], "d": np.array([], dtype=np.int64), "e": None}
    back = unpack(pack(tree))
    np.testing.assert_array_equal(back["a"][2]["c"], tree["a"][2]["c"])
    assert back["a"][:2] == [1, "b"]
    assert back["d"].dtype == np.int64
    assert back["e"] is None
