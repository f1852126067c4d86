"""A real server with all its processes and three users, attacked as a client would."""

import pytest

from plodek.server.store import users
from plodek.server.workspace import Workspace
from tests.serving import Someone, served

PASSWORD = "a long enough password"
NAMES = ("mira", "jon", "toma")
#: MB that a process may have.
MEMORY = 1500


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    folder = tmp_path_factory.mktemp("data")
    workspace = Workspace(folder)
    with workspace.database.connection_context():
        for name in NAMES:
            users.add(name, PASSWORD)
    with served(folder, PLODEK_MOST_MEMORY_MB=str(MEMORY), PLODEK_MOST_CELLS="1000000") as found:
        yield found


@pytest.fixture(scope="module")
def people(server):
    return {name: Someone(server, name, PASSWORD) for name in NAMES}


@pytest.fixture
def mira(people):
    return people["mira"]


@pytest.fixture
def jon(people):
    return people["jon"]
