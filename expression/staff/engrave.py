"""MusicXML drawn as SVG, and that as PDF: by Verovio, and by svglib and ReportLab."""

import io
from functools import cache
from typing import Any

SCALE = 38
"""Percent of Verovio's own size: a staff is then about 27 pixels high."""
PIXELS_A_POINT = 4 / 3
TALLEST = 60_000
WIDEST = 10_000


@cache
def _engraver() -> Any:
    # Reading it in takes a while: only who draws waits for that.
    import verovio

    verovio.enableLog(verovio.LOG_OFF)
    return verovio.toolkit()


def engraved(document: str, width: int) -> str:
    """The systems of a MusicXML document one under another, `width` pixels wide: one SVG.

    Heads are groups whose ids are those of the document. Raises ValueError where it cannot be drawn.
    """
    toolkit = _engraver()
    toolkit.setOptions(
        {
            "pageWidth": min(max(round(width * 100 / SCALE), 1000), WIDEST * 3),
            "pageHeight": TALLEST,
            "scale": SCALE,
            "adjustPageHeight": True,
            "breaks": "auto",
            "header": "none",
            "footer": "none",
            "condense": "none",
            "pageMarginTop": 40,
            "pageMarginBottom": 60,
            "pageMarginLeft": 50,
            "pageMarginRight": 40,
            "svgRemoveXlink": True,
            "xmlIdSeed": 1,
        }
    )
    if not toolkit.loadData(document):
        raise ValueError("the page cannot be drawn")
    return str(toolkit.renderToSVG(1))


def ready() -> None:
    """Read in what engraving takes."""
    _engraver()


def as_pdf(svg: str) -> bytes:
    """A drawing as a PDF of one page as large as it is."""
    from reportlab.graphics import renderPDF
    from svglib.svglib import svg2rlg

    drawing = svg2rlg(io.BytesIO(svg.encode()))
    if drawing is None:
        raise ValueError("the page cannot be drawn as PDF")
    # What lies within it was taken as points, and it itself as pixels.
    drawing.scale(PIXELS_A_POINT, PIXELS_A_POINT)
    drawing.width *= PIXELS_A_POINT
    drawing.height *= PIXELS_A_POINT
    return bytes(renderPDF.drawToString(drawing))
