"""Processes that end with the one that started them, and that take no more memory than one may."""

from __future__ import annotations

import ctypes
import os
import resource
import signal

from plodek.core.budget import most

_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG of Linux's prctl


def end_with(parent: int) -> None:
    """Have this process killed as soon as its parent has ended; end it now if that has happened already.

    Ctrl C is for the parent alone: it reaches all processes of a terminal.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    ctypes.CDLL(None, use_errno=True).prctl(_DEATH_SIGNAL, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(0)


def limit_memory() -> None:
    """Let this process take as much memory as one may have; beyond it comes MemoryError."""
    most_bytes = most("memory_mb") * 1024**2
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, most_bytes))
