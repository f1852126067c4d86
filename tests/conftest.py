"""What the tests share: the demo, small recipes, and a server over a folder of its own."""

import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numba
import pytest
from hypothesis import settings

# A landing is judged by the same examples every time; at the desk new ones are tried.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")

from plodek.core.build import build
from plodek.core.errors import NothingFound, OwnMistake
from plodek.core.model.model import Model
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluation, Evaluator
from plodek.core.recipe.files import Files

DEMO = Path(document.__file__).parents[2] / "demo"


def demo_file(name: str) -> bytes:
    try:
        return (DEMO / name).read_bytes()
    except OSError as error:
        raise NothingFound(f"there is no file “{name}”") from error


DEMO_FILES = Files(demo_file)


def numbered(steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Give steps without an id one: what they are called does not matter then."""
    return [{"id": f"s{n}", **step} for n, step in enumerate(steps)]


def evaluated(steps: list[dict[str, Any]]) -> Evaluation:
    return Evaluator().evaluate(document.of({"steps": steps}), DEMO_FILES)


def model_of(steps: list[dict[str, Any]]) -> Model:
    found = evaluated(steps)
    assert found.error is None, str(found.error)
    return found.model


@contextmanager
def on_threads(count: int) -> Iterator[None]:
    """Let compiled kernels run on so many threads, if there are as many."""
    before = numba.get_num_threads()
    numba.set_num_threads(min(count, numba.config.NUMBA_NUM_THREADS))
    yield
    numba.set_num_threads(before)


@pytest.fixture(scope="session", autouse=True)
def of_one_process(worker_id: str) -> Iterator[None]:
    """One thread for each of several processes: more would only stand in each other's way."""
    with on_threads(numba.config.NUMBA_NUM_THREADS if worker_id == "master" else 1):
        yield


@pytest.fixture(autouse=True)
def no_mistake_of_our_own(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A mistake of our own is no refusal: whatever a test expects, one that was met in it fails it."""
    met: list[str] = []
    plain = OwnMistake.__init__

    def noted(self: OwnMistake, what: str, **others: Any) -> None:
        met.append(f"{what} {others}")
        plain(self, what, **others)

    monkeypatch.setattr(OwnMistake, "__init__", noted)
    yield
    if met and request.node.get_closest_marker("own_mistake") is None:
        pytest.fail(f"Plodek made a mistake: {met[0]}")


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


@pytest.fixture(scope="session")
def demos(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Any:
    from tests.demos import Demos

    # With several processes each has a folder of its own within one that they share.
    own = tmp_path_factory.getbasetemp()
    return Demos(own if worker_id == "master" else own.parent)


@pytest.fixture
def client(tmp_path: Path) -> Iterator[Any]:
    from plodek.server.app import make_app
    from plodek.server.workspace import Workspace

    # Jobs run within the request that asks for them.
    with make_app(Workspace(tmp_path, immediate=True)).test_client() as found:
        yield found
