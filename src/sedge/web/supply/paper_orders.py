"""Orders on a form: written, printed, marked sent, arrivals entered by hand or from a file."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.holders import site_management
from sedge.services.supply import paper_orders
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=1000)]
Text = Annotated[str, Field(max_length=1000)]
MOST_BYTES = 1_000_000


@place.page("/supply/forms/new", May.BUY)
def new_form(
    request: Request,
    context: RequestContext,
    account: str = "",
    site: str = "",
    area: str = "",
    quantity: str = "1",
) -> Response:
    accounts = paper_orders.form_accounts(context)
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    chosen = site or (sites[0][0] if sites else "")
    return render(
        request,
        "order_form.html",
        accounts=[(a.id, f"{a.name} ({c.name})") for a, c in accounts],
        account=account,
        sites=sites,
        site=chosen,
        area=area,
        quantity=quantity,
        kinds=[(k, k) for k in paper_orders.KINDS],
        spots=site_management.good_spots(context, chosen) if chosen else [],
    )


class PaperOrderForm(BaseModel):
    """What is asked of a carrier on paper."""

    account: Text = ""
    site: Text = ""
    spot: Text = ""
    reference: Text = ""
    area: Text = ""
    quantity: Text = ""
    kind: Text = ""
    capacity: Text = ""
    in_a_row: Text = ""
    wanted_by: Text = ""
    note: Text = ""


@place.action("/supply/forms", May.BUY)
def write_form(
    request: Request, context: RequestContext, form: Annotated[PaperOrderForm, Form()]
) -> Response:
    order = paper_orders.write(context, form.model_dump())
    return go(request, f"/supply/orders/{order.id}")


@place.page("/supply/orders/{key}/form.pdf", May.SEE_MONEY)
def printed(context: RequestContext, key: str) -> Response:
    name, content = paper_orders.printed(context, key)
    return Response(
        content,
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@place.action("/supply/orders/{key}/sent", May.BUY)
def mark_sent(
    request: Request,
    context: RequestContext,
    key: str,
    sent_on: Typed = "",
    sent_how: Typed = "by mail",
) -> Response:
    paper_orders.mark_sent(context, key, on=sent_on, how=sent_how)
    return go(request, f"/supply/orders/{key}")


@place.action("/supply/orders/{key}/mail", May.BUY)
def mail_form(request: Request, context: RequestContext, key: str, to: Typed = "") -> Response:
    """The form as PDF and CSV to the carrier, marked as sent."""
    paper_orders.send_by_mail(context, key, to)
    return go(request, f"/supply/orders/{key}")


@place.action("/supply/orders/{key}/give-up", May.BUY)
def give_up(request: Request, context: RequestContext, key: str) -> Response:
    paper_orders.cancel(context, key)
    return go(request, f"/supply/orders/{key}")


@place.action("/supply/orders/{key}/arrivals", May.BUY)
def arrived(
    request: Request,
    context: RequestContext,
    key: str,
    lines: Annotated[str, Form(max_length=100_000)] = "",
    setup: Typed = "",
    monthly: Typed = "",
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    """What was typed and what the file says, together, as the draft of a work order."""
    text = lines
    if file is not None and file.filename:
        content = file.file.read(MOST_BYTES + 1)
        if len(content) > MOST_BYTES:
            raise NotUnderstood("A file of arrivals has at most 1 MB.", field="file")
        try:
            text = f"{content.decode('utf-8-sig')}\n{lines}"
        except UnicodeDecodeError as error:
            raise NotUnderstood(
                "This is no text file. Save it as CSV in UTF-8.", field="file"
            ) from error
    return go(
        request,
        f"/work-orders/{paper_orders.arrived(context, key, text, setup=setup, monthly=monthly).no}",
    )
