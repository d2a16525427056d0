"""What groups cost, as bars of numbers, seats, calls and what was paid once; and months beside each
other."""

from collections.abc import Mapping, Sequence
from decimal import Decimal

from markupsafe import Markup

from sedge.core.facts import in_currency
from sedge.core.spend.costs import Total
from sedge.core.spend.months import Month, to_minor_unit

WIDTH, ROW, LEFT, RIGHT = 760, 30, 190, 96
KINDS = (
    ("numbers", "Numbers", lambda row: row.fees),
    ("seats", "Licence seats", lambda row: row.seat_fees),
    ("calls", "Calls", lambda row: row.call_fees),
    ("once", "Paid once", lambda row: row.once),
)
MONTH_WIDTH, MONTH_HIGH, MONTH_FOOT = 46, 96, 30


def cost_bars(
    rows: Sequence[Total], names: Mapping[str, str], links: Mapping[str, str], currency: str
) -> Markup:
    """SVG; each bar is a link where its group has a page."""
    most = max((row.total for row in rows), default=Decimal(1)) or Decimal(1)
    room = WIDTH - LEFT - RIGHT

    def wide(amount: Decimal) -> float:
        return float(amount / most) * room

    drawn = Markup("")
    for place, row in enumerate(rows):
        top, x, parts = place * ROW, float(LEFT), Markup("")
        for kind, words, of in KINDS:
            amount = of(row)
            if amount <= 0:
                continue
            parts += Markup(
                '<rect class="cost-{}" x="{:.1f}" y="{}" width="{:.1f}" height="18">'
                "<title>{}: {}</title></rect>"
            ).format(kind, x, top + 5, max(wide(amount), 0.5), words, in_currency(amount, currency))
            x += wide(amount)
        name = names.get(row.key, row.key)
        label = Markup('<text class="map-label" x="{}" y="{}" text-anchor="end">{}</text>').format(
            LEFT - 8, top + 19, name if len(name) < 27 else f"{name[:25]}…"
        )
        total = Markup('<text class="map-label cost-sum" x="{:.1f}" y="{}">{}</text>').format(
            x + 6, top + 19, in_currency(row.total, currency)
        )
        whole = label + parts + total
        if href := links.get(row.key):
            whole = Markup('<a href="{}" aria-label="{}: {}">{}</a>').format(
                href, name, in_currency(row.total, currency), whole
            )
        drawn += whole
    return Markup(
        '<svg class="cost-bars" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="group"'
        ' aria-label="Cost by group, the dearest first">{2}</svg>'
    ).format(WIDTH, max(ROW, ROW * len(rows)), drawn)


def month_bars(
    months: Sequence[tuple[Month, Mapping[str, Decimal]]], currency: str, by: str, here: Month
) -> Markup:
    """A bar for each month, the one that is shown marked; each leads to its month."""
    amounts = [sums.get(currency, Decimal(0)) for _, sums in months]
    most = max(amounts, default=Decimal(1)) or Decimal(1)
    drawn = Markup("")
    for place, ((month, _), amount) in enumerate(zip(months, amounts, strict=True)):
        high = float(amount / most) * MONTH_HIGH
        x = place * MONTH_WIDTH
        name = f"{month.first:%b}" if month.month > 1 else f"{month.first:%Y}"
        told = f"{name}, {month.name}: {in_currency(to_minor_unit(amount, currency), currency)}"
        drawn += Markup(
            '<a href="/spend?month={month}&amp;by={by}" aria-label="{told}"{now}>'
            '<rect class="cost-month{here}" x="{x}" y="{y:.1f}" width="34" height="{high:.1f}">'
            "<title>{told}</title></rect>"
            '<text class="map-label" x="{middle}" y="{foot}" text-anchor="middle">{name}</text>'
            "</a>"
        ).format(
            month=month,
            by=by,
            told=told,
            now=Markup(' aria-current="true"') if month == here else "",
            here=" is-here" if month == here else "",
            x=x,
            y=MONTH_HIGH - high + 4,
            high=max(high, 1),
            middle=x + 17,
            foot=MONTH_HIGH + 20,
            name=name,
        )
    width = max(1, len(months)) * MONTH_WIDTH
    return Markup(
        '<svg class="cost-months" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="group"'
        ' aria-label="Cost by month">{2}</svg>'
    ).format(width, MONTH_HIGH + MONTH_FOOT, drawn)
