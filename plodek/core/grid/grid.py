"""The multi-block grid: node arrays per block, the interfaces between them, patches and regions."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats
from plodek.core.grid.window import Interface, PatchFaces, Pole, Seam, Window


@dataclass(frozen=True)
class Grid:
    """A grid of the plane (``dim`` 2, nk = 1) or of space.

    ``names`` and ``xyz`` go together: the nodes of each block are (ni, nj, nk, 3), C order. ``regions``
    are the blocks of each region; ``periodic`` the interfaces between twin sides. Of a grid that was read
    ``notes`` tell what was left out of its file, or taken otherwise than it stands there.
    """

    dim: int
    names: tuple[str, ...]
    xyz: tuple[Floats, ...]
    interfaces: tuple[Interface, ...] = ()
    patches: tuple[PatchFaces, ...] = ()
    unnamed: tuple[Window, ...] = ()
    regions: Mapping[str, tuple[int, ...]] = field(default_factory=dict)
    periodic: tuple[Interface, ...] = ()
    poles: tuple[Pole, ...] = ()
    seams: tuple[Seam, ...] = ()
    notes: tuple[str, ...] = ()

    @cached_property
    def cells(self) -> int:
        """Number of cells."""
        return sum(self.block_cells(b) for b in range(len(self.xyz)))

    @cached_property
    def starts(self) -> tuple[int, ...]:
        """Where the cells of each block begin, and the end of all: (blocks + 1,)."""
        counts = [self.block_cells(b) for b in range(len(self.xyz))]
        return tuple(int(n) for n in np.concatenate([[0], np.cumsum(counts)]))

    def shape_of(self, block: int) -> tuple[int, int, int]:
        """Give the cell counts (ci, cj, ck) of a block; ck is 1 in the plane."""
        ni, nj, nk = self.xyz[block].shape[:3]
        return ni - 1, nj - 1, max(nk - 1, 1)

    def block_cells(self, block: int) -> int:
        """Give the number of cells of a block."""
        return int(np.prod(self.shape_of(block)))

    def faces(self, window: Window) -> int:
        """Give the number of cell faces of a window."""
        shape = self.shape_of(window.block)
        cells = (range(n)[part] for n, part in zip(shape, window.slices(shape, cells=True), strict=True))
        return int(np.prod([len(part) for part in cells]))

    def nodes(self, window: Window) -> Floats:
        """Give the nodes of a window (ni, nj, nk, 3): of its own axis there is one."""
        block = self.xyz[window.block]
        return block[window.slices(block.shape[:3])]

    def patch_faces(self, patch: PatchFaces) -> int:
        """Give the number of cell faces of a patch."""
        return sum(self.faces(window) for window in patch.windows)

    def only(self, blocks: Sequence[int]) -> Grid:
        """Give the grid of some of the blocks; what has joined them to others is left out."""
        place = {block: n for n, block in enumerate(blocks)}

        def own(windows: Iterable[Window]) -> tuple[Window, ...]:
            return tuple(replace(w, block=place[w.block]) for w in windows if w.block in place)

        def inner(joints: Iterable[Interface]) -> tuple[Interface, ...]:
            both = ((joint, own((joint.first, joint.second))) for joint in joints)
            return tuple(replace(joint, first=ws[0], second=ws[1]) for joint, ws in both if len(ws) == 2)

        patches = (replace(patch, windows=own(patch.windows)) for patch in self.patches)
        regions = {name: tuple(place[b] for b in of if b in place) for name, of in self.regions.items()}
        return replace(
            self,
            names=tuple(self.names[block] for block in blocks),
            xyz=tuple(self.xyz[block] for block in blocks),
            interfaces=inner(self.interfaces),
            periodic=inner(self.periodic),
            patches=tuple(patch for patch in patches if patch.windows),
            unnamed=own(self.unnamed),
            regions={name: of for name, of in regions.items() if of},
            poles=tuple(replace(p, block=place[p.block]) for p in self.poles if p.block in place),
            seams=tuple(
                replace(s, block=place[s.block], other=place[s.other])
                for s in self.seams
                if s.block in place and s.other in place
            ),
        )

    def scaled(self, factor: float) -> Grid:
        """Multiply all lengths by a factor."""
        return replace(
            self,
            xyz=tuple(block * factor for block in self.xyz),
            periodic=tuple(
                replace(p, move=None if p.move is None else p.move.in_unit(factor)) for p in self.periodic
            ),
        )
