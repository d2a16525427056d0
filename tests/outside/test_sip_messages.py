"""SIP messages as they come: tortuous ones (RFC 4475) are read, broken ones refused with why."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.outside.sip.agent import codecs_in
from sedge.outside.sip.digest import Challenge
from sedge.outside.sip.messages import (
    BadMessageError,
    Message,
    address_in,
    parameters,
    parse,
    take,
    wire,
)


def crlf(text):
    return text.strip("\n").replace("\n", "\r\n").encode() + b"\r\n\r\n"


# RFC 4475 §3.1.1.1, a short tortuous INVITE
TORTUOUS = crlf(
    """
INVITE sip:vivekg@chair-dnrc.example.com;unknownparam SIP/2.0
TO :
 sip:vivekg@chair-dnrc.example.com ;   tag    = 1918181833n
from   : "J Rosenberg \\\\\\""       <sip:jdrosen@example.com>
  ;
  tag = 98asjd8
MaX-fOrWaRdS: 0068
Call-ID: wsinv.ndaksdj@192.0.2.1
Content-Length   : 0
cseq: 0009
  INVITE
Via  : SIP  /   2.0
 /UDP
    192.0.2.2;branch=390skdjuw
s :
NewFangledHeader:   newfangled value
 continued newfangled value
UnknownHeaderWithUnusualValue: ;;,,;;,;
Content-Type: application/sdp
Route:
 <sip:services.example.com;lr;unknownwith=value;unknown-no-value>
v:  SIP  / 2.0  / TCP     spindle.example.com   ;
  branch  =   z9hG4bK9ikj8  ,
 SIP  /    2.0   / UDP  192.168.255.111   ; branch=
 z9hG4bK30239
m:"Quoted string \\"\\"" <sip:jdrosen@example.com> ; newparam =
      newvalue ;
  secondparam ; q = 0.33
"""
)


def test_a_tortuous_invite_is_read():
    message = parse(TORTUOUS)
    assert (message.method, message.cseq) == ("INVITE", (9, "INVITE"))
    assert message.first("call-id") == "wsinv.ndaksdj@192.0.2.1"
    assert address_in(message.first("from")) == "sip:jdrosen@example.com"
    assert parameters(message.first("from"))["tag"] == "98asjd8"
    assert len(message.all("via")) == 2
    assert message.first("newfangledheader") == "newfangled value continued newfangled value"
    assert parameters(message.first("contact"))["q"] == "0.33"


@pytest.mark.parametrize(
    ("text", "method"),
    [
        # §3.1.1.2: a method of unusual characters
        ("!interesting-Method0123456789_*+`.%indeed'~ sip:a@b.example SIP/2.0\nTo: <sip:a>", None),
        # §3.1.1.3: escapes are left as they are
        ("INVITE sip:sips%3Auser%40example.com@example.net SIP/2.0\nTo: <sip:a>", "INVITE"),
        # §3.1.1.7: as long as it likes
        (f"INVITE sip:a@b.example;{'x' * 2000}=1 SIP/2.0\nTo: <sip:a>", "INVITE"),
        # §3.1.1.9: a semicolon in the name
        ("OPTIONS sip:user;par=u%40example.net@example.com SIP/2.0\nTo: <sip:a>", "OPTIONS"),
    ],
)
def test_requests_that_look_wrong_and_are_not_are_read(text, method):
    found = parse(crlf(text))
    assert found.uri
    assert method is None or found.method == method


def test_an_unusual_and_a_missing_reason_are_read():
    # §3.1.1.12 and §3.1.1.13
    unusual = "SIP/2.0 200 = 2**3 * 5**2 но сто девяносто девять - простое\nTo: <sip:a>"
    assert parse(crlf(unusual)).status == 200
    assert parse(crlf("SIP/2.0 100 \nTo: <sip:a>")).reason == ""
    assert parse(crlf("SIP/2.0 100\nTo: <sip:a>")).status == 100


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (crlf("OPTIONS sip:a@b SIP/2.0\nContent-Length: 9999"), "cut short"),  # §3.1.2.2
        (crlf("OPTIONS sip:a@b SIP/2.0\nContent-Length: -999"), "stated as"),  # §3.1.2.3
        (crlf("SIP/2.0 4294967301 better not break the receiver"), "no answer"),  # §3.1.2.19
        (crlf("OPTIONS sip:t.watson@example.org SIP/7.0"), "version 7.0"),  # §3.1.2.16
        (crlf("INVITE  sip:user@example.com SIP/2.0"), "does not begin"),  # §3.1.2.9
        (crlf("INVITE sip:user@example.com; lr SIP/2.0"), "does not begin"),  # §3.1.2.8
        (crlf("OPTIONS sip:a@b SIP/2.0\nContent-Length: 5\nl: 6"), "two lengths"),
        (crlf("OPTIONS sip:a@b SIP/2.0\nno header at all"), "no header"),
        (b"OPTIONS sip:a@b SIP/2.0\r\nTo: a", "within its headers"),
        (bytes(range(256)) + b"\r\n\r\n", "no header"),
        (crlf("HTTP/1.1 200 OK"), "does not begin"),
        (b"x" * 70_000, "larger"),
    ],
)
def test_what_is_broken_is_refused_with_why(data, why):
    with pytest.raises(BadMessageError, match=why):
        parse(data)


def test_what_follows_a_datagram_is_passed_over():
    # §3.1.1.8
    both = crlf("REGISTER sip:a SIP/2.0\nContent-Length: 0") + crlf("INVITE sip:b SIP/2.0")
    assert (parse(both).method, parse(both).body) == ("REGISTER", b"")


def test_a_stream_is_cut_into_its_messages():
    one = wire(Message(status=200, reason="OK", headers=[("to", "<sip:a>")], body=b"abc"))
    two = wire(Message(method="BYE", uri="sip:a"))
    stream, found = b"\r\n" + one + two, []
    for cut in range(len(stream)):
        assert take(stream[:cut]) is None or cut >= len(one)
    while whole := take(stream):
        message, stream = whole
        found.append(message)
    assert [(m.status, m.method, m.body) for m in found] == [(200, "", b"abc"), (0, "BYE", b"")]


@given(st.binary(max_size=600))
def test_no_bytes_break_the_reader(data):
    for read in (parse, take):
        try:
            read(data)
        except BadMessageError as refused:
            assert str(refused)


@given(
    st.sampled_from(["OPTIONS", "INVITE"]),
    st.lists(st.tuples(st.sampled_from(["subject", "x-a"]), st.text("abc ;=<>", max_size=20))),
    st.binary(max_size=50),
)
def test_what_is_sent_is_read_again(method, headers, body):
    headers = [(name, value.strip()) for name, value in headers]
    message = Message(method=method, uri="sip:a@b.example", headers=headers, body=body)
    again = parse(wire(message))
    assert (again.method, again.uri, again.body) == (method, message.uri, body)
    assert [pair for pair in again.headers if pair[0] != "content-length"] == headers


def test_a_challenge_is_answered_as_the_standard_shows():
    """The example of RFC 2617 §3.5, without a nonce of ours: the old form."""
    said = (
        'Digest realm="testrealm@host.com", nonce="dcd98b7102dd2f0e8b11d0f600bfb0c093", opaque="x"'
    )
    challenge = Challenge(Message(status=401, headers=[("www-authenticate", said)]))
    name, value = challenge.answer("GET", "/dir/index.html", "Mufasa", "Circle Of Life")
    assert name == "authorization"
    assert parameters(value)["response"] == "670fd8c2df070c60b045671b8b24ff02"
    assert parameters(value)["opaque"] == "x"


def test_a_challenge_nobody_understands_is_said_to_be_so():
    unknown = Message(
        status=407, headers=[("proxy-authenticate", 'Digest realm="a", nonce="b", algorithm=X')]
    )
    assert not Challenge(unknown).is_understood
    assert not Challenge(Message(status=401)).is_understood


def test_codecs_are_read_from_a_description():
    sdp = b"m=audio 4000 RTP/AVP 111 8 101\r\na=rtpmap:111 opus/48000/2\r\n"
    assert codecs_in(sdp + b"a=rtpmap:101 telephone-event/8000\r\n") == ["opus", "PCMA"]
    assert codecs_in(b"nothing") == []


@pytest.mark.parametrize(
    ("headers", "seconds"),
    [
        ([("contact", "<sip:us@192.0.2.7>;expires=300")], 300),
        ([("contact", "<sip:us@192.0.2.7> ; EXPIRES = 60 ; q=0.5")], 60),
        ([("contact", "<sip:us@192.0.2.7>;expires=60, <sip:us@192.0.2.8>;expires=90")], 60),
        ([("contact", "<sip:us@192.0.2.7>"), ("expires", " 3600 ")], 3600),
        ([("contact", "<sip:us@192.0.2.7>;expires=120"), ("expires", "3600")], 120),
        ([("expires", "soon")], 0),
        ([("contact", "<sip:us@192.0.2.7>;expires=12x")], 0),
        ([("expires", "9" * 40)], 0),
        ([("expires", "-5")], 0),
        ([("expires", "²")], 0),
        ([], 0),
    ],
)
def test_how_long_a_sign_in_holds_is_read_from_the_answer(headers, seconds):
    assert Message(status=200, reason="OK", headers=headers).good_for == seconds
