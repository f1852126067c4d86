"""Commands that start the application."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import click

from plodek.cli.command import plodek
from plodek.cli.options import DATA
from plodek.core.errors import BadValue


def _serve_options(command: Callable[..., None]) -> Callable[..., None]:
    command = click.option("--host", default="127.0.0.1", show_default=True)(command)
    command = click.option("--port", default=8040, show_default=True)(command)
    return DATA(command)


@plodek.command()
@_serve_options
def serve(host: str, port: int, data: Path) -> None:
    """Start the web application."""
    _start(host, port, data, demo=False)


@plodek.command()
@_serve_options
def demo(host: str, port: int, data: Path) -> None:
    """Start the web application with the demo data."""
    _start(host, port, data, demo=True)


def _start(host: str, port: int, data: Path, *, demo: bool) -> None:
    from plodek.server.pool import forked

    forked.begin()
    from plodek.server.serve import serve as start

    try:
        start(host, port, data, with_demo=demo)
    except OSError as error:
        raise BadValue(
            f"port {port} cannot be used ({error.strerror})", remedy="choose another one with --port"
        ) from error
