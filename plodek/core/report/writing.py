"""Reports written out, by the ending of the file."""

from __future__ import annotations

from plodek.core.errors import BadValue
from plodek.core.report.html import page
from plodek.core.report.pdf import pages
from plodek.core.report.report import Report

KINDS = {".html": (page, "text/html"), ".pdf": (pages, "application/pdf")}


def written(report: Report, ending: str) -> bytes:
    """Write a report as a page of its kind. Raises BadValue for an ending that is none."""
    if ending.lower() not in KINDS:
        raise BadValue(f"“{ending}” is no kind of report", remedy=f"write to a file in {' or '.join(KINDS)}")
    return KINDS[ending.lower()][0](report)
