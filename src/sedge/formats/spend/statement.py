"""A month's statement on paper: what each cost centre or site is charged (PDF)."""

from dataclasses import dataclass
from decimal import Decimal

from sedge.core.facts import in_currency
from sedge.formats.paper import INK, SOFT, new_paper


@dataclass(frozen=True)
class StatementPart:
    """What one is charged: `lines` are kind, what for, amount."""

    name: str
    currency: str
    total: Decimal
    lines: tuple[tuple[str, str, Decimal], ...]


@dataclass(frozen=True)
class StatementFacts:
    organisation: str
    month: str
    state: str
    parts: tuple[StatementPart, ...]
    totals: tuple[str, ...]


def spend_statement(facts: StatementFacts) -> bytes:
    pdf = new_paper(f"Statement {facts.month}, {facts.organisation}")
    pdf.set_text_color(*SOFT)
    pdf.set_font("Sedge", "", 10)
    pdf.cell(0, 6, facts.organisation, new_x="LMARGIN", new_y="NEXT")
    pdf.set_text_color(*INK)
    pdf.set_font("Sedge", "B", 18)
    pdf.cell(0, 12, f"Statement {facts.month}", new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("Sedge", "", 10)
    total = " and ".join(facts.totals) or "nothing"
    words = f"{total} in all, tax not included; {facts.state}."
    pdf.multi_cell(0, 6, words, new_x="LMARGIN", new_y="NEXT")
    for part in facts.parts:
        pdf.ln(3)
        pdf.set_font("Sedge", "B", 12)
        amount = in_currency(part.total, part.currency)
        pdf.cell(0, 8, f"{part.name}: {amount}", new_x="LMARGIN", new_y="NEXT")
        pdf.set_font("Sedge", "", 9)
        for kind, what, cost in part.lines:
            pdf.cell(38, 5, kind[:40])
            pdf.cell(96, 5, what[:60])
            shown = in_currency(cost, part.currency)
            pdf.cell(0, 5, shown, align="R", new_x="LMARGIN", new_y="NEXT")
    return bytes(pdf.output())
