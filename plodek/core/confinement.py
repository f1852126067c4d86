"""Processes that see no files but those they need: by Landlock, which Linux offers to everyone from 5.13 on.

The kernel's own description: https://docs.kernel.org/userspace-api/landlock.html
"""

from __future__ import annotations

import ctypes
import os
import struct
import sys
import sysconfig
from collections.abc import Iterable
from contextlib import AbstractContextManager, suppress
from pathlib import Path
from typing import Any

from numba.core.caching import Cache

import plodek

#: Numbers of the system calls, alike on all machines, and of what prctl is to set.
_CREATE, _ADD, _RESTRICT, _NO_NEW_PRIVILEGES = 444, 445, 446, 38
_ASK_VERSION, _BENEATH = 1, 1
_EXECUTE, _WRITE_FILE, _READ_FILE, _READ_FOLDER = 1 << 0, 1 << 1, 1 << 2, 1 << 3
#: What versions of it know: so many ways of reaching files, each a bit.
_WAYS = {1: 13, 2: 14, 3: 15, 4: 15, 5: 16}
_TRUNCATE = 1 << 14
#: What makes sense of a file; all else is of folders.
_OF_FILES = _EXECUTE | _WRITE_FILE | _READ_FILE | _TRUNCATE | 1 << 15
_READ = _EXECUTE | _READ_FILE | _READ_FOLDER
#: What programs read of the machine itself; of processes they see their own alone.
_WRITTEN = (Path(os.devnull), Path("/dev/shm"))
_SHARED = (
    "/usr", "/lib", "/lib64", "/bin", "/dev/urandom", "/sys/fs/cgroup", "/sys/devices/system",
    "/proc/meminfo", "/proc/cpuinfo", "/proc/stat", "/proc/sys",
    "/etc/ld.so.cache", "/etc/localtime", "/etc/mime.types", "/etc/fonts",
)  # fmt: skip


def version() -> int:
    """Give the version of Landlock that this machine has; 0 for none."""
    if not sys.platform.startswith("linux"):
        return 0
    return max(0, int(_call(_CREATE, None, 0, _ASK_VERSION)))


def of_the_program() -> list[Path]:
    """Give where the program and the libraries that it uses lie, which everyone may read."""
    own = [Path(plodek.__file__).parent, Path(sys.prefix), Path(sys.base_prefix)]
    own += [Path(path) for path in sysconfig.get_paths().values()]
    return [
        path
        for path in dict.fromkeys([*own, *map(Path, _SHARED), Path(f"/proc/{os.getpid()}")])
        if path.exists()
    ]


def confine(readable: Iterable[Path], writable: Iterable[Path]) -> bool:
    """Let this process see no more than what is below some paths, for good, and those it starts too.

    What is open already stays open. Called while the process has one thread, since each has its own fence.
    Gives whether the machine can do it: where not, nothing is changed.
    """
    known = version()
    if not known:
        return False
    handled = (1 << _WAYS.get(known, max(_WAYS.values()))) - 1
    rules = _call(_CREATE, struct.pack("=Q", handled), 8, 0)
    if rules < 0:
        return False
    try:
        allowed = [(path, _READ) for path in readable] + [(path, handled) for path in (*writable, *_WRITTEN)]
        for path, may in allowed:
            there = os.open(path, os.O_PATH | os.O_CLOEXEC)
            try:
                rights = may & handled if path.is_dir() else may & handled & _OF_FILES
                if _call(_ADD, rules, _BENEATH, struct.pack("=Qi", rights, there), 0) < 0:
                    return False
            finally:
                os.close(there)
        ctypes.CDLL(None).prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0)
        Cache._guard_against_spurious_io_errors = _if_it_can_be  # type: ignore[method-assign, assignment]
        return _call(_RESTRICT, rules, 0) == 0
    finally:
        os.close(rules)


def _if_it_can_be(_: Any) -> AbstractContextManager[None]:
    """Let what numba compiles in a confined process work also where it cannot be kept for the next one."""
    return suppress(OSError)


def _call(number: int, *given: bytes | int | None) -> int:
    of = [ctypes.c_char_p(one) if isinstance(one, bytes | None) else ctypes.c_long(one) for one in given]
    call = ctypes.CDLL(None, use_errno=True).syscall
    call.restype = ctypes.c_long
    return int(call(ctypes.c_long(number), *of))
