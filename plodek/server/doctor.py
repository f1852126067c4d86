"""Whether all is well with a data folder and the machine: what an administrator looks at first."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from importlib.metadata import version
from pathlib import Path

from plodek.core import confinement
from plodek.core.budget import LIMITS, most
from plodek.core.errors import PlodekError
from plodek.server.store.backup import look
from plodek.server.store.holding import holder, is_held
from plodek.server.store.tables import DATABASE

#: Bytes of room on a disk below which it is told.
_ROOM = 2 * 1024**3
#: Packages that grids and files hang on.
_PACKAGES = ("numpy", "numba", "scipy", "h5py", "flask", "peewee", "cadquery-ocp-novtk")


@dataclass(frozen=True)
class Finding:
    """What was looked at, whether it is fine, and what there is to say."""

    what: str
    fine: bool
    said: str


def examined(data: Path) -> list[Finding]:
    """Look at a data folder and the machine."""
    return [
        _folder(data),
        _database(data),
        _cache(data),
        _room(data),
        _server(data),
        _fence(),
        _limits(),
        _versions(),
    ]


def _folder(data: Path) -> Finding:
    if not data.is_dir():
        return Finding("folder", True, f"{data} is not there yet; the first start makes it")
    trial = data / ".trial"
    try:
        trial.write_bytes(b"x")
        trial.unlink()
    except OSError as error:
        return Finding("folder", False, f"{data} cannot be written to ({error.strerror})")
    return Finding("folder", True, str(data))


def _database(data: Path) -> Finding:
    path = data / DATABASE
    if not path.exists():
        return Finding("database", True, "none yet")
    try:
        count = look(path)
    except PlodekError as error:
        return Finding("database", False, str(error))
    return Finding("database", True, f"whole, {count} projects, {path.stat().st_size / 1e6:.1f} MB")


def _cache(data: Path) -> Finding:
    folder = data / "cache"
    sizes = [path.stat().st_size for path in folder.iterdir() if path.is_file()] if folder.is_dir() else []
    return Finding("cache", True, f"{len(sizes)} files, {sum(sizes) / 1e6:.1f} MB; it may be deleted")


def _room(data: Path) -> Finding:
    there = next(path for path in (data.absolute(), *data.absolute().parents) if path.exists())
    free = shutil.disk_usage(there).free
    return Finding("room on the disk", free > _ROOM, f"{free / 1e9:.1f} GB free")


def _server(data: Path) -> Finding:
    return Finding("server", True, holder(data) if is_held(data) else "none works on this folder now")


def _fence() -> Finding:
    if known := confinement.version():
        return Finding(
            "fence", True, f"Landlock {known}: files are read where neither secret nor database is seen"
        )
    return Finding(
        "fence", False, "no Landlock (Linux 5.13 has it): what reads files can see the data folder"
    )


def _limits() -> Finding:
    try:
        said = ", ".join(f"{most(name):,} {LIMITS[name].of}" for name in ("cells", "memory_mb"))
    except PlodekError as error:
        return Finding("limits", False, str(error))
    return Finding("limits", True, f"{said} for each process")


def _versions() -> Finding:
    return Finding("versions", True, ", ".join(f"{name} {version(name)}" for name in ("plodek", *_PACKAGES)))
