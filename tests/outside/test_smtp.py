"""Mail over a real server: an independent one on loopback takes it, refuses it, is silent."""

import email
import socket
from email.policy import default

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

from sedge.core.errors import OutsideRefused, OutsideSilent
from sedge.core.facts import MailFile
from sedge.outside.smtp import MailServer, SmtpMail

SENDER = "Sedge <sedge@example.org>"


class Box:
    """What the server has taken. `answers` are what it says to a recipient instead of 250."""

    def __init__(self) -> None:
        self.taken, self.answers = [], {}

    async def handle_RCPT(self, _server, _session, envelope, address, _options):
        if address in self.answers:
            return self.answers[address]
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server, _session, envelope):
        self.taken.append(email.message_from_bytes(envelope.content, policy=default))
        return "250 taken"


def listening(box, **options):
    controller = Controller(box, hostname="127.0.0.1", port=0, **options)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        controller.port = probe.getsockname()[1]
    controller.start()
    return controller


@pytest.fixture
def box():
    return Box()


@pytest.fixture
def server(box):
    controller = listening(box)
    yield controller
    controller.stop()


def mail(controller, **named):
    where = {"tls": "none", "seconds": 2.0} | named
    return SmtpMail(MailServer("127.0.0.1", controller.port, SENDER, **where))


def test_a_letter_arrives_as_it_was_written(server, box):
    text, html = "Grüße, 0113 496 0100", "<p>Hi</p>"
    mail(server).send("order-7", "ada@example.org", "Your number", text, html)
    (message,) = box.taken
    assert message["subject"] == "Your number"
    assert message["from"] == SENDER
    assert message["auto-submitted"] == "auto-generated"
    assert "Grüße" in message.get_body(("plain",)).get_content()
    assert "<p>Hi</p>" in message.get_body(("html",)).get_content()


def test_the_same_letter_once_more_has_the_same_id(server, box):
    for key in ("a", "a", "b"):
        mail(server).send(key, "ada@example.org", "S", "T")
    ids = [message["message-id"] for message in box.taken]
    assert ids[0] == ids[1] != ids[2]


def test_a_subject_brings_no_header_of_its_own(server, box):
    mail(server).send("k", "ada@example.org", "Hello\r\nBcc: eve@example.org", "T")
    (message,) = box.taken
    assert message["bcc"] is None
    assert message["subject"] == "Hello Bcc: eve@example.org"


def test_what_will_never_be_taken_is_refused_and_what_may_be_later_is_silent(server, box):
    box.answers = {"gone@example.org": "550 no such person", "full@example.org": "452 box full"}
    with pytest.raises(OutsideRefused, match="550 no such person"):
        mail(server).send("k", "gone@example.org", "S", "T")
    with pytest.raises(OutsideSilent, match="452 box full"):
        mail(server).send("k", "full@example.org", "S", "T")
    assert box.taken == []


def test_a_server_that_is_not_there_is_silent(box):
    controller = listening(box)
    controller.stop()
    with pytest.raises(OutsideSilent, match="does not answer"):
        mail(controller).send("k", "ada@example.org", "S", "T")


def test_nothing_is_sent_in_the_clear_where_secrecy_is_asked_for(server, box):
    with pytest.raises((OutsideRefused, OutsideSilent)):
        mail(server, tls="starttls").send("k", "ada@example.org", "S", "T")
    assert box.taken == []


@pytest.mark.filterwarnings("ignore")  # of the server, about itself
def test_a_wrong_password_is_told(box):
    def check(_server, _session, _envelope, _mechanism, data):
        return AuthResult(success=data.password == b"right", handled=False)

    controller = listening(box, authenticator=check, auth_require_tls=False)
    try:
        mail(controller, user="sedge", password="right").send("k", "ada@example.org", "S", "T")
        with pytest.raises(OutsideRefused, match="535"):
            mail(controller, user="sedge", password="wrong").send("k", "ada@example.org", "S", "T")
        assert mail(controller, user="sedge", password="right").probe()
    finally:
        controller.stop()
    assert len(box.taken) == 1


def test_files_go_with_a_letter(server, box):
    files = [
        MailFile("order.pdf", "application/pdf", b"%PDF-1.7 made up"),
        MailFile("order.csv", "text/csv", b"a,b\r\n1,2\r\n"),
    ]
    mail(server).send("k-9", "orders@carrier.example", "Order", "See the form.", "", files)
    [letter] = box.taken
    attached = {part.get_filename(): part for part in letter.iter_attachments()}
    assert attached["order.pdf"].get_content() == b"%PDF-1.7 made up"
    assert attached["order.csv"].get_content_type() == "text/csv"
    assert "1,2" in attached["order.csv"].get_content()
    assert letter.get_body(("plain",)).get_content().strip() == "See the form."
