"""The demo data as the server offers it."""

from __future__ import annotations

from importlib import resources

_FOLDER = resources.files("plodek") / "demo"


def demo_recipe() -> bytes:
    """Give the recipe of the intake pier."""
    return (_FOLDER / "intake-pier.json").read_bytes()


def demo_files() -> dict[str, bytes]:
    """Give the geometry files that the demo recipes read."""
    return {"pier-outline.csv": (_FOLDER / "pier-outline.csv").read_bytes()}
