"""The demos evaluated and built, each once for all tests of a run, whatever process they run in."""

import fcntl
import pickle
from functools import cache
from pathlib import Path

from plodek.core.build import build
from plodek.core.model.model import Model
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO_FILES, demo_file


@cache
def model(name: str) -> Model:
    found = Evaluator().evaluate(document.read(demo_file(f"{name}.json")), DEMO_FILES)
    assert found.error is None, f"{name}: {found.error}"
    return found.model


class Demos:
    """Demos that were built lie in a folder that all processes of a run share."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def model(self, name: str) -> Model:
        return model(name)

    def built(self, name: str) -> build.Built:
        path = self._folder / f"{name}.built"
        with path.with_suffix(".lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)  # another process may be building it just now
            if not path.exists():
                path.write_bytes(pickle.dumps(build.build(model(name))))
        found: build.Built = pickle.loads(path.read_bytes())
        return found
