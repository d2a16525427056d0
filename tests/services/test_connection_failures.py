"""Each failure of a connection test says what it means and what to change."""

from datetime import timedelta

import pytest

from sedge.outside.sip.agent import Heard
from sedge.outside.sip.certificates import Shown
from sedge.outside.sip.messages import Message
from sedge.services.trunks.failures import NO_NAME, call_failed, distrusted, sign_in_failed
from tests.conftest import NOW

DAY = timedelta(days=1)
DOMAIN = "sip.fellgate.example"
GOOD = {
    "protocol": "TLSv1.3",
    "names": (DOMAIN,),
    "not_before": NOW - 30 * DAY,
    "not_after": NOW + 30 * DAY,
    "key": "RSA",
    "key_bits": 2048,
}


def wrong_with(**changes):
    return distrusted(Shown(**(GOOD | changes)), DOMAIN, NOW)


def heard(status, reason, **headers):
    answer = Message(status=status, reason=reason, headers=list(headers.items()))
    return Heard(answer, [], 0.1)


def test_a_good_certificate_is_not_doubted():
    assert wrong_with() is None
    assert wrong_with(key="ECPublicKey", key_bits=256) is None
    assert wrong_with(names=("other.example", "SIP.Fellgate.Example.")) is None


@pytest.mark.parametrize(
    ("changes", "evidence", "cure"),
    [
        ({"problem": "wrong version"}, "No TLS handshake: wrong version", "another transport"),
        ({"not_after": None}, "No certificate was shown", "Ask the carrier"),
        ({"not_before": None}, "No certificate was shown", "Ask the carrier"),
        ({"not_after": NOW - DAY}, "ended on 23 November 2026", "renewed"),
        ({"not_before": NOW + DAY}, "begins on 25 November 2026", "clocks of both sides"),
        ({"self_signed": True}, "is signed by itself", "signed by an authority"),
        ({"distrust": "unknown issuer"}, "not trusted: unknown issuer", "show its chain"),
        ({"names": ("other.example",)}, "is for other.example, not for sip.fellgate", "for sip."),
        ({"names": ("*.fellgate.example",)}, "is for *.fellgate.example", "made for sip."),
        ({"names": ()}, "is for no name", "made for sip.fellgate.example"),
        ({"names": ("a.example", "b.example")}, "a.example and b.example", "stands in the"),
        ({"key_bits": 1024}, "1024 bits", "2048 at least"),
        ({"key": "ECPublicKey", "key_bits": 192}, "192 bits", "224 at least"),
    ],
)
def test_a_certificate_is_doubted_with_what_to_change(changes, evidence, cure):
    said, change = wrong_with(**changes)
    assert evidence in said
    assert cure in change


def test_of_several_faults_the_first_to_mend_is_told():
    said, _ = wrong_with(not_after=NOW - DAY, names=("other.example",), key_bits=512)
    assert "ended on" in said


@pytest.mark.parametrize(
    ("answer", "realm", "evidence", "cure"),
    [
        (heard(404, "Not Found"), DOMAIN, "does not know “us”", "Compare the name"),
        (heard(401, "Unauthorized"), DOMAIN, "refuses the secret of “us”", "Type the secret anew"),
        (heard(403, "Forbidden"), "", "refuses the secret of “us”", "Type the secret anew"),
        (heard(407, "Proxy"), DOMAIN.upper(), "refuses the secret", "Type the secret anew"),
        (heard(401, "Unauthorized"), "other.example", "another realm, other.example", "host"),
        (heard(405, "Not Allowed"), DOMAIN, "takes no sign-ins", "trust by address"),
        (heard(503, "Busy", **{"retry-after": "90"}), DOMAIN, "too busy", "in 90 seconds"),
        (heard(503, "Busy"), DOMAIN, "too busy", "Try again later"),
        (heard(699, "Odd"), DOMAIN, "It answers 699 Odd", "Ask the carrier"),
    ],
)
def test_a_sign_in_that_fails_says_why_and_what_to_change(answer, realm, evidence, cure):
    said, change = sign_in_failed(answer, "us", realm, DOMAIN)
    assert evidence in said
    assert cure in change
    assert str(answer.status) in said


@pytest.mark.parametrize(
    ("answer", "evidence", "cure"),
    [
        (heard(302, "Moved", contact="<sip:b.example>"), "elsewhere (302 Moved): <sip:b", "host"),
        (heard(403, "Forbidden"), "refuses the call", "this caller ID"),
        (heard(404, "Not Found"), "does not know +441134960199", "how numbers are written"),
        (heard(486, "Busy Here"), "+441134960199 is busy", "in use"),
        (heard(488, "Not Acceptable"), "none of our codecs", "Add one"),
        (heard(503, "Gone", **{"retry-after": "120"}), "no calls at present", "in 120 seconds"),
        (heard(503, "Gone"), "no calls at present", "Try again later"),
        (heard(600, "Busy Everywhere"), "It answers 600 Busy Everywhere", "Ask the carrier"),
    ],
)
def test_a_call_that_fails_says_why_and_what_to_change(answer, evidence, cure):
    said, change = call_failed(answer, "+441134960199")
    assert evidence in said
    assert cure in change


def test_every_way_that_a_name_may_lead_nowhere_has_its_words():
    assert {"no-name", "no-address", "srv-to-nowhere", "dns-silent", "dns-failed"} == set(NO_NAME)
    for evidence, cure in NO_NAME.values():
        assert DOMAIN in evidence.format(about=DOMAIN)
        assert cure.endswith(".")
