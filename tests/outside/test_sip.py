"""The SIP client against the made-up carriers and against an independent program, and the made-up
carriers against two of them."""

import asyncio
import shutil
import socket
import ssl
import subprocess
import time

import pytest

from sedge.core.enums import Transport
from sedge.outside.sip import certificates
from sedge.outside.sip.agent import Agent, NoAnswerError, Signer, codecs_in
from sedge.outside.sip.apart import run_apart
from sedge.outside.sip.lines import open_line
from sedge.outside.sip.messages import BadMessageError
from sedge.outside.sip.names import Names
from sedge.standins.sip.server import SipCarriers

DOMAIN = "fellgate.example"
RIGHT = Signer("lanternfield", "tern-over-salt-marsh-88")
PAIL = Signer("lanternfield", "sugar-pail-in-march-12")
READBACK = "+441134960199"
WAYS = list(Transport)


@pytest.fixture(scope="module")
def carriers():
    started = SipCarriers().start()
    yield started
    started.stop()


@pytest.fixture
def faulty(carriers):
    def order(fault, domain=DOMAIN):
        carriers.faults[domain] = fault

    yield order
    carriers.faults.clear()


def with_agent(carriers, do, transport=Transport.UDP, *, domain=DOMAIN, port=0, wait=1.5):
    """What `do` makes of an agent on a line to the carriers, or to another port."""

    async def run():
        tls = certificates.tls_context(carriers.authority.pem)
        at = port or carriers.ports[transport.value]
        async with open_line(transport, "127.0.0.1", at, tls, domain) as line:
            return await do(Agent(line, domain, RIGHT.user, wait=wait))

    return run_apart(run)


# ── against the made-up carriers ──


@pytest.mark.parametrize("transport", WAYS)
def test_options_are_answered_and_say_how_we_are_seen(carriers, transport):
    heard = with_agent(carriers, Agent.options, transport)
    assert (heard.status, heard.answer.first("user-agent")) == (200, "Made-up carrier 1.0")
    assert heard.seen_as.startswith("127.0.0.1:")
    assert "INVITE" in heard.answer.first("allow")


@pytest.mark.parametrize("transport", WAYS)
def test_signing_in_answers_the_challenge(carriers, transport):
    heard = with_agent(carriers, lambda agent: agent.register(RIGHT), transport)
    assert [x.status for x in heard] == [401, 200]
    assert "expires=300" in heard[-1].answer.first("contact")


def test_of_two_challenges_the_stronger_is_answered(carriers):
    heard = with_agent(carriers, lambda agent: agent.register(RIGHT))
    assert ["SHA-256" in c for c in heard[0].answer.all("www-authenticate")] == [True, False]
    heard = with_agent(
        carriers,
        lambda agent: agent.register(PAIL),
        domain="maplecourt.example",
    )
    assert [x.status for x in heard] == [401, 200]


def test_a_wrong_secret_a_wrong_name_and_a_wrong_realm_are_told_apart(carriers, faulty):
    def status(signer):
        heard = with_agent(carriers, lambda agent: agent.register(signer))
        return [x.status for x in heard]

    assert status(Signer("lanternfield", "guess")) == [401, 403]
    assert status(Signer("nobody", RIGHT.secret)) == [401, 404]
    faulty("wrong-realm")
    assert status(RIGHT) == [401, 403]


def test_a_nonce_that_has_grown_old_is_answered_once_more(carriers, faulty):
    faulty("old-nonce")
    heard = with_agent(carriers, lambda agent: agent.register(RIGHT))
    assert [x.status for x in heard] == [401, 401, 200]


@pytest.mark.parametrize("transport", WAYS)
def test_a_call_to_the_readback_line_is_answered_and_hung_up(carriers, transport):
    identity = [("p-asserted-identity", "<sip:+441134960100@fellgate.example>")]
    heard = with_agent(
        carriers,
        lambda agent: agent.call(READBACK, RIGHT, identity=identity, codecs=("G722", "PCMA")),
        transport,
    )
    assert [x.status for x in heard] == [407, 200]
    assert [x.status for x in heard[-1].before] == [100, 180]
    assert codecs_in(heard[-1].answer.body) == ["G722"]
    assert b"+441134960100" in heard[-1].answer.body
    assert carriers.calls[-1]["caller"] == "+441134960100"


def test_a_carrier_that_trusts_addresses_takes_calls_without_a_challenge(carriers):
    heard = with_agent(
        carriers, lambda agent: agent.call(READBACK, None), domain="brackwater.example"
    )
    assert [x.status for x in heard] == [200]
    heard = with_agent(carriers, lambda agent: agent.register(RIGHT), domain="brackwater.example")
    assert [x.status for x in heard] == [405]


def test_without_a_codec_in_common_a_call_is_refused(carriers):
    heard = with_agent(
        carriers,
        lambda agent: agent.call(READBACK, PAIL, codecs=["PCMA"]),
        domain="maplecourt.example",
    )
    assert heard[-1].status == 488


@pytest.mark.parametrize("status", [403, 404, 503, 302])
def test_a_refusal_comes_with_what_it_says(carriers, faulty, status):
    faulty(str(status))
    heard = with_agent(carriers, lambda agent: agent.call(READBACK, RIGHT))
    assert heard[-1].status == status
    answer = heard[-1].answer
    assert (answer.first("retry-after"), bool(answer.first("contact"))) == (
        "120" if status == 503 else "",
        status == 302,
    )


@pytest.mark.parametrize("transport", [Transport.UDP, Transport.TCP])
@pytest.mark.parametrize("fault", ["silent", "cut-short", "rubbish", "wrong-length"])
def test_spoilt_answers_and_silence_end_in_time(carriers, faulty, fault, transport):
    faulty(fault)
    with pytest.raises((NoAnswerError, BadMessageError)):
        with_agent(carriers, Agent.options, transport, wait=0.8)


def test_datagrams_are_sent_again_until_they_are_answered(carriers):
    """Of a server that loses the first one."""
    got = []
    server = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    server.bind(("127.0.0.1", 0))
    server.settimeout(5)

    async def both(agent):
        loop = asyncio.get_running_loop()

        def lose_one():
            got.append(server.recv(9000))
            data, peer = server.recvfrom(9000)
            got.append(data)
            head = data.decode().split("\r\n")
            names = ("via", "from", "to:", "call-id", "cseq")
            kept = [x for x in head if x.lower().startswith(names)]
            server.sendto("\r\n".join(["SIP/2.0 200 OK", *kept, "", ""]).encode(), peer)

        losing = loop.run_in_executor(None, lose_one)
        heard = await agent.options()
        await losing
        return heard

    heard = with_agent(carriers, both, port=server.getsockname()[1], wait=4)
    server.close()
    assert heard.status == 200
    assert got[0] == got[1]


# ── certificates and names ──


@pytest.mark.parametrize(
    ("fault", "distrust", "named"),
    [
        ("", "", True),
        ("wrong-certificate", "", False),
        ("expired-certificate", "certificate has expired", True),
        ("early-certificate", "certificate is not yet valid", True),
        ("self-signed", "self-signed certificate", True),
    ],
)
def test_what_is_wrong_with_a_certificate_is_told(carriers, faulty, fault, distrust, named):
    faulty(fault)
    shown = certificates.look("127.0.0.1", carriers.ports["tls"], DOMAIN, carriers.authority.pem, 3)
    assert (shown.distrust, shown.is_for(DOMAIN), shown.problem) == (distrust, named, "")
    assert shown.protocol == "TLSv1.3"


def test_a_port_without_tls_has_no_certificate(carriers):
    shown = certificates.look("127.0.0.1", carriers.ports["tcp"], DOMAIN, "", 1)
    assert shown.problem


def test_names_lead_to_addresses_by_naptr_and_srv(carriers):
    names = Names(("127.0.0.1", carriers.ports["dns"]))
    found = names.find(DOMAIN, None, Transport.TLS)
    assert [(t.address, t.port, t.name) for t in found.targets] == [
        ("127.0.0.1", carriers.ports["tls"], f"sip.{DOMAIN}")
    ]
    assert {r.kind for r in found.records} == {"NAPTR", "SRV", "A"}
    assert {r.ttl for r in found.records} == {300}
    assert names.find(f"sip.{DOMAIN}", 5070, Transport.UDP).targets[0].port == 5070
    assert names.find("192.0.2.7", None, Transport.UDP).targets[0].port == 5060
    assert names.texts("_sip-owner.voice.lanternfield.example") == ["sedge-owner=lanternfield"]
    assert names.texts("nothing.example") == []


@pytest.mark.parametrize(
    ("host", "problem"),
    [
        ("missing.example", "no-name"),
        ("nowhere.example", "srv-to-nowhere"),
        ("loop.example", "dns-failed"),
        ("x" * 300, "dns-silent"),
    ],
)
def test_a_name_that_leads_nowhere_says_why(carriers, host, problem):
    names = Names(("127.0.0.1", carriers.ports["dns"]))
    assert names.find(host, None, Transport.TLS).problem == problem


def test_openssl_sees_the_carriers_certificate(carriers):
    seen = subprocess.run(
        [
            "openssl",
            "s_client",
            "-connect",
            f"127.0.0.1:{carriers.ports['tls']}",
            "-servername",
            DOMAIN,
            "-verify_return_error",
            "-CAfile",
            "/dev/stdin",
            "-brief",
        ],
        input=carriers.authority.pem,
        capture_output=True,
        text=True,
        timeout=20,
        check=False,
    )
    assert "Verification: OK" in seen.stderr + seen.stdout, seen.stderr


# ── against independent programs ──


def free_port():
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


ANSWER = """<send><![CDATA[
SIP/2.0 {status} Answer
[last_Via:]
[last_From:]
[last_To:];tag=[call_number]
[last_Call-ID:]
[last_CSeq:]
{more}
Content-Length: 0

]]></send>"""
CONTACT = "Contact: <sip:sipp@[local_ip]:[local_port]>"
MORE = {
    401: 'WWW-Authenticate: Digest realm="sipp", nonce="47ebe028cda1", algorithm=MD5, qop="auth"',
    407: 'Proxy-Authenticate: Digest realm="sipp", nonce="abc", algorithm=MD5',
    503: "Retry-After: 30",
    302: "Contact: <sip:elsewhere@127.0.0.1:9>",
}


def scenario(tmp_path, method, *answers, then=()):
    """A scenario for sipp in which a request of a method is answered, each time as said."""
    steps = []
    for status in answers:
        steps.append(f'<recv request="{method}" crlf="true"/>')
        if status is None:
            steps.append('<pause milliseconds="3000"/>')
            continue
        steps.append(ANSWER.format(status=status, more=MORE.get(status, CONTACT)))
        if method == "INVITE":
            steps.append('<recv request="ACK"/>')
    steps += then
    path = tmp_path / "scenario.xml"
    path.write_text(f'<?xml version="1.0"?><scenario name="x">{"".join(steps)}</scenario>')
    return path


BYE = ('<recv request="BYE"/>', ANSWER.format(status=200, more=CONTACT))


def against_sipp(carriers, tmp_path, do, path, wait=3.0):
    """What an agent hears from sipp, and whether sipp saw all it expected."""
    port = free_port()
    command = ["sipp", "-sf", str(path), "-i", "127.0.0.1", "-p", str(port), "-m", "1", "-nostdin"]
    command += ["-timeout", "15s", "-timeout_error"]
    with subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, cwd=tmp_path
    ) as sipp:
        _until_bound(port)
        try:
            heard = with_agent(carriers, do, port=port, wait=wait)
        except NoAnswerError:
            sipp.kill()
            raise
        out, _ = sipp.communicate(timeout=20)
    assert sipp.returncode == 0, out[-1500:]
    return heard


def _until_bound(port):
    for _ in range(200):
        try:
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
                one.bind(("127.0.0.1", port))
        except OSError:
            return
        time.sleep(0.02)
    raise AssertionError("sipp does not listen")


needs_sipp = pytest.mark.skipif(shutil.which("sipp") is None, reason="sipp is not installed")


@needs_sipp
def test_sipp_takes_a_call_and_sees_it_hung_up(carriers, tmp_path):
    path = scenario(tmp_path, "INVITE", 200, then=BYE)
    heard = against_sipp(carriers, tmp_path, lambda a: a.call("+441134960100", None), path)
    assert [x.status for x in heard] == [200]


@needs_sipp
@pytest.mark.parametrize("status", [403, 404, 503, 302, 486])
def test_sipp_refuses_a_call_and_sees_it_acknowledged(carriers, tmp_path, status):
    path = scenario(tmp_path, "INVITE", status)
    heard = against_sipp(carriers, tmp_path, lambda a: a.call("+441134960100", None), path)
    assert [x.status for x in heard] == [status]


@needs_sipp
@pytest.mark.parametrize("challenge", [401, 407])
def test_sipp_challenges_and_is_answered(carriers, tmp_path, challenge):
    path = scenario(tmp_path, "REGISTER", challenge, 200)
    heard = against_sipp(carriers, tmp_path, lambda a: a.register(RIGHT), path)
    assert [x.status for x in heard] == [challenge, 200]
    path = scenario(tmp_path, "INVITE", challenge, 200, then=BYE)
    heard = against_sipp(carriers, tmp_path, lambda a: a.call("+441134960100", RIGHT), path)
    assert [x.status for x in heard] == [challenge, 200]


@needs_sipp
def test_silence_of_sipp_ends_in_time(carriers, tmp_path):
    path = scenario(tmp_path, "OPTIONS", None)
    with pytest.raises(NoAnswerError):
        against_sipp(carriers, tmp_path, Agent.options, path, wait=1.0)


@needs_sipp
def test_sipp_calls_the_made_up_carrier(carriers, tmp_path):
    host = f"127.0.0.1:{carriers.ports['udp']}"
    path = tmp_path / "caller.xml"
    path.write_text(CALLER)
    ran = subprocess.run(
        [
            "sipp",
            host,
            "-sf",
            str(path),
            "-i",
            "127.0.0.1",
            "-m",
            "1",
            "-nostdin",
            "-timeout",
            "15s",
            "-timeout_error",
        ],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        timeout=30,
        check=False,
    )
    assert ran.returncode == 0, ran.stdout[-1500:]


CALLER = """<?xml version="1.0"?><scenario name="caller">
<send retrans="500"><![CDATA[
INVITE sip:+441134960199@brackwater.example SIP/2.0
Via: SIP/2.0/[transport] [local_ip]:[local_port];branch=[branch]
From: <sip:+441134960100@brackwater.example>;tag=[call_number]
To: <sip:+441134960199@brackwater.example>
Call-ID: [call_id]
CSeq: 1 INVITE
Contact: <sip:sipp@[local_ip]:[local_port]>
Max-Forwards: 70
Content-Type: application/sdp
Content-Length: [len]

v=0
o=- 1 1 IN IP4 [local_ip]
s=-
c=IN IP4 [local_ip]
t=0 0
m=audio 9 RTP/AVP 8 0

]]></send>
<recv response="100" optional="true"/><recv response="180" optional="true"/>
<recv response="200" rrs="true"/>
<send><![CDATA[
ACK sip:+441134960199@brackwater.example SIP/2.0
Via: SIP/2.0/[transport] [local_ip]:[local_port];branch=[branch]
From: <sip:+441134960100@brackwater.example>;tag=[call_number]
To: <sip:+441134960199@brackwater.example>[peer_tag_param]
Call-ID: [call_id]
CSeq: 1 ACK
Content-Length: 0

]]></send>
<send retrans="500"><![CDATA[
BYE sip:+441134960199@brackwater.example SIP/2.0
Via: SIP/2.0/[transport] [local_ip]:[local_port];branch=[branch]
From: <sip:+441134960100@brackwater.example>;tag=[call_number]
To: <sip:+441134960199@brackwater.example>[peer_tag_param]
Call-ID: [call_id]
CSeq: 2 BYE
Content-Length: 0

]]></send>
<recv response="200"/></scenario>"""


@pytest.mark.skipif(shutil.which("sipsak") is None, reason="sipsak is not installed")
def test_sipsak_pings_the_made_up_carrier(carriers):
    peer = f"sip:ping@127.0.0.1:{carriers.ports['udp']}"
    ran = subprocess.run(
        ["sipsak", "-vv", "-s", peer], capture_output=True, text=True, timeout=20, check=False
    )
    assert "200 OK" in ran.stdout, ran.stdout + ran.stderr


def test_a_server_without_trust_is_no_line(carriers, faulty):
    faulty("self-signed")
    with pytest.raises(ssl.SSLCertVerificationError):
        with_agent(carriers, Agent.options, Transport.TLS)
