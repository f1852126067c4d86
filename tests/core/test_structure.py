"""What may import what, and documents that say what the code does."""

import ast
from pathlib import Path

from plodek.core.check.metric import METRICS
from plodek.core.formats.registry import formats
from plodek.core.recipe.step import kinds

ROOT = Path(__file__).parents[2]
CORE = ROOT / "plodek" / "core"


def imports(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom):
            yield node.module or ""


def test_the_core_knows_neither_server_nor_database_nor_recipes():
    for path in CORE.rglob("*.py"):
        for name in imports(path):
            assert name.split(".")[0] not in {"flask", "apiflask", "peewee", "huey", "click"}, path
            assert not name.startswith(("plodek.server", "plodek.cli")), path
            if "recipe" not in path.parts:
                assert not name.startswith("plodek.core.recipe"), path


def test_imports_inside_the_core_run_one_way():
    order = ["shape", "blocks", "spacing", "grid", "smooth", "check", "formats", "model", "build", "recipe"]
    for path in CORE.rglob("*.py"):
        if path.parent == CORE:
            continue
        ours = order.index(path.relative_to(CORE).parts[0])
        for name in imports(path):
            parts = name.split(".")
            if name.startswith("plodek.core.") and parts[2] in order:
                assert order.index(parts[2]) <= ours, (path, name)


def test_the_screen_model_knows_neither_react_nor_three():
    for path in (ROOT / "web" / "src" / "model").glob("*.ts*"):
        text = path.read_text()
        assert 'from "react' not in text, path
        assert 'from "three' not in text, path


def test_every_step_metric_and_format_is_documented():
    reference = (ROOT / "docs" / "recipe-reference.md").read_text()
    told = (ROOT / "docs" / "formats.md").read_text().lower()
    formulas = (ROOT / "docs" / "formulas.md").read_text().lower()
    for kind in kinds():
        name = kind.name_of_kind()
        assert f"## `{name}`" in reference
    for metric in METRICS:
        assert metric.label.lower() in formulas
    for name in formats():
        assert name in told


def test_the_reference_is_as_the_schema_is():
    from plodek.core.recipe.reference import reference

    assert (ROOT / "docs" / "recipe-reference.md").read_text() == reference()
