"""An order as a form on paper (PDF), for carriers that take orders no other way."""

from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fpdf import FPDF

FONTS = Path(__file__).parent.parent / "web" / "static" / "vendor" / "fonts"
INK, SOFT = (32, 48, 43), (96, 108, 100)


@dataclass(frozen=True)
class FormFacts:
    """What stands on the form; `rows` are question and answer in their order."""

    title: str
    to: str
    sender: str
    reference: str
    day: date
    rows: tuple[tuple[str, str], ...]
    note: str


def order_form(facts: FormFacts) -> bytes:
    """A page of A4 with a place to sign; more where the note is long."""
    from fpdf import FPDF  # costs half a second to import, and few processes ever print

    pdf = FPDF(format="A4")
    pdf.add_font("Sedge", "", FONTS / "DejaVuSans.ttf")
    pdf.add_font("Sedge", "B", FONTS / "DejaVuSans-Bold.ttf")
    pdf.set_title(f"{facts.title}, {facts.reference}")
    pdf.set_margins(22, 22)
    pdf.set_auto_page_break(auto=True, margin=22)
    pdf.add_page()
    _head(pdf, facts)
    for question, answer in facts.rows:
        _row(pdf, question, answer)
    if facts.note:
        pdf.ln(4)
        _row(pdf, "Remarks", facts.note)
    _signature(pdf, facts)
    return bytes(pdf.output())


def _head(pdf: "FPDF", facts: FormFacts) -> None:
    pdf.set_text_color(*SOFT)
    pdf.set_font("Sedge", "", 9)
    pdf.multi_cell(0, 5, facts.sender, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(6)
    pdf.set_text_color(*INK)
    pdf.set_font("Sedge", "", 10.5)
    pdf.multi_cell(0, 5.5, facts.to, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(8)
    pdf.set_font("Sedge", "B", 15)
    pdf.multi_cell(0, 8, facts.title, new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("Sedge", "", 10.5)
    pdf.cell(0, 7, f"Our reference: {facts.reference}    {facts.day:%-d %B %Y}", new_x="LMARGIN", new_y="NEXT")
    pdf.ln(4)


def _row(pdf: "FPDF", question: str, answer: str) -> None:
    top = pdf.get_y()
    pdf.set_draw_color(217, 210, 189)
    pdf.line(pdf.l_margin, top, pdf.w - pdf.r_margin, top)
    pdf.set_font("Sedge", "", 9)
    pdf.set_text_color(*SOFT)
    pdf.set_xy(pdf.l_margin, top + 1.5)
    pdf.multi_cell(52, 5.5, question, new_x="RIGHT", new_y="TOP")
    pdf.set_text_color(*INK)
    pdf.set_font("Sedge", "", 10.5)
    pdf.set_xy(pdf.l_margin + 54, top + 1.5)
    pdf.multi_cell(0, 5.5, answer, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(2)


def _signature(pdf: "FPDF", facts: FormFacts) -> None:
    if pdf.get_y() > pdf.h - 60:
        pdf.add_page()
    pdf.ln(26)
    y = pdf.get_y()
    pdf.set_draw_color(*INK)
    pdf.line(pdf.l_margin, y, pdf.l_margin + 60, y)
    pdf.line(pdf.l_margin + 80, y, pdf.w - pdf.r_margin, y)
    pdf.set_font("Sedge", "", 9)
    pdf.set_text_color(*SOFT)
    pdf.cell(80, 6, "Place and day")
    pdf.cell(0, 6, "Signature")
