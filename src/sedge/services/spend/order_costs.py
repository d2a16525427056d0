"""What a work order changes each month, beside what is paid now."""

from dataclasses import replace
from decimal import Decimal

from sedge.core.access.roles import May, allowed
from sedge.core.facts import Money
from sedge.core.workorders.checks import Costs
from sedge.core.workorders.life import OrderState
from sedge.services.context import Context
from sedge.services.spend.costs import fixed_monthly
from sedge.services.workorders import order_views
from sedge.services.workorders.order_views import OrderView
from sedge.store.repositories.workorders import WorkOrder


def view_order(context: Context, key: str) -> OrderView:
    """A work order as it is shown, with the monthly price before and after it. Raises NotFound,
    Forbidden."""
    view = order_views.view_order(context, key)
    return replace(view, monthly_now=_monthly_now(context, view.order, view.costs))


def _monthly_now(context: Context, order: WorkOrder, costs: Costs) -> dict[str, Money]:
    changed = [m.currency for m in costs.monthly.values() if m.amount]
    has_begun = order.state not in {OrderState.DRAFT, OrderState.SCHEDULED}
    if has_begun or not changed or not allowed(context.who.role, May.SEE_MONEY):
        return {}
    known = fixed_monthly(context)
    return {c: known.get(c, Money(amount=Decimal(0), currency=c)) for c in changed}
