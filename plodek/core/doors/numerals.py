"""Numbers that stand in a text, read without a list of its words."""

from __future__ import annotations

import re
import warnings

import numpy as np

from plodek.core.arrays import Floats

#: A number that stands for several: how many, and which, as Fortran writes and reads lists.
_REPEATED = re.compile(r"(?<!\S)(\d{1,12})\*(\S+)")


def repeated_in(text: str, most: int) -> Floats:
    """Give the numbers of a text as `numbers_in`, among them such as ``60*1.5``, which is 60 numbers.

    Raises ValueError for what is none, or for more than ``most`` numbers.
    """
    if "*" not in text:
        return numbers_in(text)
    parts = _REPEATED.split(text)
    counts = [int(count) for count in parts[1::3]]
    if sum(counts) > most:
        raise ValueError(f"{sum(counts)} numbers")
    found = [numbers_in(parts[0])] if parts[0].strip() else []
    for count, value, plain in zip(counts, parts[2::3], parts[3::3], strict=True):
        found.append(np.full(count, float(value)))
        if plain.strip():
            found.append(numbers_in(plain))
    return np.concatenate(found)


def numbers_in(text: str) -> Floats:
    """Give the numbers of a text, parted by blanks or ends of lines. Raises ValueError for what is none."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", DeprecationWarning)  # as older versions of numpy tell it
            return np.asarray(np.fromstring(text, sep=" "))
    except DeprecationWarning as error:
        raise ValueError(str(error)) from error
