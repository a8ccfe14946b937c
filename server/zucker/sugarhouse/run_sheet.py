"""A run on paper and as a workbook."""

from __future__ import annotations

import io
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from openpyxl import Workbook
from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE
from openpyxl.styles import Font
from reportlab.lib.pagesizes import A4, letter
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import KeepInFrame, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from ..bench.display import Display
from ..config.fonts import BOLD, TEXT, register_fonts
from ..people.models import Operation, Units
from .closing import COLUMNS, harmless, run_rows, summary
from .models import Run

LOG_LINES = 30


def run_xlsx(operation: Operation, run: Run) -> bytes:
    """Four sheets, SI with the unit in the column's name; texts that look like formulas are made harmless."""
    book = Workbook()
    first = book.active
    assert first is not None
    first.title = "run"
    facts = summary(operation, run)
    for key in (
        "number",
        "started_at",
        "closed_at",
        "target_brix",
        "sap_m3",
        "sap_brix",
        "syrup_m3",
        "draws",
        "taps",
        "fuel",
        "fuel_unit",
        "labour_h",
        "hours",
    ):
        value = facts[key]
        first.append(
            [key, value.astimezone(ZoneInfo(operation.zone)).replace(tzinfo=None) if hasattr(value, "astimezone") else value]
        )
    _sheet(book, "log", list(COLUMNS), [[harmless(row.get(c, "")) for c in COLUMNS] for row in run_rows(operation, run)])
    closing = facts["closing"] or {}
    _sheet(
        book,
        "balance",
        ["name", "side", "source", "sink", "volume_m3", "volume_sd_m3", "brix", "brix_sd", "temp_c"],
        [
            [harmless(m.name), m.side, m.source, m.sink, m.volume_m3, m.volume_sd_m3, m.brix, m.brix_sd, m.temp_c]
            for m in run.measures.all()
        ],
    )
    _sheet(
        book,
        "agreed",
        ["name", "volume_m3", "volume_sd_m3", "brix", "brix_sd"],
        [[harmless(a["name"]), a["volume_m3"], a["volume_sd_m3"], a["brix"], a["brix_sd"]] for a in closing.get("agreed", [])],
    )
    _sheet(
        book,
        "membrane",
        ["at", "machine", "feed_brix", "concentrate_brix", "temp_c", "pressure_pa", "permeate_m3_s", "since_wash_m3"],
        [
            [
                line.at.isoformat(),
                harmless(line.machine.name),
                line.feed_brix,
                line.concentrate_brix,
                line.temp_c,
                line.pressure_pa,
                line.permeate_m3_s,
                line.since_wash_m3,
            ]
            for line in run.membrane_lines.filter(undone_at__isnull=True).select_related("machine")
        ],
    )
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _sheet(book: Workbook, title: str, header: list[str], rows: list[list[Any]]) -> None:
    sheet = book.create_sheet(title)
    sheet.append(header)
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for row in rows:
        # a workbook knows no bells and other control characters
        sheet.append([ILLEGAL_CHARACTERS_RE.sub("", cell) if isinstance(cell, str) else cell for cell in row])
    sheet.freeze_panes = "A2"


def run_pdf(operation: Operation, run: Run, units: str) -> bytes:
    """One page: figures with what was planned, the draws and the log, the balance, what is suspicious."""
    register_fonts()
    us = units == Units.US
    zone = ZoneInfo(operation.zone)
    facts = summary(operation, run)
    head, text = (
        ParagraphStyle("h", fontName=BOLD, fontSize=15, leading=19),
        ParagraphStyle("t", fontName=TEXT, fontSize=8.5, leading=11),
    )
    title = ParagraphStyle("s", parent=text, fontName=BOLD, fontSize=10, leading=14, spaceBefore=6)

    def volume(m3: float | None, digits: int = 0) -> str:
        return "" if m3 is None else Display(not us).text(m3, "volume", digits)

    when = f"{facts['started_at'].astimezone(zone):%d %B %Y, %H:%M}"
    if facts["closed_at"]:
        when += f" to {facts['closed_at'].astimezone(zone):%H:%M}"
    planned = facts["planned"] or {}
    table = [
        ["", "made", "planned"],
        ["syrup", volume(facts["syrup_m3"], 1), volume(planned.get("syrup_m3"), 1)],
        ["sap", volume(facts["sap_m3"]), ""],
        ["Brix of the sap", "" if facts["sap_brix"] is None else f"{facts['sap_brix']:.1f}", ""],
        ["concentrate", "", "" if not facts["target_brix"] else f"{facts['target_brix']:.0f} °Brix"],
        [
            f"fuel, {facts['fuel_unit']}",
            "" if facts["fuel"] is None else f"{facts['fuel']:.4g}",
            "" if planned.get("fuel") is None else f"{planned['fuel']:.4g}",
        ],
        ["hours", f"{facts['hours']:.1f}", "" if planned.get("hours") is None else f"{planned['hours']:.1f}"],
        [
            "person-hours",
            "" if facts["labour_h"] is None else f"{facts['labour_h']:.1f}",
            "" if planned.get("labour_h") is None else f"{planned['labour_h']:.1f}",
        ],
    ]
    story: list[Any] = [
        Paragraph(f"{_safe(operation.name)}: run {run.number}", head),
        Paragraph(when, text),
        Spacer(0, 4 * mm),
        _table(table),
    ]
    log = [["time", "what", "volume", "°Brix", "by"]]
    rows = [row for row in run_rows(operation, run) if not row["undone"] and not row["kind"].startswith("measure")]
    for row in rows[:LOG_LINES]:
        clock = f"{_moment(row['at'], zone):%H:%M}"
        what = row["kind"] + (f": {row['text']}" if row["text"] else "")
        log.append(
            [
                clock,
                Paragraph(_safe(what), text),
                volume(row.get("volume_m3"), 1),
                f"{row['true_brix']:.1f}" if row.get("true_brix") else "",
                row["by"],
            ]
        )
    story += [Paragraph("Draws and log", title), _table(log, (18 * mm, 70 * mm, 28 * mm, 20 * mm, 30 * mm))]
    if len(rows) > LOG_LINES:
        story.append(Paragraph(f"and {len(rows) - LOG_LINES} more lines", text))
    closing = facts["closing"]
    if closing:
        story += [Paragraph("Sugar", title), Paragraph(_balance_words(closing, us), text)]
    story += [Spacer(0, 3 * mm), Paragraph("Signed ______________________________", text)]
    out = io.BytesIO()
    page = letter if us else A4
    document = SimpleDocTemplate(
        out,
        pagesize=page,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=15 * mm,
        bottomMargin=15 * mm,
        title=f"Run {run.number}",
        author=operation.name,
    )
    # one page whatever happened in the night
    document.build([KeepInFrame(page[0] - 36 * mm, page[1] - 34 * mm, story, mode="shrink")])
    return out.getvalue()


def _moment(text: str, zone: ZoneInfo) -> datetime:
    return datetime.fromisoformat(text).astimezone(zone)


def _safe(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _balance_words(closing: dict[str, Any], us: bool) -> str:
    factor, unit = (2.2046226, "lb") if us else (1.0, "kg")
    words = (
        f"In {closing['sugar_in_kg'] * factor:.0f} {unit}, out {closing['sugar_out_kg'] * factor:.0f} {unit}: "
        f"{closing['unaccounted_kg'] * factor:.0f} ± {2 * closing['sd_kg'] * factor:.0f} {unit} unaccounted for"
        f"{', which measurement explains' if closing['explained'] else ', more than measurement explains'}."
    )
    suspects = closing.get("suspects") or []
    if suspects:
        words += " Look again at " + ", ".join(f"{_safe(s['name'])} ({s['quantity']})" for s in suspects[:4]) + "."
    return words


def _table(rows: list[list[Any]], widths: tuple[float, ...] | None = None) -> Table:
    table = Table(rows, colWidths=widths, hAlign="LEFT", repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("FONT", (0, 0), (-1, -1), TEXT, 8.5),
                ("FONT", (0, 0), (-1, 0), BOLD, 8.5),
                ("LINEBELOW", (0, 0), (-1, 0), 0.6, "#000000"),
                ("TOPPADDING", (0, 0), (-1, -1), 1.2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1.2),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("ALIGN", (1, 0), (-1, -1), "LEFT"),
            ]
        )
    )
    return table
