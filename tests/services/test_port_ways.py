"""Numbers that move another way: French ones with a code for each, toll-free ones whose responsible
organisation changes."""

import subprocess
from datetime import timedelta
from urllib.parse import urlencode

import pytest

from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.porting.records import Port, PortState
from sedge.core.records import Carrier, Number, Site, Subject, Trunk
from sedge.core.workorders.life import OrderState
from sedge.services.porting import port_cutover, port_planning, ports
from sedge.services.workorders import order_running, order_views, workorders
from sedge.web.porting.views import _giving
from tests.asserting import every
from tests.conftest import until_quiet
from tests.services.test_ports import now, submitted

FRENCH = ("+33199000101", "+33199000102")
PARIS = {
    "name": "Atelier des Quais SARL",
    "address": "8 quai des Lanternes, 75001 Paris",
    "account": "OQ-3300",
    "pin": "3300",
}
BOSTON = {
    "name": "Harborline Tours Inc",
    "address": "40 Harborline Street, Boston, MA 02110",
    "account": "OQ-8000",
    "pin": "8000",
}


def rio(e164):
    """The code as the line says it, written as people do."""
    return f"01 P {e164[-3:]} quai{int(e164[-3:]) % 7}z"


def opened(context, key, carrier, country, timezone):
    """A site abroad, with a trunk to a carrier that serves the country."""
    with context.writing(reason="opens") as writing:
        site = writing.records.the(Site, "wharf-house")
        new = site.copy_with(
            id=key,
            name=key.title(),
            code=key[:3].upper(),
            country=country,
            timezone=timezone,
            address=None,
            spot=None,
        )
        of = writing.records.the(Carrier, carrier)
        writing.save(
            [
                changed(Subject.SITE, None, new, "site.added"),
                changed(
                    Subject.CARRIER,
                    of,
                    of.copy_with(countries=tuple(dict.fromkeys((*of.countries, country)))),
                    "carrier.changed",
                ),
                changed(
                    Subject.TRUNK,
                    None,
                    Trunk(
                        id=f"{carrier}-{key}", name=new.name, site=key, carrier=carrier, channels=10
                    ),
                    "trunk.added",
                ),
            ]
        )


@pytest.fixture
def paris(context):
    opened(context, "paris", "fellgate", "FR", "Europe/Paris")
    (port,) = port_planning.begin(
        context, "01 99 00 01 01, 01 99 00 01 02", account="fellgate-main", site="paris"
    )
    return port


def switched(installation, context, key):
    draft = port_cutover.activation(context, key)
    order_running.run(context, draft.id)
    until_quiet(
        installation,
        max(now(context, key).foc - context.now(), timedelta(0)) + timedelta(minutes=30),
    )
    assert workorders.get(context, draft.id).state is OrderState.DONE
    with context.reading() as reading:
        return reading.records.many(Number, now(context, key).numbers)


def test_each_french_number_needs_its_code_and_a_wrong_one_is_sent_back(
    installation, context, paris
):
    ports.change_port(context, paris.id, PARIS)
    ports.sign(context, paris.id, "Imogen Vance")
    stops = [
        f.message
        for f in order_views.view_order(
            context, ports.submission(context, paris.id).id
        ).report.stops
    ]
    assert stops == ["+33 1 99 00 01 01: it needs its RIO. Ask for it from the line itself."]
    codes = {f"code:{n}": rio(n) for n in FRENCH}
    submitted(
        installation, context, paris.id, **PARIS, **{**codes, f"code:{FRENCH[1]}": "01P1A2B3C4D5"}
    )
    until_quiet(installation, timedelta(days=4))
    refused = ports.view_port(context, paris.id)
    assert (refused.port.state, refused.rejected[0].code, refused.rejected[1].field) == (
        PortState.REJECTED,
        "code-wrong",
        "lines",
    )
    assert FRENCH[1] in refused.rejected[0].text
    submitted(installation, context, paris.id, **PARIS, **codes)
    until_quiet(installation, timedelta(days=4))
    assert now(context, paris.id).state is PortState.ACCEPTED
    assert {n.state for n in switched(installation, context, paris.id)} == {State.AVAILABLE}


def test_the_french_mandate_has_the_codes_and_is_in_french(context, paris, tmp_path):
    ports.change_port(context, paris.id, {**PARIS, **{f"code:{n}": rio(n) for n in FRENCH}})
    (tmp_path / "m.pdf").write_bytes(ports.mandate_of(context, paris.id))
    text = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "m.pdf", "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "Mandat de portage" in text
    assert every(rio(n) in text for n in FRENCH)


def test_a_toll_free_number_changes_its_responsible_organisation(installation, context, tmp_path):
    opened(context, "boston", "maplecourt", "US", "America/New_York")
    planned = port_planning.plan_ports(
        context, "1-800-555-0199", account="maplecourt-main", site="boston"
    )
    assert planned.plan.ports[0].changes_responsible
    (port,) = port_planning.begin(
        context, "1-800-555-0199", account="maplecourt-main", site="boston"
    )
    assert port.toll_free
    (tmp_path / "m.pdf").write_bytes(ports.mandate_of(context, port.id))
    text = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "m.pdf", "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "responsible organization" in text.lower().replace("organisation", "organization")
    submitted(installation, context, port.id, **BOSTON, subdivision="MA")
    until_quiet(installation, timedelta(days=6))
    assert now(context, port.id).state in {PortState.ACCEPTED, PortState.DUE}
    (number,) = switched(installation, context, port.id)
    assert (number.state, number.kind.value, number.carrier) == (
        State.AVAILABLE,
        "toll-free",
        "maplecourt",
    )


def test_codes_can_be_pasted_and_what_is_wrong_with_them_is_said_at_once(context, paris):
    ports.change_port(
        context,
        paris.id,
        {
            **PARIS,
            "codes": f"+33 1 99 00 01 01; {rio(FRENCH[0])}\n\n+33199000102\t{rio(FRENCH[1])}\n",
        },
    )
    assert [x.code for x in ports.view_port(context, paris.id).port.lines] == [
        rio(n) for n in FRENCH
    ]
    for typed, said in (
        (
            "+33 1 99 00 01 01 01P101QUAI3Z",
            "Line 1: put a semicolon or a tab between the number and its code.",
        ),
        ("+33 1 99 00 01 03; 01P103QUAI5Z", "Line 1: +33 1 99 00 01 03 is not in this port."),
        (
            "+33 1 99 00 01 02; 01P102QUAI4",
            "+33 1 99 00 01 02: a RIO has 12 letters and digits, this one has 11.",
        ),
    ):
        with pytest.raises(NotUnderstood) as wrong:
            ports.change_port(context, paris.id, {**PARIS, "codes": typed})
        assert (wrong.value.message, wrong.value.field) == (said, "codes")
    with pytest.raises(NotUnderstood) as wrong:
        ports.change_port(context, paris.id, {**PARIS, f"code:{FRENCH[0]}": "12"})
    assert wrong.value.field == f"code:{FRENCH[0]}"
    assert [x.code for x in ports.view_port(context, paris.id).port.lines] == [
        rio(n) for n in FRENCH
    ]


def test_a_part_of_another_country_has_no_holidays_here(context, paris):
    for part in ("ENG", "XX"):
        with pytest.raises(NotUnderstood) as wrong:
            ports.change_port(context, paris.id, {**PARIS, "subdivision": part})
        assert wrong.value.field == "subdivision"
        assert "6AE (Alsace)" in wrong.value.message
    assert ports.change_port(context, paris.id, {**PARIS, "subdivision": "57"}).subdivision == "57"


def test_a_code_of_the_wrong_length_is_stopped_before_the_carrier_sees_it(context, paris):
    ports.change_port(context, paris.id, {**PARIS, **{f"code:{n}": rio(n) for n in FRENCH}})
    with context.writing(reason="kept before codes were measured") as writing:
        port = writing.records.the(Port, paris.id)
        lines = (port.lines[0], port.lines[1].copy_with(code="01P1"))
        writing.save([changed(Subject.PORT, port, port.copy_with(lines=lines), "port.changed")])
    ports.sign(context, paris.id, "Imogen Vance")
    (stop,) = order_views.view_order(context, ports.submission(context, paris.id).id).report.stops
    assert (
        stop.message
        == "+33 1 99 00 01 02: a RIO has 12 letters and digits, this one has 4. Ask for it from the"
        " line itself."
    )


def test_numbers_that_nobody_has_yet_are_given_out_by_a_form_or_by_the_planner(paris):
    assert _giving(paris, ["+33199000101"]) == "/work-orders/new/assign?number=%2B33199000101"
    asked = urlencode({"site": "paris", "numbers": "+33199000101 to +33199000102"})
    assert _giving(paris, list(FRENCH)) == f"/work-orders/planner?{asked}"
    scattered = [f"+3319900{n:04d}" for n in range(5000, 6000, 2)]
    assert (
        _giving(paris, scattered) == "/work-orders/planner?site=paris&numbers="
    )  # too many for an address: those free at the site
