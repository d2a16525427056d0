"""The demo's papers: made-up documents as PDF, put on file for the depot in Berlin."""

from datetime import timedelta

from fpdf import FPDF

from sedge.services.context import Context
from sedge.services.supply import documents


def put_papers_on_file(context: Context) -> None:
    today = context.now().date()
    for paper, site, title, days, lines in (
        (
            "register extract",
            "",
            "Register extract of the Trust",
            120,
            (
                "Register of museums' associations, sheet 4711 (made up)",
                "The Lanternfield Museums Trust",
            ),
        ),
        (
            "proof of local address",
            "spree-depot",
            "Lease of Speicherufer 8",
            150,
            ("Mietvertrag (erfunden)", "Speicherufer 8, 10999 Berlin"),
        ),
    ):
        content = bytes(_pdf(title, [*lines, "Made up for the demo."]))
        documents.put_on_file(
            context,
            paper=paper,
            filename=f"{title.lower().replace(' ', '-')}.pdf",
            content=content,
            site=site,
            title=title,
            issued_on=str(today - timedelta(days=days)),
        )


def _pdf(title: str, lines: list[str]) -> bytearray:
    pdf = FPDF()
    pdf.set_title(title)
    pdf.add_page()
    pdf.set_font("Helvetica", "B", 16)
    pdf.cell(text=title, new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("Helvetica", "", 11)
    for line in lines:
        pdf.cell(text=line, h=8, new_x="LMARGIN", new_y="NEXT")
    return pdf.output()
