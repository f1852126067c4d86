"""All tolerances of the core in one place, each relative unless it says otherwise."""

from __future__ import annotations

import math
from typing import Final

#: Two places closer than this share of the model's size are one place.
SAME_PLACE: Final = 1e-9
#: Corners this close to an extreme or a plane (share of the layout's size) are found by rules as if on it.
NEARLY_THERE: Final = 1e-6
#: A corner this close to a guide (share of the guide's length) counts as lying on it.
ON_GUIDE: Final = 1e-6
#: A cut closer to an edge's end than this share of the edge is refused.
CUT_MARGIN: Final = 1e-6
#: The first and last cell of a law meet the wished size to this share of the edge's length.
END_SIZE: Final = 1e-9
#: Lengths beyond this, in the project's unit, are taken for mistakes; their squares would overflow.
LARGEST: Final = 1e12
#: Sizes below this, in the project's unit, are taken for none.
SMALLEST: Final = 1e-12
#: Newton steps stop at this share of the parameter range.
NEWTON: Final = 1e-14
#: The cosine of the turn, a tenth of a degree, from which on a line of a curve or surface is sharp.
SHARP: Final = math.cos(math.radians(0.1))
#: Cosines nearer to 1 than this are those of no angle: rounding leaves as much, some millionths of a degree.
ROUNDING: Final = 1e-14
