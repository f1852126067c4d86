"""Processes beside the server, forked off one that has imported all they need."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing import get_context
from multiprocessing.context import ForkServerContext, ForkServerProcess
from typing import Any


def context() -> ForkServerContext:
    """Give the way to start processes and pipes."""
    found = get_context("forkserver")
    found.set_forkserver_preload(["plodek.server.pool.ready"])
    return found


def start(target: Callable[..., None], *given: Any) -> ForkServerProcess:
    """Start a process that runs a function of a module."""
    process = context().Process(target=target, args=given, daemon=True)
    process.start()
    return process
