"""How the files of a recipe are read: in place, or wherever a server has them read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from plodek.core.telling import Tell, unheard_of

if TYPE_CHECKING:
    from plodek.core.grid.grid import Grid


class Reading:
    """Reading in place; readers are imported only where they are wanted."""

    def geometry(self, data: bytes, name: str, tell: Tell = unheard_of) -> bytes:
        """Read a CAD, STL, OBJ or DXF file as packed contents. Raises BadFile, OverBudget."""
        from plodek.core.shape.files import geometry_file

        return geometry_file.read(data, name, tell)

    def grid(
        self, data: bytes, name: str, beside: bytes | None = None, tell: Tell = unheard_of
    ) -> tuple[Grid, str]:
        """Read a grid, with the map ``beside`` it, and give its length unit. Raises BadFile, OverBudget."""
        from plodek.core.formats import registry

        return registry.read_of(data, name, beside, tell)
