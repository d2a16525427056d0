"""The customer's mandate to move numbers (PDF), one for each losing carrier, in the language of the
country: our own wording, with the account word for word as the losing carrier has it, the numbers
as ranges, and a place to sign."""

from dataclasses import dataclass, replace
from datetime import date
from typing import TYPE_CHECKING

from sedge.core.numbers.e164 import describe
from sedge.core.numbers.ranges import NumberSet
from sedge.formats.paper import INK, SOFT, new_paper

if TYPE_CHECKING:
    from fpdf import FPDF


@dataclass(frozen=True)
class MandateFacts:
    """`numbers` are E.164, `codes` by number where the country has one for each; `toll_free`: the
    responsible organisation changes, not the line."""

    country: str
    customer: str
    losing: str
    gaining: str
    reference: str
    day: date
    account: tuple[tuple[str, str], ...]
    numbers: tuple[str, ...]
    codes: tuple[tuple[str, str], ...] = ()
    wanted: date | None = None
    staying: int = 0
    toll_free: bool = False


@dataclass(frozen=True)
class _Words:
    title: str
    asks: str
    rows: dict[str, str]
    numbers: str
    to: str
    code: str
    staying: str
    wanted: str
    vows: str
    place: str
    sign: str
    reference: str


TOLL_FREE_COUNTRIES = {
    "US",
    "CA",
}  # where toll-free numbers have a responsible organisation (47 CFR 52.101)
TOLL_FREE_TITLE = "Authority to change the responsible organization of toll-free numbers"
TOLL_FREE_ASKS = (
    "{customer} asks that the responsible organization of the numbers below change from {losing} to"
    " {gaining}, and gives {gaining} authority to see to it."
)
ENGLISH = {
    "name": "Account holder",
    "address": "Billing address",
    "account": "Account number",
    "pin": "PIN",
    "main_number": "Main billing number",
    "new_main_number": "New main billing number",
    "losing": "Moves from",
    "gaining": "Moves to",
}
WORDS = {
    "GB": _Words(
        "Letter of authority to move telephone numbers",
        "{customer} asks {losing} to let the numbers below move to {gaining}, and gives {gaining}"
        " authority to act on its behalf until they have.",
        ENGLISH,
        "Numbers",
        "to",
        "Code",
        "{n} further numbers of the account stay with {losing}; the account goes on.",
        "Wanted from",
        "I am entitled to sign for the account. The details are those of the latest bill.",
        "Place and day",
        "Name and signature",
        "Our reference",
    ),
    "US": _Words(
        "Letter of authorization to port telephone numbers",
        "{customer} authorizes {gaining} to act as its agent and to move the numbers below from"
        " {losing}.",
        ENGLISH,
        "Numbers",
        "to",
        "Code",
        "{n} further numbers of the account stay with {losing}; the account goes on.",
        "Wanted from",
        "I am authorized to sign for the account. The details are those of the latest bill.",
        "Place and date",
        "Name and signature",
        "Our reference",
    ),
    "DE": _Words(
        "Auftrag zur Mitnahme von Rufnummern",
        "{customer} beauftragt {gaining}, die unten genannten Rufnummern von {losing} zu"
        " übernehmen, und bittet {losing}, sie freizugeben.",
        {
            "name": "Anschlussinhaber",
            "address": "Anschrift laut Rechnung",
            "account": "Kundennummer",
            "pin": "PIN",
            "main_number": "Hauptrufnummer",
            "new_main_number": "Neue Hauptrufnummer",
            "losing": "Bisheriger Anbieter",
            "gaining": "Neuer Anbieter",
        },
        "Rufnummern",
        "bis",
        "Kennung",
        "{n} weitere Rufnummern des Anschlusses bleiben bei {losing}; der Vertrag läuft weiter.",
        "Gewünscht ab",
        "Ich bin berechtigt, für den Anschluss zu unterschreiben. Die Angaben entsprechen der"
        " letzten Rechnung.",
        "Ort und Tag",
        "Name und Unterschrift",
        "Unser Zeichen",
    ),
    "FR": _Words(
        "Mandat de portage de numéros",
        "{customer} donne mandat à {gaining} de reprendre les numéros ci-dessous auprès de {losing}"
        " et d'y résilier les contrats qui les portent.",
        {
            "name": "Titulaire",
            "address": "Adresse de facturation",
            "account": "Numéro de client",
            "pin": "Code secret",
            "main_number": "Numéro principal",
            "new_main_number": "Nouveau numéro principal",
            "losing": "Opérateur actuel",
            "gaining": "Nouvel opérateur",
        },
        "Numéros",
        "à",
        "RIO",
        "{n} autres numéros du contrat restent chez {losing} ; le contrat continue.",
        "Souhaité à partir du",
        "Je suis habilité à signer pour ce contrat. Les indications sont celles de la dernière"
        " facture.",
        "Lieu et date",
        "Nom et signature",
        "Notre référence",
    ),
}
WORDS["CA"] = WORDS["US"]


def mandate(facts: MandateFacts) -> bytes:
    """As many pages of A4 as the ranges need; GB, US and CA in English, DE and FR in their
    language, others as GB."""
    words = WORDS.get(facts.country, WORDS["GB"])
    if facts.toll_free and facts.country in TOLL_FREE_COUNTRIES:
        words = replace(words, title=TOLL_FREE_TITLE, asks=TOLL_FREE_ASKS)
    pdf = new_paper(f"{words.title}, {facts.reference}")
    names = {"customer": facts.customer, "losing": facts.losing, "gaining": facts.gaining}
    _line(pdf, words.title, 15, bold=True)
    _line(pdf, f"{words.reference}: {facts.reference}    {facts.day.isoformat()}", 9, soft=True)
    pdf.ln(4)
    _line(pdf, words.asks.format(**names), 10.5)
    pdf.ln(4)
    rows = (("losing", facts.losing), ("gaining", facts.gaining), *facts.account)
    for key, value in (
        *((words.rows[key], value) for key, value in rows if value),
        *_wanted(facts, words),
    ):
        _row(pdf, key, value)
    pdf.ln(3)
    _line(pdf, f"{words.numbers}: {len(facts.numbers):,}", 11, bold=True)
    _ranges(pdf, facts, words)
    if facts.staying:
        pdf.ln(3)
        _line(pdf, words.staying.format(n=facts.staying, **names), 10)
    _signature(pdf, words)
    return bytes(pdf.output())


def ranges(numbers: tuple[str, ...], to: str) -> list[str]:
    """`0117 496 0800 to 0117 496 0859`, or a number alone, ascending."""
    found = []
    for span in NumberSet.of(numbers).spans:
        first, last = (describe(f"+{n}").shown for n in (span.first, span.last))
        found.append(first if first == last else f"{first} {to} {last}")
    return found


def _wanted(facts: MandateFacts, words: _Words) -> tuple[tuple[str, str], ...]:
    return ((words.wanted, facts.wanted.isoformat()),) if facts.wanted else ()


def _ranges(pdf: "FPDF", facts: MandateFacts, words: _Words) -> None:
    """In two columns; with a code for each number one a line."""
    codes = dict(facts.codes)
    pdf.set_font("Sedge", "", 9.5)
    pdf.set_text_color(*INK)
    if codes:
        for e164 in facts.numbers:
            pdf.cell(
                0,
                5.4,
                f"{describe(e164).shown}    {words.code} {codes.get(e164, '–')}",
                new_x="LMARGIN",
                new_y="NEXT",
            )
        return
    listed = ranges(facts.numbers, words.to)
    for left, right in zip(listed[::2], [*listed[1::2], ""], strict=False):
        pdf.cell(83, 5.4, left, new_x="RIGHT", new_y="TOP")
        pdf.cell(0, 5.4, right, new_x="LMARGIN", new_y="NEXT")


def _line(pdf: "FPDF", text: str, size: float, *, bold: bool = False, soft: bool = False) -> None:
    pdf.set_text_color(*(SOFT if soft else INK))
    pdf.set_font("Sedge", "B" if bold else "", size)
    pdf.multi_cell(0, size * 0.52, text, new_x="LMARGIN", new_y="NEXT")


def _row(pdf: "FPDF", question: str, answer: str) -> None:
    pdf.set_font("Sedge", "", 9)
    pdf.set_text_color(*SOFT)
    pdf.cell(58, 6, question, new_x="RIGHT", new_y="TOP")
    pdf.set_font("Sedge", "", 10.5)
    pdf.set_text_color(*INK)
    pdf.multi_cell(0, 6, answer, new_x="LMARGIN", new_y="NEXT")


def _signature(pdf: "FPDF", words: _Words) -> None:
    if pdf.get_y() > pdf.h - 70:
        pdf.add_page()
    pdf.ln(6)
    _line(pdf, words.vows, 10)
    pdf.ln(22)
    y = pdf.get_y()
    pdf.set_draw_color(*INK)
    pdf.line(pdf.l_margin, y, pdf.l_margin + 60, y)
    pdf.line(pdf.l_margin + 72, y, pdf.w - pdf.r_margin, y)
    pdf.set_font("Sedge", "", 9)
    pdf.set_text_color(*SOFT)
    pdf.cell(72, 6, words.place, new_x="RIGHT", new_y="TOP")
    pdf.cell(0, 6, words.sign, new_x="LMARGIN", new_y="NEXT")
