"""Numbers that stand in a text, read without a list of its words."""

from __future__ import annotations

import warnings

import numpy as np

from plodek.core.arrays import Floats


def numbers_in(text: str) -> Floats:
    """Give the numbers of a text, parted by blanks or ends of lines. Raises ValueError for what is none."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", DeprecationWarning)  # as older versions of numpy tell it
            return np.asarray(np.fromstring(text, sep=" "))
    except DeprecationWarning as error:
        raise ValueError(str(error)) from error
