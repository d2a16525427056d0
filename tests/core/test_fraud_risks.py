"""Where somebody could make dear calls at our expense."""

from sedge.core.enums import Right
from sedge.core.outbound.fraud_risks import risks
from sedge.core.records import BASIC_RIGHTS, Person, ServiceLine, Trunk
from sedge.core.trunks.records import SignIn, TrunkSettings
from tests.core.test_outbound import site


def trunk(settings):
    return Trunk(id="a", name="Leeds A", site="gb", carrier="x", channels=1, settings=settings)


def told(trunks=(), sites=(), lines=(), people=(), secrets=()):
    return [(r.what, r.grave) for r in risks(trunks, sites, lines, people, frozenset(secrets))]


def test_a_good_organisation_has_none():
    good = trunk(TrunkSettings(user="us"))
    assert told([good], [site("GB")], secrets=["a"]) == []
    trusting = TrunkSettings(sign_in=SignIn.ADDRESS, addresses=("192.0.2.0/26", "2001:db8::/64"))
    assert told([trunk(trusting), trunk(None)]) == []


def test_open_trunks_are_grave():
    wide = TrunkSettings(sign_in=SignIn.ADDRESS, addresses=("10.0.0.0/8",))
    assert told([trunk(wide)]) == [("Leeds A takes calls from all of 10.0.0.0/8", True)]
    assert told([trunk(TrunkSettings(user="us"))]) == [("Leeds A has no secret", True)]
    plain = TrunkSettings(user="us", transport="udp")
    assert told([trunk(plain)], secrets=["a"]) == [("Leeds A signs in over UDP", False)]


def test_rights_that_many_share_are_named():
    rights = (*BASIC_RIGHTS, Right.INTERNATIONAL)
    line = ServiceLine(id="desk", name="Front desk", kind="reception", site="gb", rights=rights)
    assert told(lines=[line]) == [("Front desk may make international calls", False)]
    assert told(sites=[site("GB").copy_with(rights=rights)])[0][0].startswith("United Kingdom may")
    people = [
        Person(id=str(i), name=f"P {i}", email="", site="gb", rights=(Right.PREMIUM,))
        for i in range(6)
    ]
    assert told(people=people) == [("6 people may call premium numbers", False)]
    assert told(people=people[:5]) == []
    assert told(people=[p.copy_with(left=True) for p in people]) == []
