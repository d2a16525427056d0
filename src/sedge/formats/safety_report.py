"""The report of an emergency test on paper (PDF)."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from sedge.formats.paper import INK, SOFT, new_paper

if TYPE_CHECKING:
    from fpdf import FPDF


@dataclass(frozen=True)
class ReportFacts:
    """`sites` are name, tested, help comes; `rows` the numbers for which it doesn't: number,
    holder, site, why; `left_out` more of them. `without_spot` are people with their sites,
    `more_without` more of them."""

    organisation: str
    figures: tuple[tuple[str, str], ...]
    sites: tuple[tuple[str, int, int], ...]
    reasons: tuple[tuple[str, int], ...]
    rows: tuple[tuple[str, str, str, str], ...]
    left_out: int
    without_spot: tuple[tuple[str, str], ...] = ()
    more_without: int = 0


def safety_report(facts: ReportFacts) -> bytes:
    pdf = new_paper(f"Emergency test, {facts.organisation}")
    pdf.set_text_color(*SOFT)
    pdf.set_font("Sedge", "", 10)
    pdf.cell(0, 6, facts.organisation, new_x="LMARGIN", new_y="NEXT")
    pdf.set_text_color(*INK)
    pdf.set_font("Sedge", "B", 18)
    pdf.cell(0, 12, "Emergency test", new_x="LMARGIN", new_y="NEXT")
    for name, text in facts.figures:
        _pair(pdf, name, text)
    _heading(pdf, "By site")
    for name, tested, comes in facts.sites:
        _pair(
            pdf,
            name,
            f"{comes:,} of {tested:,}"
            + ("" if comes == tested else f"; for {tested - comes:,} no responders would come"),
        )
    if facts.reasons:
        _heading(pdf, "Findings")
    for reason, count in facts.reasons:
        _line(pdf, f"{count:,} × {reason}")
    _heading(pdf, "Numbers for which no responders would come")
    for number, holder, site, why in facts.rows:
        pdf.set_font("Sedge", "B", 9.5)
        pdf.multi_cell(0, 5.5, f"{number}  {holder}, {site}", new_x="LMARGIN", new_y="NEXT")
        _line(pdf, why)
    if not facts.rows:
        _line(pdf, "None.")
    if facts.left_out:
        _line(pdf, f"and {facts.left_out:,} more; the CSV has them all.")
    _heading(pdf, "People without a spot")
    for name, site in facts.without_spot:
        _line(pdf, f"{name}, {site}")
    if not facts.without_spot and not facts.more_without:
        _line(pdf, "None.")
    if facts.more_without:
        _line(pdf, f"and {facts.more_without:,} more.")
    return bytes(pdf.output())


def _heading(pdf: "FPDF", text: str) -> None:
    pdf.ln(4)
    pdf.set_font("Sedge", "B", 12)
    pdf.cell(0, 8, text, new_x="LMARGIN", new_y="NEXT")


def _pair(pdf: "FPDF", name: str, text: str) -> None:
    pdf.set_font("Sedge", "", 9.5)
    pdf.set_text_color(*SOFT)
    pdf.cell(48, 6, name)
    pdf.set_text_color(*INK)
    pdf.multi_cell(0, 6, text, new_x="LMARGIN", new_y="NEXT")


def _line(pdf: "FPDF", text: str) -> None:
    pdf.set_font("Sedge", "", 9.5)
    pdf.multi_cell(0, 5.5, text, new_x="LMARGIN", new_y="NEXT")
