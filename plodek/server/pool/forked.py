"""Processes beside the server, forked off one that has imported all they need."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing import get_context
from multiprocessing.context import ForkServerContext, ForkServerProcess
from multiprocessing.forkserver import ensure_running
from typing import Any


def begin() -> None:
    """Let the process that others are forked off import what they need, while this one imports what it does.

    It lives as long as the thread that calls this.
    """
    get_context("forkserver").set_forkserver_preload(["plodek.server.pool.ready"])
    ensure_running()


def context() -> ForkServerContext:
    """Give the way to start processes and pipes."""
    return get_context("forkserver")


def start(target: Callable[..., None], *given: Any) -> ForkServerProcess:
    """Start a process that runs a function of a module."""
    process = context().Process(target=target, args=given, daemon=True)
    process.start()
    return process
