"""A trunk's sheet on paper (PDF)."""

from sedge.core.trunks.sheet import Sheet
from sedge.formats.paper import INK, SOFT, new_paper


def sheet_on_paper(sheet: Sheet, organisation: str) -> bytes:
    pdf = new_paper(f"Settings of trunk {sheet.trunk}")
    pdf.set_text_color(*SOFT)
    pdf.set_font("Sedge", "", 9)
    pdf.multi_cell(0, 5, organisation, new_x="LMARGIN", new_y="NEXT")
    pdf.set_text_color(*INK)
    pdf.set_font("Sedge", "B", 15)
    pdf.multi_cell(0, 9, f"Settings of trunk {sheet.trunk}", new_x="LMARGIN", new_y="NEXT")
    for part in sheet.parts:
        pdf.ln(3)
        pdf.set_font("Sedge", "B", 11)
        pdf.multi_cell(0, 7, part.title, new_x="LMARGIN", new_y="NEXT")
        for value in part.values:
            pdf.set_text_color(*SOFT)
            pdf.set_font("Sedge", "", 9.5)
            pdf.cell(58, 6, value.name)
            pdf.set_text_color(*INK)
            pdf.set_font("Sedge", "", 10.5)
            pdf.multi_cell(0, 6, value.text or "–", new_x="LMARGIN", new_y="NEXT")
    pdf.ln(3)
    pdf.set_font("Sedge", "B", 11)
    pdf.multi_cell(0, 7, "Then", new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("Sedge", "", 10.5)
    for place, step in enumerate(sheet.steps, 1):
        pdf.multi_cell(0, 6, f"{place}. {step}", new_x="LMARGIN", new_y="NEXT")
    return bytes(pdf.output())
