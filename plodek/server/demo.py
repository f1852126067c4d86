"""The demo data as the server offers it."""

from __future__ import annotations

from importlib import resources

_FOLDER = resources.files("plodek") / "demo"

#: The demo recipes, in the order of the shelf from the bottom up.
RECIPES = (
    "draft-cone-gaps",
    "axial-stage",
    "rough-pier",
    "gate-chamber",
    "dewatering-bend",
    "siphon",
    "outfall-fin",
    "turning-vanes-blunt",
    "turning-vanes",
    "dosing-venturi",
    "draft-cone",
    "intake-pier",
)
_FILES = {
    "intake-pier": ("pier-outline.csv",),
    "rough-pier": ("rough-pier-outline.csv",),
    "draft-cone": ("draft-cone.step",),
    "dewatering-bend": ("dewatering-bend.xyz",),
    "axial-stage": ("stage-vane.csv", "stage-pitch.csv"),
    "draft-cone-gaps": ("draft-cone-gaps.igs",),
}


def demo_recipe(name: str = "intake-pier") -> bytes:
    """Give a demo recipe."""
    return (_FOLDER / f"{name}.json").read_bytes()


def demo_files(name: str = "intake-pier") -> dict[str, bytes]:
    """Give the geometry files that a demo recipe reads."""
    return {file: (_FOLDER / file).read_bytes() for file in _FILES.get(name, ())}
