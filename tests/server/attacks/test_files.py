"""Files that lie: none brings back what it must not see, takes more than it may, or ends anything but itself."""

import ast
import json
import os
import time
from pathlib import Path

import pytest

from plodek.core import confinement
from plodek.core.errors import BadFile, OverBudget, PlodekError
from plodek.core.recipe import document
from plodek.core.recipe.files import Reading
from tests.server.attacks.conftest import MEMORY
from tests.server.attacks.files import bursting, hostile, leading_out, route_of, sound
from tests.serving import resident

SOURCES = Path(confinement.__file__).parents[1]
#: What opens files of kinds that can name others, or unpack to more than they are; and the one door of each.
DOORS = {
    "File": {"core/doors/hdf5.py"},
    "ZipFile": {"core/doors/archive.py"},
    "decompress": {"core/doors/unpacking.py", "core/doors/hdf5.py"},
    "fromstring": {"core/doors/xml.py", "core/doors/numerals.py"},
    "parse": set(),
}


def send(someone, project, name, data):
    """Send a file; gives the status, and what was told of it in the end."""
    status, told = someone.ask("POST", f"projects/{project}/{route_of(name)}", data)
    if status == 202:
        told = someone.ended(told)
        return (200 if told["state"] == "done" else 422), told["result"]
    return status, told


@pytest.mark.slow
def test_sixty_files_that_lie_end_in_words_and_nobody_else_notices(server, mira, tmp_path):
    """As a client sends them: never a mistake of our own, never the secret, never more memory than is allowed."""
    secret = server.data / "secret"
    marks = [secret.read_bytes(), secret.read_bytes().hex().encode()]
    project, peak = mira.project(), 0
    for name, data in hostile(seed=30, count=60, secret=secret):
        status, told = send(mira, project, name, data)
        words = json.dumps(told, ensure_ascii=False)
        assert status in (200, 201, 422), (name, told)
        assert "mistake" not in words, (name, told)
        assert not any(mark in words.encode() for mark in marks), name
        peak = max(peak, *(resident(pid) for pid in server.family))
    assert peak < MEMORY
    assert mira.ask("GET", "projects")[0] == 200
    assert [one.name for one in (server.data / "temporary").iterdir()] == []


def test_what_leads_out_is_refused_with_where_it_leads(tmp_path):
    secret = tmp_path / "secret"
    secret.write_bytes(b"TOP SECRET " * 6)
    harmless = {"names.obj"}  # it names a file that is never asked for
    for name, data in leading_out(secret):
        if name in harmless:
            assert b"TOP" not in Reading().geometry(data, name)
            continue
        with pytest.raises(BadFile) as met:
            Reading().grid(data, name)
        assert name in str(met.value)


@pytest.mark.parametrize(
    ("name", "data"), list(bursting()), ids=lambda one: one if isinstance(one, str) else ""
)
def test_what_would_burst_is_refused_before_it_does(name, data, monkeypatch):
    monkeypatch.setenv("PLODEK_MOST_CELLS", "1000000")
    monkeypatch.setenv("PLODEK_MOST_UNPACKED_MB", "100")
    before = peak_of_this()
    with pytest.raises((BadFile, OverBudget)):
        document.read(data, name) if name.endswith(".json") else Reading().grid(data, name)
    assert peak_of_this() - before < 200


def peak_of_this():
    """The most memory that this process has had, in MB."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) // 1024 for line in lines if line.startswith("VmHWM"))


@pytest.mark.parametrize(
    "name", [name for name in sound() if name.endswith((".cgns", ".vtkhdf", ".vts", ".zip", ".xyz"))]
)
def test_sound_files_pass_every_door(name):
    assert Reading().grid(sound()[name], name)[0].cells > 0


def test_every_kind_of_file_that_can_lie_is_opened_by_one_door():
    """A reader that opens HDF5, XML, ZIP or packed pieces by itself fails here, and has to go through the door."""
    for path in SOURCES.rglob("*.py"):
        own = str(path.relative_to(SOURCES))
        tree = ast.parse(path.read_text())
        xml = "ElementTree" in path.read_text() and "xml" in path.read_text()
        for call in (node for node in ast.walk(tree) if isinstance(node, ast.Call)):
            name = getattr(call.func, "attr", getattr(call.func, "id", ""))
            if name not in DOORS or (name == "parse" and not xml):
                continue
            writes = any(isinstance(part, ast.Constant) and part.value in ("w", "wb") for part in call.args)
            assert writes or own in DOORS[name] or own in {"server/jobs/bundle.py"}, (own, call.lineno, name)


def test_readers_see_their_own_file_alone(tmp_path):
    """Within the fence neither the secret nor the database can be opened, by name or by way of another process."""
    if not confinement.version():
        pytest.skip("this machine has no Landlock")
    (tmp_path / "own").mkdir()
    for name in ("secret", "plodek.db"):
        (tmp_path / name).write_bytes(b"TOP")
    down, up = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            confinement.confine(confinement.of_the_program(), [tmp_path / "own"])
            (tmp_path / "own" / "found").write_text("mine")
            seen = []
            for path in (
                tmp_path / "secret",
                tmp_path / "plodek.db",
                tmp_path,
                Path(f"/proc/{os.getppid()}/environ"),
            ):
                try:
                    seen.append(str(list(path.iterdir()) if path.is_dir() else path.read_bytes()))
                except OSError:
                    seen.append("closed")
            os.write(up, json.dumps(seen).encode())
        finally:
            os._exit(0)
    os.close(up)
    assert json.loads(os.read(down, 10_000)) == ["closed"] * 4
    os.waitpid(child, 0)
    assert (tmp_path / "own" / "found").read_text() == "mine"


def test_every_process_beside_the_server_is_fenced_from_the_secret(server, mira):
    """All that evaluate, work or read have given up privileges for good, which the fence needs; the server has not."""
    if not confinement.version():
        pytest.skip("this machine has no Landlock")
    project = mira.project([{"id": "f", "kind": "frame", "width": 2, "height": 1}])
    assert mira.ask("GET", f"projects/{project}/model")[0] == 200
    fenced = [pid for pid in server.family if "NoNewPrivs:\t1" in Path(f"/proc/{pid}/status").read_text()]
    assert len(fenced) >= 2


def test_a_file_that_takes_too_long_to_read_is_stopped(tmp_path, monkeypatch):
    from plodek.server.pool import apart, reader

    def endless(folder, name, tell):
        while True:
            time.sleep(0.05)

    monkeypatch.setattr(reader, "_WORK", {"grid": endless})
    monkeypatch.setenv("PLODEK_MOST_READING_SECONDS", "1")
    reading = apart.Apart(tmp_path)
    with pytest.raises(OverBudget, match="seconds for reading one file"):
        reading.grid(b"x", "a.cgns")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("end", ["crash", "lie"])
def test_a_reader_that_breaks_down_or_lies_is_told_as_such(tmp_path, monkeypatch, end):
    import pickle

    from plodek.server.pool import apart, reader

    def broken(folder, name, tell):
        if end == "crash":
            os._exit(139)
        return pickle.dumps(os.getcwd)

    monkeypatch.setattr(reader, "_WORK", {"grid": broken})
    with pytest.raises((PlodekError, pickle.UnpicklingError), match=r"ended over it|no part of a grid"):
        apart.Apart(tmp_path).grid(b"x", "a.cgns")
