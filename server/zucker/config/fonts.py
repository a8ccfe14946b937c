"""The program's own type on paper."""

from __future__ import annotations

from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

FOLDER = Path(__file__).parent / "fonts"
TEXT, BOLD = "Atkinson", "Atkinson-Bold"


def register_fonts() -> None:
    """Make the two faces known to the PDF library; harmless when done already."""
    if TEXT not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(TEXT, str(FOLDER / "atkinson-hyperlegible-next-regular.ttf")))
        pdfmetrics.registerFont(TTFont(BOLD, str(FOLDER / "atkinson-hyperlegible-next-bold.ttf")))
