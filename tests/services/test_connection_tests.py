"""A trunk tested link by link against carriers that really listen: each failure is named with what
to change."""

import pytest

from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.trunks.records import SignIn, TrunkSettings
from sedge.services.today.today import todo
from sedge.services.trunks import connection_tests, number_lists, trunk_settings
from sedge.services.trunks.trunk_settings import SettingsAsked
from sedge.services.workorders import order_running
from tests.conftest import until_quiet

TRUNK, DOMAIN = "leeds-a", "fellgate.example"
SECRET = "tern-over-salt-marsh-88"


@pytest.fixture
def control(installation):
    from sedge.services import simulation_clock

    found = simulation_clock.control_of(installation)
    yield found
    found.set_sip_fault(DOMAIN, "")


def links(context, key=TRUNK):
    return {x.what: x for x in connection_tests.run(context, key).links}


def set_up(installation, context, key=TRUNK, **other):
    fields = {"name": "Leeds A", "host": DOMAIN, "user": "lanternfield", "channels": 30}
    asked = SettingsAsked.model_validate(fields | other)
    order = trunk_settings.draft(context, key, asked)
    order_running.run(context, order.id)
    until_quiet(installation)


def test_every_link_of_a_good_trunk_holds(context):
    found = links(context)
    assert list(found) == list(connection_tests.LINKS)
    assert {x.ok for x in found.values()} == {True}
    assert "SRV" in found["Name"].evidence
    assert "+441134960199 answered" in found["Test call"].evidence
    assert found["Codecs"].evidence == "G722 in common"
    assert "lanternfield" in found["Sign-in"].evidence
    assert "for 300 seconds" in found["Sign-in"].evidence


@pytest.mark.parametrize(
    ("fault", "link", "says", "cure"),
    [
        ("wrong-certificate", "Certificate", "not for fellgate.example", "stands in"),
        ("expired-certificate", "Certificate", "ended on", "renewed"),
        ("early-certificate", "Certificate", "begins on", "clocks"),
        ("self-signed", "Certificate", "by itself", "authority"),
        ("silent", "OPTIONS", "No answer", "firewall"),
        ("503", "OPTIONS", "503", "120 seconds"),
        ("wrong-realm", "Sign-in", "another realm", "Compare the host"),
        ("rubbish", "OPTIONS", "can't be read", "spoils"),
    ],
)
def test_a_fault_is_named_with_what_to_change(
    context, control, monkeypatch, fault, link, says, cure
):
    monkeypatch.setattr(connection_tests, "WAIT", 1.0)
    control.set_sip_fault(DOMAIN, fault)
    found = links(context)
    first = next(x for x in found.values() if x.ok is False)
    assert (first.what, says in first.evidence, cure in first.cure) == (link, True, True), first
    after = [x.ok for x in list(found.values())[list(found).index(link) + 1 :]]
    assert set(after) <= {None}
    assert any(line.what == f"Leeds A: {link} fails" for line in todo(context))
    control.set_sip_fault(DOMAIN, "")
    assert {x.ok for x in links(context).values()} == {True}
    assert not any("fails" in line.what and "Leeds A" in line.what for line in todo(context))


def test_a_certificate_that_ends_soon_still_holds_and_says_so(context, control):
    control.set_sip_fault(DOMAIN, "ending-certificate")
    found = links(context)["Certificate"]
    assert (found.ok, "ends soon" in found.cure) == (True, True)


def test_a_wrong_name_and_a_wrong_secret_are_told_apart(installation, context):
    trunk_settings.keep_secret(context, TRUNK, "not-the-secret-of-this-trunk-7")
    assert "refuses the secret" in links(context)["Sign-in"].evidence
    trunk_settings.keep_secret(context, TRUNK, SECRET)
    set_up(installation, context, user="somebody")
    assert "does not know “somebody”" in links(context)["Sign-in"].evidence


@pytest.mark.parametrize(
    ("host", "port", "link", "says"),
    [
        ("missing.example", "", "Name", "no name"),
        ("nowhere.example", "", "Name", "no such service"),
        ("loop.example", "5061", "Name", "circle"),
        ("fellgate.example", "1", "Port", "refuses"),
    ],
)
def test_a_host_or_port_that_leads_nowhere_is_named(installation, context, host, port, link, says):
    set_up(installation, context, host=host, port=port)
    found = links(context)
    assert (found[link].ok, says in found[link].evidence) == (False, True)
    assert {x.ok for what, x in found.items() if what not in {"Name", link}} <= {None}


def test_a_carrier_that_trusts_addresses_is_not_signed_in_at(installation, context):
    found = links(context, "brackwater-leeds")
    assert "Sign-in" not in found
    assert "Certificate" not in found
    assert found["Test call"].ok
    assert "441134960199 answered" in found["Test call"].evidence
    set_up(
        installation,
        context,
        "brackwater-leeds",
        name="B",
        host="brackwater.example",
        transport="udp",
    )
    assert trunk_settings.view(context, "brackwater-leeds").settings.sign_in is SignIn.REGISTER
    trunk_settings.keep_secret(context, "brackwater-leeds", SECRET)
    assert "choose trust by address" in links(context, "brackwater-leeds")["Sign-in"].cure


def test_what_nobody_has_set_up_cannot_be_tested(context):
    with pytest.raises(NotAllowedNow, match="Set it up"):
        connection_tests.run(context, "brackwater-berlin")
    with pytest.raises(NotAllowedNow, match="Set it up"):
        trunk_settings.sheet(context, "brackwater-berlin")


def test_trunks_are_tested_every_night(installation, context):
    assert connection_tests.test_nightly(context) == 0
    installation.next_at[context.organisation.id, "connection tests"] = context.now()
    assert connection_tests.test_nightly(context) == 2
    assert trunk_settings.view(context, TRUNK).trunk.tested_at is not None
    assert connection_tests.test_nightly(context) == 0


def test_a_weak_secret_is_refused_with_what_would_make_it_better(context):
    for secret, says in (("abc", "12 to 72"), ("password1234", "too easily"), ("x" * 80, "72")):
        with pytest.raises(NotUnderstood, match=says):
            trunk_settings.keep_secret(context, TRUNK, secret)
    made = trunk_settings.make_secret(context, TRUNK)
    assert trunk_settings.weakness(made) == ""
    assert trunk_settings.view(context, TRUNK).has_secret


def test_settings_change_by_a_work_order_and_back(installation, context):
    before = trunk_settings.view(context, TRUNK).trunk
    set_up(installation, context, codecs="PCMA", sends="national", name="Leeds One")
    after = trunk_settings.view(context, TRUNK).trunk
    assert (after.name, after.settings.codecs) == ("Leeds One", ("PCMA",))
    assert "01134960199 answered" not in before.name
    order = trunk_settings.draft(context, TRUNK, SettingsAsked(name="x", host=DOMAIN, user="y"))
    order_running.run(context, order.id)
    until_quiet(installation)
    order_running.undo(context, order.id)
    until_quiet(installation)
    assert trunk_settings.view(context, TRUNK).trunk.name == "Leeds One"


@pytest.mark.parametrize("key", [TRUNK, "brackwater-leeds"])
def test_settings_sent_back_untouched_are_the_same(context, key):
    seen = trunk_settings.view(context, key)
    asked = SettingsAsked.model_validate(trunk_settings.as_typed(seen))
    assert trunk_settings.read_asked(asked) == (seen.trunk.name, seen.trunk.host, seen.settings)


def test_the_list_is_written_as_the_trunk_expects_it(installation, context):
    _, numbers = number_lists.as_expected(context, TRUNK)
    assert "+441134960100" in numbers
    set_up(installation, context, expects="national")
    assert "01134960100" in number_lists.as_expected(context, TRUNK)[1]


def test_usual_settings_are_no_facts(context):
    view = trunk_settings.view(context, "brackwater-berlin")
    assert (view.trunk.settings, view.settings) == (None, TrunkSettings())


def test_over_an_outbound_proxy_the_certificate_is_the_proxys(installation, context):
    set_up(installation, context, outbound_proxy="spare.lanternfield.example")
    found = links(context)
    assert found["Certificate"].evidence.startswith("TLSv1.3, for spare.lanternfield.example")
    assert (found["Name"].ok, found["OPTIONS"].ok) == (True, True)
