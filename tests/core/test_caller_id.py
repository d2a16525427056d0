"""What calls out show: who decides it, over which trunk such calls go, what goes along in the
signalling, what may be chosen."""

import pytest

from sedge.core import records as e
from sedge.core.enums import Transport
from sedge.core.outbound.caller_id import ANONYMOUS, Presented, headers, in_words
from sedge.core.outbound.trace import trace_outbound
from sedge.core.records import ORGANISATION, CallerId, Defaults, Trunk
from sedge.core.trunks.records import Identity, NumberFormat, TrunkSettings
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Level
from sedge.core.workorders.plan import arrange

OWN, MAIN, OTHER = "+441134960142", "+441134960200", "+441134960201"


def at_leeds(estate, said):
    estate.put(estate.records["Site/leeds"].copy_with(caller_id=said))


UNSAID = CallerId()


def called(estate, *, own=True, person=UNSAID, site=UNSAID, whole=None, dialled="901134960999"):
    ref = estate.person(caller_id=person, rights=tuple(e.Right))
    line = estate.line("Front desk")
    estate.given(200, line, capacity="many", carrier="fellgate")
    estate.given(201, line, e.Role.EXTRA, capacity="many")
    if own:
        estate.given(142, ref)
    at_leeds(estate, site)
    if whole:
        estate.put(Defaults(id=ORGANISATION, caller_id=whole))
    world = estate.build()
    return trace_outbound(world.the(e.Person, ref.id), dialled, world)


@pytest.mark.parametrize(
    ("choices", "shown", "because"),
    [
        ({}, OWN, "their own number"),
        ({"site": CallerId(shows="own", number=MAIN)}, OWN, "their own number"),
        ({"site": CallerId(shows="number", number=MAIN)}, MAIN, "Wharf House shows 0113 496 0200"),
        (
            {"site": CallerId(shows="number", number=MAIN), "person": CallerId(shows="own")},
            OWN,
            "their own number",
        ),
        (
            {"person": CallerId(shows="number", number=OTHER)},
            OTHER,
            "Ifeoma Okafor shows 0113 496 0201",
        ),
        (
            {"whole": CallerId(shows="number", number=OTHER)},
            OTHER,
            "the organisation shows 0113 496 0201",
        ),
        (
            {"whole": CallerId(shows="number", number=OTHER), "site": CallerId(shows="own")},
            OWN,
            "their own number",
        ),
        ({"whole": CallerId(shows="withheld")}, "", "the organisation withholds it"),
        (
            {"whole": CallerId(shows="withheld"), "site": CallerId(shows="number", number=MAIN)},
            MAIN,
            "Wharf House shows 0113 496 0200",
        ),
        (
            {"own": False, "site": CallerId(shows="own", number=MAIN)},
            MAIN,
            "Ifeoma Okafor has none of their own; Wharf House shows 0113 496 0200",
        ),
        (
            {"own": False, "whole": CallerId(number=OTHER)},
            OTHER,
            "Ifeoma Okafor has none of their own; the organisation shows 0113 496 0201",
        ),
    ],
)
def test_the_nearest_choice_decides(estate, choices, shown, because):
    trace = called(estate, **choices)
    assert (trace.ending, trace.caller_id, trace.shown_because) == ("reached", shown, because)


def test_who_has_no_number_and_no_default_calls_nobody_out(estate):
    trace = called(estate, own=False)
    assert (trace.ending, "no default is set" in trace.reason) == ("rejected", True)


def test_a_number_that_is_no_longer_ours_is_refused_and_named(estate):
    trace = called(estate, person=CallerId(shows="number", number="+441134960777"))
    assert (
        trace.ending,
        "+441134960777 is shown on its calls and is no longer ours" in trace.reason,
    ) == ("rejected", True)


def test_the_trunk_is_one_of_the_shown_numbers_carrier_and_the_headers_say_whose_call_it_is(estate):
    trace = called(estate, site=CallerId(shows="number", number=MAIN))
    assert trace.trunk == "Leeds A"
    assert trace.headers == [("From", f"<tel:{MAIN}>"), ("P-Asserted-Identity", f"<tel:{OWN}>")]


def test_a_withheld_call_is_anonymous_to_the_callee_and_not_to_the_carrier(estate):
    trace = called(estate, person=CallerId(shows="withheld"))
    assert (trace.trunk, trace.caller_id) == ("Brackwater Leeds", "")
    assert trace.headers[0] == ("From", '"Anonymous" <sip:anonymous@anonymous.invalid>')
    assert trace.headers[1:] == [("P-Asserted-Identity", f"<tel:{OWN}>"), ("Privacy", "id")]


def test_a_call_for_help_always_shows_the_callers_own_number(estate):
    trace = called(estate, site=CallerId(shows="withheld"), dialled="999")
    assert (trace.ending, trace.caller_id) == ("emergency", OWN)


# ── what may be chosen ──


def judged(estate, **task):
    found = judge(
        t.SetCallerId(holder=e.HolderRef(kind=e.HolderKind.SITE, id="leeds"), **task),
        estate.build(),
    )
    return {f.rule.removeprefix("caller-id."): f.level for f in found if f.level is not Level.PASS}


def test_only_a_number_in_use_of_a_carrier_with_a_trunk_may_be_shown(estate):
    line = estate.line("Front desk")
    main = estate.given(200, line, capacity="many")
    free, untold = estate.number(201), estate.given(202, line, e.Role.EXTRA, trunk=None)
    estate.put(
        e.Carrier(
            id="maplecourt",
            name="Maplecourt Networks",
            supply_model=e.SupplyModel.OWN_TRUNK,
            countries=("CA",),
            capacities=(),
            asks_of={},
        )
    )
    abroad = estate.given(203, line, e.Role.EXTRA, carrier="maplecourt")
    assert judged(estate, shows="number", caller_id=main) == {}
    assert judged(estate, shows="number") == {"number-given": Level.STOP}
    assert judged(estate, shows="withheld", caller_id=main) == {"number-given": Level.STOP}
    assert judged(estate, shows="number", caller_id=free) == {"is-ours": Level.STOP}
    assert judged(estate, shows="number", caller_id="+441134960888") == {"is-ours": Level.STOP}
    assert judged(estate, shows="own", caller_id=untold) == {"goes-out": Level.WARN}
    assert judged(estate, shows="own", caller_id=abroad) == {"goes-out": Level.STOP}
    assert judged(estate, shows="withheld") == {}
    estate.put(estate.records["Site/leeds"].copy_with(country="DE"))
    assert judged(estate, shows="number", caller_id=main) == {"same-country": Level.WARN}


def test_a_number_that_others_show_is_not_taken_back_before_they_show_another(estate):
    number = estate.given(200, estate.line("Front desk"), capacity="many")
    taking = t.UnassignNumber(number=number)
    assert [
        f.level for f in judge(taking, estate.build()) if f.rule == "life.shown-by-nobody-else"
    ] == [Level.PASS]
    at_leeds(estate, CallerId(shows="number", number=number))
    estate.put(Defaults(id=ORGANISATION, caller_id=CallerId(shows="own", number=number)))
    world = estate.build()
    found = next(f for f in judge(taking, world) if f.rule == "life.shown-by-nobody-else")
    assert (found.level, "Wharf House, the whole organisation show" in found.message) == (
        Level.STOP,
        True,
    )
    first = [*found.remedies[0].tasks]
    for task in first:
        world.absorb(task.apply(world, "x"))
    assert [f.level for f in judge(taking, world) if f.rule == "life.shown-by-nobody-else"] == [
        Level.PASS
    ]
    assert [i for i, _ in arrange([taking, *first], {})] == [1, 2, 0], "the remedy runs first"


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (CallerId(), "as the site says"),
        (CallerId(number=MAIN), "as the site says; 0113 496 0200 for who has none"),
        (CallerId(shows="own"), "the caller's own number"),
        (
            CallerId(shows="own", number=MAIN),
            "the caller's own number, or 0113 496 0200 where there is none",
        ),
        (CallerId(shows="number", number=MAIN), "always 0113 496 0200"),
        (CallerId(shows="withheld"), "nothing, it is withheld"),
    ],
)
def test_each_choice_is_told_in_words(said, words):
    assert in_words(said, "the site") == words


def test_a_choice_changes_whose_it_is(estate):
    ref = estate.person()
    world = estate.build()
    for holder in (ref, e.HolderRef(kind=e.HolderKind.SITE, id="leeds"), None):
        world.absorb(t.SetCallerId(holder=holder, shows="withheld").apply(world, "x"))
    said = [
        world.the(e.Person, ref.id),
        world.the(e.Site, "leeds"),
        world.the(Defaults, ORGANISATION),
    ]
    assert {x.caller_id.shows for x in said} == {"withheld"}


NO_PLUS_FROM = TrunkSettings(
    user="us", sends=NumberFormat.NO_PLUS, identity_out=Identity.FROM, transport=Transport.UDP
)


@pytest.mark.parametrize(
    ("settings", "withheld", "sent"),
    [
        (
            TrunkSettings(user="us"),
            False,
            [
                ("From", "<sip:+441134960100@sip.example>"),
                ("P-Asserted-Identity", "<sip:+441134960142@sip.example>"),
            ],
        ),
        (
            TrunkSettings(user="us", sends=NumberFormat.NATIONAL),
            True,
            [
                ("From", ANONYMOUS),
                ("P-Asserted-Identity", "<sip:01134960142@sip.example>"),
                ("Privacy", "id"),
            ],
        ),
        (NO_PLUS_FROM, False, [("From", "<sip:441134960100@sip.example>")]),
        (NO_PLUS_FROM, True, [("From", ANONYMOUS), ("Privacy", "id")]),
        (
            None,
            False,
            [("From", "<tel:+441134960100>"), ("P-Asserted-Identity", "<tel:+441134960142>")],
        ),
    ],
)
def test_headers_leave_as_the_trunk_is_set_up(estate, settings, withheld, sent):
    key = estate.number(142)
    own = estate.build().number(key)
    trunk = Trunk(id="t", name="T", site="leeds", carrier="fellgate", channels=1)
    trunk = trunk.copy_with(host="sip.example", settings=settings)
    shown = Presented("" if withheld else "+441134960100", withheld, "", own)
    assert headers(shown, own, trunk) == sent
