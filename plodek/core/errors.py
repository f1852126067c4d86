"""The one family of errors that the core raises.

Every error says what was met, where, and what helps, as attributes; the text is made of them. Programs know
it by its ``code``, which stays when words change.
"""

from __future__ import annotations

from collections.abc import Sequence


class PlodekError(Exception):
    """Bad input or an impossible wish: ``what`` was met, ``where``, and the ``remedy``."""

    code = "cannot-be-done"
    title = "This cannot be done"

    def __init__(self, what: str, *, where: str = "", remedy: str = "") -> None:
        self.what = what
        self.where = where
        self.remedy = remedy
        super().__init__(what)

    def __str__(self) -> str:
        """Give one clear sentence or two, without line breaks."""
        what = self.what.rstrip(".")
        parts = [f"{self.where}: {what}." if self.where else f"{what[0].upper()}{what[1:]}."]
        if self.remedy:
            parts.append(self.remedy[0].upper() + self.remedy[1:].rstrip(".") + ".")
        return " ".join(parts)


class BadValue(PlodekError):
    """A value that has the wrong form, unit or range."""

    code = "bad-value"
    title = "This value cannot be used"


class OverBudget(PlodekError):
    """More than is taken on, found before it was made; see `budget`."""

    code = "over-budget"
    title = "This is more than Plodek takes on"


class BadFile(PlodekError):
    """A file that cannot be read; ``rows`` are the numbers of the bad lines."""

    code = "bad-file"
    title = "This file cannot be read"

    def __init__(self, what: str, *, where: str = "", remedy: str = "", rows: Sequence[int] = ()) -> None:
        super().__init__(what, where=where, remedy=remedy)
        self.rows = tuple(rows)


class NothingFound(PlodekError):
    """A selector or a name that finds nothing."""

    code = "nothing-found"
    title = "Nothing was found"


class Refused(PlodekError):
    """An operation that would break the layout."""

    code = "refused"
    title = "This would break the layout"


class ImpossibleSpacing(PlodekError):
    """Spacing wishes that contradict each other."""

    code = "impossible-spacing"
    title = "This spacing is impossible"


class CannotSmooth(PlodekError):
    """A grid that smoothing cannot start from or go on with."""

    code = "cannot-smooth"
    title = "Smoothing cannot go on"


class NotReady(PlodekError):
    """Something that is asked for before what it needs is there."""

    code = "not-ready"
    title = "Something is missing first"


class NotRun(NotReady):
    """A smoothed grid that is asked for before its smoothing has run."""

    code = "not-run"


class FoldedGrid(PlodekError):
    """A hand-off of folded cells without an explicit yes."""

    code = "folded-grid"
    title = "The grid has folded cells"


class Halted(PlodekError):
    """Work that was told to stop before it had anything to keep."""

    code = "halted"
    title = "This was stopped"


class OwnMistake(PlodekError):
    """Something that went wrong in Plodek itself; the log has the cause."""

    code = "own-mistake"
    title = "Plodek made a mistake here"
