"""What all printed papers share: the page, the typeface, ink."""

from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fpdf import FPDF

FONTS = Path(__file__).parent.parent / "web" / "static" / "vendor" / "fonts"
INK, SOFT = (32, 48, 43), (96, 108, 100)


def new_paper(title: str) -> "FPDF":
    """An empty A4 page with margins and the typeface that has all letters of our countries."""
    from fpdf import FPDF  # costs half a second to import, and few processes ever print

    pdf = FPDF(format="A4")
    pdf.add_font("Sedge", "", FONTS / "DejaVuSans.ttf")
    pdf.add_font("Sedge", "B", FONTS / "DejaVuSans-Bold.ttf")
    pdf.set_title(title)
    pdf.set_lang("en-GB")
    pdf.set_margins(22, 22)
    pdf.set_auto_page_break(auto=True, margin=22)
    pdf.add_page()
    return pdf
