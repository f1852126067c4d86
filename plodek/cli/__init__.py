"""The command line: thin, over the core and the server; each command imports only what it needs."""

from __future__ import annotations

from plodek.cli import data, grids, recipes, serving
from plodek.cli.command import main, plodek

__all__ = ["data", "grids", "main", "plodek", "recipes", "serving"]
