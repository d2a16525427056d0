"""Safety: coverage, gaps, the emergency test of one number, of everything, and what carriers have
registered."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import OutsideSilent, SedgeError
from sedge.core.safety.countries import RULES
from sedge.services.callpaths import calls
from sedge.services.holders import site_management
from sedge.services.numbers.numbers import the_number
from sedge.services.safety import (
    address_revalidation,
    address_search,
    carrier_registrations,
    coverage,
    emergency_reports,
    safety,
)
from sedge.services.workorders import workorders
from sedge.web.routing import Place, RequestContext
from sedge.web.safety import views
from sedge.web.shared.rendering import go, render, target
from sedge.web.shared.saving import Now, run_or_review

place = Place()


@place.page("/safety", May.LOOK)
def overview(
    request: Request, context: RequestContext, site: str = "", number: str = "", dialled: str = ""
) -> Response:
    test, problem = None, ""
    if number:
        try:
            test = calls.emergency(
                context,
                the_number(context, number),
                dialled.strip()[:20] or views.usual_digits(context, number),
            )
        except SedgeError as error:
            problem = error.message
    cover = [c for c in coverage.by_site(context) if not site or c.site.id == site]
    sites = site_management.plain_sites(context)
    few = len(sites) <= views.FEW_SITES
    shown = [s.id for s in sites] if not site and few else [site] if site else []
    return render(
        request,
        "safety.html",
        gaps=coverage.gaps(context, limit=views.NAMED),
        cover=views.rows(cover),
        nobody=all(c.whole.is_empty for c in cover),
        more_sites=max(0, len(cover) - views.MOST_SITES),
        rows=safety.spots(context, shown),
        site=site,
        sites=[(s.id, s.name) for s in sites if few or s.id == site],
        number=number,
        dialled=dialled,
        test=test,
        problem=problem,
        few=few,
    )


@place.action("/safety/help-call", May.PLACE_TEST_CALL)
def help_call(
    request: Request, context: RequestContext, number: Annotated[str, Form(max_length=60)] = ""
) -> Response:
    """A call for help that ends at the stand-in of the answering point; its proof drawn below the
    test."""
    proof = calls.place_help_call(context, the_number(context, number))
    if target(request):
        return render(request, "_help_proof.html", proof=proof)
    return go(request, f"/safety?number={proof.e164[1:]}")


@place.action("/safety/put-right", May.CHANGE_ESTATE)
def put_right(
    request: Request, context: RequestContext, gap: Annotated[str, Form(max_length=40)] = ""
) -> Response:
    return go(request, f"/work-orders/{coverage.put_right(context, gap).no}")


@place.action("/safety/people/{person}/spot", May.CHANGE_ESTATE)
def person_spot(
    request: Request,
    context: RequestContext,
    person: str,
    spot: Annotated[str, Form()],
    now: Now = "",
) -> Response:
    """A person's numbers follow their spot; as a work order, so that it can be undone."""
    tasks = workorders.read_tasks(context, [{"kind": "set_spot", "person": person, "spot": spot}])
    order = workorders.draft(context, "Set a person's emergency spot", tasks, look=True)
    return run_or_review(request, context, order.no, f"/holders/people/{person}", now)


@place.page("/safety/rules", May.LOOK)
def rules(request: Request) -> Response:
    return render(request, "safety_rules.html", rules=RULES.values())


@place.page("/safety/address", May.LOOK)
def address(
    request: Request,
    context: RequestContext,
    country: str = "",
    building: str = "",
    house_number: str = "",
    street: str = "",
    city: str = "",
    postcode: str = "",
    region: str = "",
) -> Response:
    """What the register makes of an address, part by part."""
    typed = {
        "building": building,
        "house_number": house_number,
        "street": street,
        "city": city,
        "postcode": postcode,
        "region": region,
    }
    view = views.address_view(
        context,
        country or context.organisation.home_country,
        {k: v[:200] for k, v in typed.items()},
    )
    return render(request, "address.html", view=view)


@place.page("/safety/addresses/found", May.LOOK)
def found_addresses(
    request: Request, context: RequestContext, country: str = "", line: str = ""
) -> Response:
    """What a line may mean, to be chosen from while it is typed: a form fills its fields with
    it."""
    try:
        found = address_search.search_addresses(context, country, line)
    except OutsideSilent as error:
        found = address_search.Suggested([], None, error.message)
    return render(
        request, "_addresses_found.html", found=found, fields_of=safety.fields_of, line=line.strip()
    )


@place.action("/safety/addresses/recheck", May.CHANGE_SAFETY)
def recheck(request: Request, context: RequestContext) -> Response:
    """Every address of ours once more; what came of it, drawn below the button."""
    done = address_revalidation.recheck(context)
    if target(request):
        return render(request, "_rechecked.html", done=done)
    return go(request, "/safety")


# ── the emergency test of everything ──


@place.page("/safety/tests", May.LOOK)
def tests(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "safety_tests.html",
        reports=emergency_reports.reports(context),
        sites=[(s.id, s.name) for s in site_management.plain_sites(context)],
    )


@place.action("/safety/tests", May.PLACE_TEST_CALL)
def run_test(
    request: Request, context: RequestContext, site: Annotated[str, Form(max_length=80)] = ""
) -> Response:
    return go(request, f"/safety/tests/{emergency_reports.begin(context, site=site).id}")


@place.page("/safety/tests/{key}", May.LOOK)
def report(request: Request, context: RequestContext, key: str) -> Response:
    found, lines, count = emergency_reports.view_report(context, key)
    template = "_safety_report.html" if target(request) == "report" else "safety_report.html"
    return render(
        request,
        template,
        report=found,
        lines=lines[: views.MOST_LINES],
        more=max(0, count - views.MOST_LINES),
    )


@place.page("/safety/tests/{key}/report.csv", May.LOOK)
def report_csv(context: RequestContext, key: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="emergency-test-{key}.csv"'}
    return Response(
        emergency_reports.as_csv(context, key),
        media_type="text/csv; charset=utf-8",
        headers=headers,
    )


@place.page("/safety/tests/{key}/report.pdf", May.LOOK)
def report_pdf(context: RequestContext, key: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="emergency-test-{key}.pdf"'}
    return Response(
        emergency_reports.as_pdf(context, key), media_type="application/pdf", headers=headers
    )


# ── what carriers have registered ──


@place.page("/safety/registered", May.LOOK)
def registered_page(request: Request, context: RequestContext, carrier: str = "") -> Response:
    keeping = carrier_registrations.keeping(context)
    compared = carrier_registrations.compare(context, carrier) if carrier else None
    return render(
        request,
        "registered.html",
        carriers=[(c.id, c.name) for c in keeping],
        compared=compared,
        shown=carrier_registrations.SHOWN,
    )


@place.action("/safety/registered", May.CHANGE_ESTATE)
def send_again(
    request: Request, context: RequestContext, carrier: Annotated[str, Form(max_length=80)] = ""
) -> Response:
    return go(request, f"/work-orders/{carrier_registrations.send_again(context, carrier).no}")
