"""What is beyond a limit is refused before it is made, with the number, the limit and what helps."""

import json
import signal
import tracemalloc

import pytest

from plodek.core.budget import LIMITS, most, need, variable
from plodek.core.build.build import build, filled_grid, layer_grid, shell
from plodek.core.errors import BadValue, OverBudget
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator, keys
from plodek.core.recipe.files import in_memory
from plodek.core.shape.files import mesh_file, point_file
from plodek.core.units import length
from tests.conftest import evaluated, numbered

FRAME = {"kind": "frame", "width": 4, "height": 2}
BOX = {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": "50 cm"}


def model(*steps):
    return evaluated(numbered(list(steps))).model


@pytest.mark.parametrize("name", LIMITS)
def test_every_limit_holds_to_the_last_one_and_says_what_helps(monkeypatch, name):
    monkeypatch.setenv(variable(name), "7")
    need(name, 7)
    with pytest.raises(OverBudget) as found:
        need(name, 8, where="here")
    assert "come to 8 " in str(found.value)
    assert "7 is the most" in str(found.value)
    assert variable(name) in found.value.remedy
    assert found.value.where == "here"


@pytest.mark.parametrize("text", ["many", "0", "-3", "1.5", "1e9"])
def test_a_limit_that_is_no_number_is_refused_by_its_name(monkeypatch, text):
    monkeypatch.setenv(variable("cells"), text)
    with pytest.raises(BadValue, match=variable("cells")):
        most("cells")


def test_a_grid_takes_half_of_the_free_memory_at_most():
    assert 0 < most("cells") <= LIMITS["cells"].default
    assert most("memory_mb") > 0


@pytest.mark.parametrize("made", [build, filled_grid, shell], ids=["whole", "filled", "shell"])
@pytest.mark.parametrize("steps", [(BOX,), (FRAME,)], ids=["space", "plane"])
def test_cells_are_counted_before_they_are_made(made, steps):
    large = model(*steps, {"kind": "budget", "cells": 10**8})
    tracemalloc.start()
    with pytest.raises(OverBudget, match="cells in a grid"):
        made(large)
    assert tracemalloc.get_traced_memory()[1] < 10**7
    tracemalloc.stop()


def test_a_layer_of_too_large_a_grid_is_refused_too():
    with pytest.raises(OverBudget, match="cells in a grid"):
        layer_grid(model(BOX, {"kind": "budget", "cells": 10**9}), {})


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([FRAME, *[{"kind": "factor", "factor": 100}] * 3], "the tier T1.*cells on one tier"),
        ([FRAME, {"kind": "wanted-size", "size": 1e-9}], "cells on one tier"),
        ([FRAME, *[{"kind": "place", "blocks": {"all": True}, "copies": 100, "shift": [s, 0]} for s in (4, 404, 40804)]], "blocks, and"),
    ],
    ids=["factors", "sizes", "copies"],
)  # fmt: skip
def test_a_step_that_goes_too_far_is_refused_and_those_before_it_stand(monkeypatch, steps, words):
    monkeypatch.setenv(variable("blocks"), "150")
    found = evaluated(numbered(steps))
    with pytest.raises(OverBudget, match=words):
        raise found.error
    assert 0 < len(found.models) < len(steps)
    assert found.model.cells > 0


def test_copies_of_guides_are_counted(monkeypatch):
    monkeypatch.setenv(variable("guides"), "100")
    line = {"kind": "line", "name": "a", "start": [0, 0], "end": [1, 1]}
    found = evaluated(numbered([line, {"kind": "move", "guides": ["a"], "shift": [1, 0, 0], "copies": 100}]))
    assert isinstance(found.error, OverBudget)


@pytest.mark.parametrize(
    ("data", "name"),
    [
        (b"[" * 61 + b"]" * 61, "json_depth"),
        (b"[" + b"[]," * 600_000 + b"[]]", "json_values"),
        (b" " * (8 * 1024**2 + 1), "json_mb"),
    ],
)
def test_json_is_measured_before_it_is_parsed(data, name):
    with pytest.raises(OverBudget, match=variable(name)):
        document.read(data)


def test_brackets_in_text_are_not_deep():
    named = json.dumps({"steps": [], "name": '["\\' * 30}).encode()
    document.need_bounded(named, "a")
    assert document.read(named).steps == []
    with pytest.raises(OverBudget):
        document.need_bounded(b'{"a\\"": ' + b"[" * 60 + b"]" * 60 + b"}", "a")


def test_files_are_counted_before_they_are_read():
    with pytest.raises(OverBudget, match="rows in a file"):
        point_file.read(b"1 2\n" * 200_001)
    with pytest.raises(OverBudget, match="sections in a file"):
        point_file.read(b"0 0\n1 1\n\n" * 2_001)
    with pytest.raises(OverBudget, match="triangles in a file"):
        mesh_file.read(b"v 0 0 0\nf" + b" 1" * 16_000_000, "obj", "a.obj")


@pytest.mark.parametrize(
    "text", ["1" * 200_000 + "!", "1" * 200_000 + "." + "1" * 200_000 + "e", " " * 200_000 + "m"]
)
def test_lengths_are_read_in_one_go(text):
    """Each went through once for every place in it, which took a minute for a tenth of this: an hour and more."""
    signal.signal(signal.SIGALRM, signal.default_int_handler)
    signal.alarm(60)
    try:
        with pytest.raises(BadValue) as found:
            length(text, "m")
    finally:
        signal.alarm(0)
    assert len(str(found.value)) < 200


@pytest.mark.parametrize("text", ["1.", ".5", "1.5e3", "-2 mm", "+1E-2in", " 7  ft "])
def test_lengths_are_still_read(text):
    assert length(text, "m") == pytest.approx(length(text.replace(" ", ""), "m"))


def recipe(*steps):
    return json.dumps({"plodek": 3, "steps": numbered(list(steps))}).encode()


def bring(name, *shifts):
    return [{"kind": "bring-layout", "file": name, "shift": [shift, 0]} for shift in shifts]


def test_a_layout_that_brings_itself_in_many_times_is_told_at_once():
    files = in_memory({"me.json": recipe(FRAME, *bring("me.json", 5, 10, 15, 20, 25))})
    read = document.of({"steps": numbered([FRAME, *bring("me.json", 5)])})
    found = Evaluator().evaluate(read, files)
    assert "brings in itself" in str(found.error)


def test_recipes_that_bring_in_each_other_are_read_and_evaluated_once_each():
    """Five times five times five: the work is that of the files, not of the ways through them."""
    counts: dict[str, int] = {}
    data = {
        f"{n}.json": recipe(FRAME, *bring(f"{n + 1}.json", *(4.0 * 6 ** (5 - n) * k for k in range(1, 6))))
        for n in range(2)
    }
    data["2.json"] = recipe(FRAME)

    class Counted(type(in_memory({}))):
        def hash(self, name):
            counts[name] = counts.get(name, 0) + 1
            return super().hash(name)

    files = Counted(lambda name: data[name])
    read = document.of({"steps": numbered(bring("0.json", 0))})
    keys(read, files)
    assert counts == {"0.json": 1, "1.json": 1, "2.json": 1}
    assert len(Evaluator().evaluate(read, files).model.layout.blocks) == 31


def test_a_changed_file_deep_below_changes_the_key():
    data = {"a.json": recipe(*bring("b.json", 0)), "b.json": recipe(FRAME)}
    read = document.of({"steps": numbered(bring("a.json", 0))})
    before = keys(read, in_memory(dict(data)))
    data["b.json"] = recipe({**FRAME, "width": 5})
    assert keys(read, in_memory(data)) != before


def test_an_evaluation_ends_at_the_step_where_its_time_is_over():
    found = Evaluator(most_seconds=0.0).evaluate(
        document.of({"steps": numbered([FRAME, FRAME])}), in_memory({})
    )
    assert isinstance(found.error, OverBudget)
    assert "seconds for one evaluation" in str(found.error)
    assert found.models == ()


def test_memory_that_is_not_there_is_told_as_such(monkeypatch):
    from plodek.core.recipe.steps.blocks.frame import Frame

    def full(*_):
        raise MemoryError

    monkeypatch.setattr(Frame, "apply", full)
    assert "MB of memory" in str(evaluated(numbered([FRAME])).error)
