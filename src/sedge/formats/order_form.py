"""An order as a form on paper (PDF), for carriers that take orders no other way."""

from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING

from sedge.formats.paper import INK, SOFT, new_paper

if TYPE_CHECKING:
    from fpdf import FPDF


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
    pdf = new_paper(f"{facts.title}, {facts.reference}")
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
    pdf.cell(
        0,
        7,
        f"Our reference: {facts.reference}    {facts.day:%-d %B %Y}",
        new_x="LMARGIN",
        new_y="NEXT",
    )
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
