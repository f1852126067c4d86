"""A disk that runs full under a server, and a folder that cannot be written to: on a small disk in memory."""

import subprocess

import pytest

from plodek.core.errors import PlodekError
from plodek.server.store.holding import held
from tests.server.standing.hostile import FRAME, numbered
from tests.serving import served

pytestmark = pytest.mark.slow


@pytest.fixture
def disk(tmp_path):
    """A disk of 6 MB, where one may be made here."""
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=6m", "none", str(tmp_path)], capture_output=True
    )
    if made.returncode:
        pytest.skip("no disk can be made here")
    yield tmp_path
    subprocess.run(["umount", "-l", str(tmp_path)], check=True)


def remount(disk, how):
    subprocess.run(["mount", "-o", f"remount,{how}", str(disk)], check=True)


def test_a_disk_that_runs_full_loses_nothing_and_what_can_goes_on(disk):
    with served(disk / "data") as server:
        project = server.project(numbered([FRAME]))

        def recipe():
            return server.ask("GET", f"projects/{project}/recipe")[1]

        def edit(width):
            body = {"base": recipe()["revision"], "steps": numbered([{**FRAME, "width": width}])}
            return server.ask("PUT", f"projects/{project}/recipe", body)

        points = "\n".join(f"{n} {n * n % 977}" for n in range(100_000)).encode()
        for number in range(30):
            status, told = server.ask(
                "POST", f"projects/{project}/files?name=f{number}.txt", points + b"\n%d 7\n" % number
            )
            if status != 201:
                break
        assert (status, "disk is full" in told["detail"]) == (503, True)
        kept = FRAME["width"]
        for width in range(10, 4000):
            status, told = edit(float(width))
            if status != 200:
                break
            kept = width
        assert (status, "disk is full" in told["detail"]) == (503, True)
        assert recipe()["steps"][0]["width"] == kept
        assert len(recipe()["files"]) == number
        for what in ("model", "quality", "advice", f"files/f{number - 1}.txt"):
            assert server.ask("GET", f"projects/{project}/{what}")[0] == 200
        assert server.ask("GET", "projects")[0] == 200
        remount(disk, "size=60m")
        assert edit(1.5)[0] == 200
        assert recipe()["steps"][0]["width"] == 1.5


def test_a_folder_that_cannot_be_written_to_is_told_at_the_start(disk):
    (disk / "data").mkdir()
    remount(disk, "ro")
    with (
        pytest.raises(PlodekError, match="it cannot be written to .Read-only file system"),
        held(disk / "data", "a server"),
    ):
        pytest.fail("it was taken for one that can")
    remount(disk, "rw")
