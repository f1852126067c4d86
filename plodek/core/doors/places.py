"""What must hold of the places in a file before anything is worked out from them."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadFile
from plodek.core.tolerances import LARGEST


def need_places(places: Floats, where: str, what: str) -> None:
    """Raise BadFile where coordinates (…, 3) of nodes or points are no numbers, or too large to be used."""
    wrong = ~(np.abs(places) <= LARGEST).all(axis=-1)  # what is no number fails this too
    if wrong.any():
        first = [int(n) + 1 for n in np.argwhere(wrong)[0]]
        at = first[0] if len(first) == 1 else first
        raise BadFile(
            f"{int(wrong.sum())} {what} have coordinates that are no usable numbers, the first at {at}",
            where=where,
            remedy="look where the file comes from",
        )
