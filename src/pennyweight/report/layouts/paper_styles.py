"""How a paper is set: its fonts, sizes and colors."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pennyweight.documents.palette import INK, TEXT, VERDIGRIS

__all__ = ["MONO", "SANS", "styles"]

SANS, BOLD, MONO = "Pennyweight-Sans", "Pennyweight-Bold", "Pennyweight-Mono"


def styles() -> dict[str, Any]:
    """Every style by its name; the fonts are there when they are asked for."""
    _fonts()
    from reportlab.lib.enums import TA_RIGHT
    from reportlab.lib.styles import ParagraphStyle

    def style(name: str, **more: Any) -> Any:
        return ParagraphStyle(name, **{"fontName": SANS, "textColor": INK, **more})

    return {
        "title": style("title", fontName=BOLD, fontSize=17, leading=21, spaceAfter=3),
        "heading": style(
            "heading", fontName=BOLD, fontSize=11.5, leading=15, spaceBefore=9, spaceAfter=4, textColor=VERDIGRIS
        ),
        "small heading": style("small heading", fontName=BOLD, fontSize=8.8, leading=12, spaceBefore=5, spaceAfter=2),
        "body": style("body", fontSize=8.8, leading=12, spaceAfter=3),
        "headline": style("headline", fontName=BOLD, fontSize=10.5, leading=14.5, spaceBefore=5, spaceAfter=5),
        "key": style("key", fontName=BOLD, fontSize=10.5, leading=13.5),
        "small": style("small", fontSize=6.6, leading=8.2, textColor=TEXT["comparison"]),
        "note": style("note", fontSize=7.4, leading=10, textColor=TEXT["comparison"], spaceAfter=2),
        "word": style("word", fontName=BOLD, fontSize=12, leading=15, textColor="#FFFFFF"),
        "head": style("head", fontSize=7.2, leading=9, textColor=TEXT["comparison"]),
        "head right": style("head right", fontSize=7.2, leading=9, textColor=TEXT["comparison"], alignment=TA_RIGHT),
        "cell": style("cell", fontSize=7.6, leading=9.6, splitLongWords=1),
        "figure": style("figure", fontName=MONO, fontSize=7.2, leading=9.6, alignment=TA_RIGHT),
        "listing": style("listing", fontName=MONO, fontSize=6.0, leading=7.4),
    }


def _fonts() -> None:
    """Fonts that have every sign we write; they come with Matplotlib."""
    from matplotlib import get_data_path
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = Path(get_data_path()) / "fonts" / "ttf"
    known = pdfmetrics.getRegisteredFontNames()
    for name, file in ((SANS, "DejaVuSans"), (BOLD, "DejaVuSans-Bold"), (MONO, "DejaVuSansMono")):
        if name not in known:
            pdfmetrics.registerFont(TTFont(name, str(folder / f"{file}.ttf")))
