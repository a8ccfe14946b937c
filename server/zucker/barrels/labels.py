"""Labels as PDF: what is in it, its lot, and a code that a phone reads."""

from __future__ import annotations

import io

import segno
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from ..bench.display import Display
from ..config.fonts import BOLD, TEXT, register_fonts
from ..people.models import Operation
from .models import Pack

LABEL_W, LABEL_H = 70 * mm, 50 * mm
MARGIN, ACROSS, DOWN = 3 * mm, 2, 5
PAGE_W, PAGE_H = 210 * mm, 297 * mm
CODE_SIDE = 24 * mm
MOST = 500


def address_of(operation: Operation, pack: Pack, site: str) -> str:
    """What the code says: where to read the trace of this pack."""
    return f"{site}/{operation.slug}/barrels/pack/{pack.number}"


def labels_pdf(operation: Operation, pack: Pack, site: str, metric: bool, copies: int) -> bytes:
    """`copies` labels of a pack, ten to a page of A4."""
    register_fonts()
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(PAGE_W, PAGE_H))
    canvas.setTitle(f"Labels of pack {pack.number}")
    left = (PAGE_W - ACROSS * LABEL_W) / 2
    top = PAGE_H - (PAGE_H - DOWN * LABEL_H) / 2
    for k in range(copies):
        place = k % (ACROSS * DOWN)
        if k and place == 0:
            canvas.showPage()
        x = left + (place % ACROSS) * LABEL_W
        y = top - (place // ACROSS + 1) * LABEL_H
        _label(canvas, x, y, operation, pack, address_of(operation, pack, site), metric)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _label(canvas: Canvas, x: float, y: float, operation: Operation, pack: Pack, address: str, metric: bool) -> None:
    canvas.setLineWidth(0.3)
    canvas.setDash(1, 2)
    canvas.rect(x, y, LABEL_W, LABEL_H)
    canvas.setDash()
    lot, show = pack.lot, Display(metric)
    canvas.setFont(BOLD, 10)
    _fitted(canvas, operation.name, BOLD, 10, x + MARGIN, y + LABEL_H - 7 * mm, LABEL_W - 2 * MARGIN)
    canvas.setFont(BOLD, 13)
    canvas.drawString(x + MARGIN, y + LABEL_H - 15 * mm, f"{lot.grade.capitalize()}")
    lines = [
        f"lot {lot.code}",
        f"pack {pack.number}",
        show.text(pack.each_m3, "volume", 1 if pack.barrel or metric else 3),
        f"{lot.brix:.1f} °Brix",
        f"filled {pack.filled_at:%d %b %Y}",
    ]
    if pack.gross_kg is not None and pack.tare_kg is not None:
        lines.append(f"net {show.text(pack.gross_kg - pack.tare_kg, 'mass', 1)}")
    canvas.setFont(TEXT, 8.5)
    for k, line in enumerate(lines):
        canvas.drawString(x + MARGIN, y + LABEL_H - (21 + 4.6 * k) * mm, line)
    code = segno.make(address, error="m")
    modules = list(code.matrix)
    side = CODE_SIDE / len(modules)
    right, base = x + LABEL_W - MARGIN - CODE_SIDE - 1 * mm, y + MARGIN + 1 * mm
    for row, across in enumerate(modules):
        for column, dark in enumerate(across):
            if dark:
                canvas.rect(
                    right + column * side, base + (len(modules) - 1 - row) * side, side * 1.02, side * 1.02, stroke=0, fill=1
                )


def _fitted(canvas: Canvas, text: str, font: str, size: float, x: float, y: float, width: float) -> None:
    """A line made smaller until it fits."""
    while canvas.stringWidth(text, font, size) > width and size > 5:
        size -= 0.5
    canvas.setFont(font, size)
    canvas.drawString(x, y, text)
