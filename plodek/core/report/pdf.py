"""A report as PDF, on A4 pages."""

from __future__ import annotations

import io
from functools import cache
from pathlib import Path
from xml.sax.saxutils import escape

import matplotlib as mpl
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Image, Paragraph, SimpleDocTemplate, Spacer, Table

from plodek.core.report.report import Heading, Lines, Picture, Report, Rows

_INK, _MUTED, _RULE, _MADDER = (HexColor(c) for c in ("#22303c", "#6a6f6c", "#ddd6c7", "#a3243b"))
_PLAIN, _BOLD = "DejaVu", "DejaVu-Bold"
_EDGE = 18 * mm
_WIDTH = A4[0] - 2 * _EDGE


@cache
def _fonts() -> None:
    """Register the fonts that come with Matplotlib: they have all signs that reports use."""
    folder = Path(mpl.get_data_path()) / "fonts" / "ttf"
    pdfmetrics.registerFont(TTFont(_PLAIN, folder / "DejaVuSans.ttf"))
    pdfmetrics.registerFont(TTFont(_BOLD, folder / "DejaVuSans-Bold.ttf"))


def _style(size: float, *, bold: bool = False, colour: HexColor = _INK) -> ParagraphStyle:
    return ParagraphStyle(
        f"{size} {bold}", fontName=_BOLD if bold else _PLAIN, fontSize=size, leading=1.35 * size,
        textColor=colour,
    )  # fmt: skip


#: Headings stay with the beginning of what they head.
_HEADING = ParagraphStyle(
    "heading", parent=_style(11.5, bold=True), spaceBefore=12, spaceAfter=4, keepWithNext=True
)


def pages(report: Report) -> bytes:
    """Write a report as PDF."""
    _fonts()
    file = io.BytesIO()
    document = SimpleDocTemplate(
        file, pagesize=A4, leftMargin=_EDGE, rightMargin=_EDGE, topMargin=_EDGE, bottomMargin=_EDGE,
        title=report.title, author="Plodek",
    )  # fmt: skip
    story: list[Flowable] = [
        Paragraph(escape(report.title), _style(17, bold=True)),
        Spacer(1, 2 * mm),
        Paragraph(escape(report.under), _style(8, colour=_MUTED)),
    ]
    story += [flowable for part in report.parts for flowable in _flowables(part)]

    def number(canvas: Canvas, _: SimpleDocTemplate) -> None:
        canvas.setFont(_PLAIN, 8)
        canvas.setFillColor(_MUTED)
        canvas.drawRightString(A4[0] - _EDGE, 10 * mm, str(canvas.getPageNumber()))

    document.build(story, onFirstPage=number, onLaterPages=number)
    return file.getvalue()


def _flowables(part: Heading | Lines | Rows | Picture) -> list[Flowable]:
    if isinstance(part, Heading):
        return [Paragraph(escape(part.text), _HEADING)]
    if isinstance(part, Lines):
        numbers = [f"{n}. " if part.numbered else "" for n in range(1, len(part.lines) + 1)]
        return [
            Paragraph(escape(f"{number}{line}"), _style(8.5))
            for number, line in zip(numbers, part.lines, strict=True)
        ]
    if isinstance(part, Picture):
        picture = Image(io.BytesIO(part.png))
        height = _WIDTH * picture.imageHeight / picture.imageWidth
        picture.drawWidth, picture.drawHeight = _WIDTH, height
        picture.keepWithNext = True
        return [picture, Paragraph(escape(part.caption), _style(8, colour=_MUTED))]
    rows = [[Paragraph(escape(text), _style(8, colour=_MUTED)) for text in part.heads]]
    rows += [
        [Paragraph(escape(text), _style(8, colour=_MADDER if n in part.bad else _INK)) for text in row]
        for n, row in enumerate(part.rows)
    ]
    first = 0.3 if len(part.heads) < 6 else 0.22
    rest = (1 - first) / (len(part.heads) - 1)
    widths = [_WIDTH * share for share in (first, *[rest] * (len(part.heads) - 1))]
    rules = [("LINEBELOW", (0, 0), (-1, -1), 0.4, _RULE), ("TOPPADDING", (0, 0), (-1, -1), 1.5)]
    return [Table(rows, widths, style=[*rules, ("BOTTOMPADDING", (0, 0), (-1, -1), 2)], repeatRows=1)]
