"""Values of the other side as they are pasted: recognised, shown, and nothing kept unseen."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.trunks.pasted import read_pasted

LETTER = """
Dear customer, these are the settings of your trunk.
SIP server: sip.example.net
Port: 5061 (TLS)
Protocol = TLS
User name: lanternfield
Password: heron-7-over-water
Codecs: G.711a, G.722
DTMF: RFC2833
Max calls: 30
"""
EXPORT = """
[carrier]
host=sip.example.net
user name=lanternfield
secret=heron-7-over-water
codecs=alaw,ulaw
dtmf=info
; a remark
keep alive=yes
"""


def test_a_letter_is_read():
    pasted = read_pasted(LETTER)
    assert {key: pasted.fields[key] for key in ("host", "port", "transport", "user", "secret")} == {
        "host": "sip.example.net",
        "port": "5061",
        "transport": "tls",
        "user": "lanternfield",
        "secret": "heron-7-over-water",
    }
    assert pasted.fields["codecs"] == "PCMA, G722"
    assert (pasted.fields["dtmf"], pasted.fields["channels"]) == ("RFC 4733", "30")
    assert pasted.left == ["Dear customer, these are the settings of your trunk."]


def test_a_secret_is_never_shown_again():
    shown = [(value, line) for key, value, line in read_pasted(LETTER).found if key == "secret"]
    assert shown == [("•••", "Password: •••")]


def test_an_export_is_read_and_says_what_it_left():
    pasted = read_pasted(EXPORT)
    assert (pasted.fields["codecs"], pasted.fields["dtmf"]) == ("PCMA, PCMU", "SIP INFO")
    assert pasted.left == ["keep alive=yes"]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        (
            "sips:us@sip.example.net:5071",
            {"host": "sip.example.net", "port": "5071", "user": "us", "transport": "tls"},
        ),
        (
            "<sip:sip.example.net;transport=tcp>",
            {"host": "sip.example.net", "transport": "tcp"},
        ),
        (
            "register = us:heron-7@sip.example.net:5080/4711",
            {"host": "sip.example.net", "port": "5080", "user": "us", "secret": "heron-7"},
        ),
        ("sip.example.net:5062", {"host": "sip.example.net", "port": "5062"}),
        (
            "192.0.2.7\n192.0.2.64/26",
            {"addresses": "192.0.2.7, 192.0.2.64/26", "sign_in": "trust by address"},
        ),
        (
            "outbound proxy: edge.example.net:5061\nhost: a.example",
            {"outbound_proxy": "edge.example.net", "host": "a.example", "port": "5061"},
        ),
        ('"host": "a.example",\n"username": "us",', {"host": "a.example", "user": "us"}),
    ],
)
def test_other_writings_are_read(text, wanted):
    fields = read_pasted(text).fields
    assert {key: fields.get(key) for key in wanted} == wanted


def test_nothing_to_recognise_is_said():
    for text in ("", "hello", "; a remark only"):
        with pytest.raises(NotUnderstood, match="Nothing was recognised"):
            read_pasted(text)


@given(st.text(max_size=300))
def test_no_text_breaks_the_reader(text):
    try:
        assert read_pasted(text).fields
    except NotUnderstood as refused:
        assert refused.field == "text"
