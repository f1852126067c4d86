"""What may import what, and documents that say what the code does."""

import ast
import re
from graphlib import TopologicalSorter
from pathlib import Path

from plodek.cli import plodek
from plodek.core.budget import LIMITS, variable
from plodek.core.check.metrics import BY_KEY
from plodek.core.errors import NotRun, PlodekError
from plodek.core.formats.registry import formats
from plodek.core.recipe.reference import reference, schema_text
from plodek.core.recipe.step import kinds
from plodek.core.units import METRES, TEXT
from plodek.server.openapi import description
from plodek.server.settings import VARIABLES

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
            assert name.split(".")[0] not in {"flask", "apiflask", "peewee", "click"}, path
            assert not name.startswith(("plodek.server", "plodek.cli")), path
            if "recipe" not in path.parts:
                assert not name.startswith("plodek.core.recipe"), path


def test_imports_inside_the_core_run_one_way():
    order = [
        "doors",
        "shape",
        "blocks",
        "spacing",
        "grid",
        "smooth",
        "check",
        "formats",
        "proof",
        "dryrun",
        "model",
        "build",
        "recipe",
        "report",
    ]
    for path in CORE.rglob("*.py"):
        if path.parent == CORE:
            continue
        ours = order.index(path.relative_to(CORE).parts[0])
        for name in imports(path):
            parts = name.split(".")
            if name.startswith("plodek.core.") and parts[2] in order:
                assert order.index(parts[2]) <= ours, (path, name)


SCREEN = ROOT / "web" / "src"


def parts_imported(path):
    """Give the parts of the screen that a file of it imports from."""
    for found in re.findall(r'from "(\.[^"]+)"', path.read_text()):
        yield (path.parent / found).resolve().relative_to(SCREEN)


def test_no_files_import_each_other_round_about():
    """Those imported for types alone, or within a function, count as well."""
    modules = {
        ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__"): path
        for path in (ROOT / "plodek").rglob("*.py")
    }
    needs = {}
    for module, path in modules.items():
        names = {
            f"{node.module}.{one.name}" if f"{node.module}.{one.name}" in modules else node.module
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.ImportFrom)
            for one in node.names
        }
        needs[module] = {name for name in names if name in modules}
    list(TopologicalSorter(needs).static_order())
    screen = ROOT / "web" / "src"
    needs = {
        path: {
            found
            for name in re.findall(r"from \"(\.[^\"]+)\"", path.read_text())
            for ending in (".ts", ".tsx")
            if (found := (path.parent / f"{name}{ending}").resolve()).exists()
        }
        for path in screen.rglob("*.ts*")
    }
    assert sum(map(len, needs.values())) > 200
    list(TopologicalSorter(needs).static_order())


def test_imports_of_the_screen_run_one_way():
    order = ["model", "theme", "api", "session", "view", "stages", "board"]
    seen = 0
    for path in SCREEN.rglob("*.ts*"):
        part = path.relative_to(SCREEN).parts[0]
        if part not in order:  # the list of projects stands beside the board
            continue
        for found in parts_imported(path):
            if str(found) == "api/schema.gen":
                continue  # generated from the server's messages, below all
            assert order.index(found.parts[0]) <= order.index(part), (path, found)
            seen += 1
    assert seen > 100


def test_what_is_generated_of_the_api_is_named_in_one_place():
    users = [
        path.relative_to(SCREEN).as_posix()
        for path in SCREEN.rglob("*.ts*")
        if path.parent != SCREEN / "api" and "schema.gen" in path.read_text()
    ]
    assert users == ["model/types.ts"]


def test_the_screen_reads_lengths_as_the_core_does():
    told = (ROOT / "web" / "src" / "model" / "numbers.ts").read_text()
    (units,) = re.findall(r"METRES: Record<string, number> = \{(.*)\};", told)
    assert {name: float(value) for name, value in re.findall(r"(\w+): ([\d.]+)", units)} == METRES
    (length,) = re.findall(r"LENGTH = /\^(.*)\$/;", told)
    assert length == TEXT.pattern


def test_every_code_of_an_error_is_documented():
    told = (ROOT / "docs" / "operations.md").read_text()
    found = [PlodekError, *PlodekError.__subclasses__(), NotRun]
    assert len({error.code for error in found}) == len(found)
    assert [error.code for error in found if f"`{error.code}`" not in told] == []


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
    for metric in BY_KEY.values():
        assert metric.label.lower() in formulas
    for name in formats():
        assert name in told


def test_the_reference_and_the_schema_are_as_the_steps_are():
    assert (ROOT / "docs" / "recipe-reference.md").read_text() == reference()
    assert (CORE / "recipe" / "schema.json").read_text() == schema_text()


def test_every_command_with_its_options_is_documented():
    guide = (ROOT / "docs" / "guide.md").read_text()
    rows = {name: line for line in guide.splitlines() for name in re.findall(r"`plodek ([\w-]+)", line)}
    assert set(rows) == set(plodek.commands)
    for name, command in plodek.commands.items():
        for option in command.params:
            if option.param_type_name == "option":
                assert option.opts[0] in rows[name], (name, option.opts)


def test_every_variable_of_the_environment_is_read_in_one_place_and_documented():
    told = (ROOT / "docs" / "operations.md").read_text()
    for name in VARIABLES:
        assert f"| `{name}` |" in told
    for name, limit in LIMITS.items():
        row = next(line for line in told.splitlines() if f"`{variable(name)}`" in line)
        assert limit.of in row
        assert name == "memory_mb" or f"{limit.default:,}".replace(",", " ") in row
    for path in (ROOT / "plodek").rglob("*.py"):
        assert set(re.findall(r"PLODEK_[A-Z_]+[A-Z]", path.read_text())) <= {*VARIABLES, "PLODEK_MOST"}, path


def test_every_route_says_what_it_does():
    routes = [
        (path, how, told) for path, ways in description()["paths"].items() for how, told in ways.items()
    ]
    assert len(routes) > 20
    for path, how, told in routes:
        if how in ("get", "post", "put", "patch", "delete"):
            assert told.get("summary") or told.get("description"), (path, how)


def test_no_folder_of_the_code_is_a_heap():
    found = [path for part in ("plodek", "tests", "bench") for path in (ROOT / part).rglob("*.py")]
    found += [path for path in (ROOT / "web" / "src").rglob("*.ts*") if ".gen." not in path.name]
    for folder in {path.parent for path in found}:
        files = [path for path in found if path.parent == folder and path.name != "__init__.py"]
        assert len(files) <= 16, folder


def test_what_several_threads_share_is_locked_and_nothing_else_makes_them_wait():
    """Caches are `Cache` or have a lock of their own; the standard library's cached_property locks all objects at once."""
    for path in (ROOT / "plodek").rglob("*.py"):
        text = path.read_text()
        assert "import cached_property" not in text.replace(
            "from propcache.api import cached_property", ""
        ), path
        assert "LRUCache" not in text or path.name in ("cache.py", "evaluation.py"), path
