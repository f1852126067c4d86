"""What the tests share: the demo, small recipes, and a server over a folder of its own."""

import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

# A landing is judged by the same examples every time; at the desk new ones are tried.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")

# The queue reads its settings when it is imported, so they stand before anything of the server is.
os.environ["PLODEK_DATA"] = tempfile.mkdtemp(prefix="plodek-tests-")
os.environ["PLODEK_JOBS"] = "immediate"

from plodek.core.build import build
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import recipe

DEMO = Path(recipe.__file__).parents[2] / "demo"


def demo_file(name: str) -> bytes:
    try:
        return (DEMO / name).read_bytes()
    except OSError as error:
        raise NothingFound(f"there is no file “{name}”") from error


def evaluated(steps: list[dict[str, Any]]) -> recipe.Evaluation:
    return recipe.Evaluator().evaluate(recipe.of({"steps": steps}), demo_file)


def model_of(steps: list[dict[str, Any]]) -> Model:
    found = evaluated(steps)
    assert found.error is None, str(found.error)
    return found.model


@pytest.fixture(scope="session")
def demo_steps() -> list[dict[str, Any]]:
    return json.loads(demo_file("intake-pier.json"))["steps"]


@pytest.fixture(scope="session")
def demo_model(demo_steps: list[dict[str, Any]]) -> Model:
    return model_of(demo_steps)


@pytest.fixture(scope="session")
def demo_plane(demo_model: Model) -> Model:
    """The demo before it is lifted."""
    return demo_model.lift.plane


@pytest.fixture(scope="session")
def demo_built(demo_model: Model) -> build.Built:
    return build.build(demo_model)


@pytest.fixture
def client(tmp_path: Path) -> Iterator[Any]:
    from plodek.server.app import make_app

    app = make_app(tmp_path)
    # Jobs run within the request that asks for them; they look for the data where the queue does.
    with app.test_client() as found:
        yield found
