"""A letter to a carrier about lines of its invoice (PDF)."""

from dataclasses import dataclass

from sedge.formats.paper import INK, SOFT, new_paper


@dataclass(frozen=True)
class DisputeFacts:
    """`rows` are line, what it is about, billed, expected and why; `total` is what is claimed."""

    organisation: str
    carrier: str
    account: str
    reference: str
    month: str
    day: str
    rows: tuple[tuple[str, str, str, str, str], ...]
    total: str
    writer: str


def dispute_letter(facts: DisputeFacts) -> bytes:
    pdf = new_paper(f"Invoice {facts.reference}, {facts.carrier}")
    pdf.set_text_color(*SOFT)
    pdf.set_font("Sedge", "", 10)
    pdf.cell(0, 6, facts.organisation, new_x="LMARGIN", new_y="NEXT")
    pdf.cell(0, 6, facts.day, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(6)
    pdf.set_text_color(*INK)
    pdf.cell(0, 6, facts.carrier, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(6)
    pdf.set_font("Sedge", "B", 14)
    heading = f"Invoice {facts.reference} for {facts.month}, account {facts.account}"
    pdf.multi_cell(0, 8, heading, new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("Sedge", "", 10)
    pdf.ln(2)
    text = (
        "We dispute the following lines. Please credit"
        f" {facts.total} or tell us why they should stand."
    )
    pdf.multi_cell(0, 6, text, new_x="LMARGIN", new_y="NEXT")
    pdf.ln(3)
    with pdf.table(
        col_widths=(12, 52, 22, 22, 58), text_align="LEFT", line_height=5.5, padding=1
    ) as table:
        for row in (("Line", "For", "Billed", "Expected", "Why"), *facts.rows):
            cells = table.row()
            for cell in row:
                cells.cell(cell)
    pdf.ln(6)
    pdf.multi_cell(0, 6, facts.writer, new_x="LMARGIN", new_y="NEXT")
    return bytes(pdf.output())
