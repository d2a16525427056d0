"""One rule for every form: what a field shows reads back as what is stored.

The pages of the demo are crawled for forms that show stored values; each is sent as the browser
would send it untouched, and the whole estate must be as it was. New forms are found by themselves.
Before, the estate is given what is easily misread: foreign numbers, euros, another time zone, long
names, a recorded sound.
"""

import re
import shutil
from urllib.parse import urlencode, urljoin, urlsplit

import pytest
from sqlalchemy import select

from sedge.core import records as e
from sedge.core.callpaths.steps import Announce, Forward, Mailbox, Path, Ring
from sedge.core.records import Person, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check
from sedge.demo.seed import MEMBERS
from sedge.services.callpaths import drawing, sounds
from sedge.services.carriers import accounts
from sedge.services.workorders import order_running, workorders
from sedge.services.workorders.loading import load
from sedge.store.schema import callpaths, tables
from sedge.store.schema import workorders as workorder_tables
from tests.browser.conftest import Served
from tests.conftest import until_quiet
from tests.web.test_roles_see import ROUTES, Page

BERLIN, MOBILE, PARIS = "+49302312501", "+4915228817386", "+33199001234"
OF_EACH = 2  # addresses of each route
# forms that do something on purpose when they are sent as they are, and why that is right
DOES_SOMETHING = {
    r"/work-orders/\d+/(run|discard|remedies|undo|duplicate|retry|stop|draft)": "its buttons",
    r"/work-orders/\d+/(comments|template|when|remedy)": "buttons of an order",
    r"/account.*": "signs in, makes keys",
    r"/numbers/\d+/(test-call|own-call|features|keep-call|retire)": (
        "asks for something to be done to a number"
    ),
    r"/paths/[^/]+/draw(/(add|lead|move|insert|begin-with|remove))?": "draws",
    r"/paths/[^/]+/draw/(copy|cut|paste|undo|redo)": "draws",
    r"/paths/[^/]+/draw/(drop-test|discard|publish|go-on|take-over|calendar)": "acts of drawing",
    r"/(paths|carriers/trunks)(/[^/]+)?/prove": "places test calls",
    r"/standins/.*": "steers the simulation",
    r"/organisations/.*|/sign-.*": "signs in and out",
    r"/safety/(tests|help-call|addresses/recheck|registered|put-right|plans/.*)": "tests, tells",
    r"/safety/spots/[^/]+/(confirm|link|remove)": "confirms, removes",
    r"/ports/.*/(?!change)[a-z-]+|/port-outs/.*": "acts on a port",
    r"/supply/(holds|orders|papers|when-free|forms|connect).*": "orders and uploads",
    r"/carriers/.*/(deposit|test|accounts|key|new-key|port-pin)|/carriers/drift/.*": (
        "pays, tests, opens"
    ),
    r"/numbers/(views|chosen|paste|files|take-over|known-elsewhere|tidy-up).*": (
        "chooses and imports"
    ),
    r"/licences/[^/]+/(seats|trial|cancel|exchange)|/checks.*|/why-not": "buys, checks",
    r"/holders/(people|lines|sites|groups|systems)": "adds one",
    r"/holders/(people/[^/]+/devices|devices/.*|groups/[^/]+/remove)": "adds, removes",
    r"/holders/(systems/[^/]+/numbers|directory.*|import.*)": "takes over",
    r"/holders/sites/[^/]+/(like|close)": "sets up, closes",
    r"/work-orders/(new/.*|planner|templates/.*)": "writes a work order",
    r"/safety/(files|move|spots|people/.*)": "adds, moves, imports",
    r"/confirm/.*": "confirms",
    r"/paths/(sounds.*|bring-in|new|draw)": "adds one",
    r"/holders/(caller-ids|several)": "asks for a work order",
    r"/licences/new|/ports/new|/carriers/trunks(/new)?": "adds one",
}
SERIAL = """() => [...document.querySelectorAll('form')].map(form => ({
    action: form.getAttribute('action') || location.pathname,
    method: (form.method || 'get').toLowerCase(),
    multipart: form.enctype === 'multipart/form-data',
    sendable: form.noValidate || form.checkValidity(),
    shows: [...form.elements].some(x => x.name && (
        x.matches('[type=checkbox], [type=radio]') ? x.checked
        : x.matches('input:not([type=hidden]):not([type=file]), textarea, select') && x.value)),
    fields: [...new FormData(form)].filter(([, value]) => typeof value === 'string')
}))"""


@pytest.fixture
def quiet(seeded, tmp_path):
    shutil.copytree(seeded, tmp_path / "served")
    made = Served(tmp_path / "served", runner=False)
    yield made
    made.stop()


def prepare(installation, context):
    """What is easily misread, put where forms show it."""
    with context.reading() as reading:
        people = reading.records.where(
            Person, tables.person.c.site == "wharf-house", order_by=tables.person.c.name, limit=3
        )
        line = next(iter(reading.records.all(e.ServiceLine)))
        german = reading.records.where(
            Person, tables.person.c.site == "harbour-loft", order_by=tables.person.c.name, limit=1
        )[0]
    long = "Wilhelmina-Alexandrina van der Zwaluwenberg-Öztürk " * 2
    for person, mobile in ((people[0], MOBILE), (german, "+447700900123")):
        rules = e.Answering(mobile=mobile, then="mobile")
        ref = e.HolderRef(kind=e.HolderKind.PERSON, id=person.id)
        order_running.run_now(
            context, "rings along", [t.SetAnswering(holder=ref, ring_seconds=31, answering=rules)]
        )
    order_running.run_now(
        context,
        "long",
        [t.ChangePerson(person=people[1].id, name=long[:118], department="Überseehandel & Zoll")],
    )
    sound, _ = sounds.keep_sound(context, "Willkommen", "de", "Guten Tag", wav())
    body = Path(
        first="says",
        steps={
            "says": Announce(title="Says", text="", sound=sound, exits={"done": "abroad"}),
            "abroad": Forward(
                title="Abroad", to=BERLIN, exits={"no answer": "rings", "busy": "rings"}
            ),
            "rings": Ring(
                title="Rings",
                people=(people[0].id,),
                mobiles=(MOBILE, "+447700900124", PARIS),
                exits={"no answer": "box"},
            ),
            "box": Mailbox(title="Box", greeting="Leave a message", recipients=(people[0].id,)),
        },
    )
    drawing.begin_new(context, "Easily misread", "spree-depot", body)
    form = {
        "low_mark": "20,00",
        "alert_phone": MOBILE,
        "alert_mail": "a@b.example",
        "top_up_at": "1250",
        "top_up_amount": "1250.50",
        "top_up_most": "2,501.00",
        "grace_days": "3",
    }
    accounts.set_terms(context, "brackwater-main", form)
    until_quiet(installation)
    return people[0], german, line


def wav():
    import io
    import wave

    out = io.BytesIO()
    with wave.open(out, "wb") as sound:
        sound.setnchannels(1)
        sound.setsampwidth(2)
        sound.setframerate(8000)
        sound.writeframes(b"\x10\x20" * 8000)
    return out.getvalue()


def snapshot(context):
    with context.reading() as reading:
        c = reading.connection
        found = {
            (name, row.id): row.body
            for name, table in tables.RECORD_TABLES.items()
            for row in c.execute(select(table.c.id, table.c.body))
        }
        found |= {
            ("drawing", row.path): row.body for row in c.execute(callpaths.path_draft.select())
        }
        orders = {row.no for row in c.execute(workorder_tables.work_order.select())}
    return found, orders


def pages(client, start):
    """Addresses of the demo's pages, some of each route, as links lead to them."""
    seen, waiting, visited = set(start), list(start), {}
    while waiting:
        address = waiting.pop(0)
        path = urlsplit(address).path
        pattern = next(
            (
                pattern
                for method, pattern, regex, _ in ROUTES
                if method == "GET" and regex.match(path)
            ),
            None,
        )
        if pattern is None or visited.get(pattern, 0) >= OF_EACH + (address in start) * 10:
            continue
        visited[pattern] = visited.get(pattern, 0) + 1
        answer = client.get(address)
        if answer.status != 200 or "text/html" not in answer.headers.get("content-type", ""):
            continue
        yield address
        for link in Page(answer.text()).links:
            there = urljoin(address, link).partition("#")[0]
            if there.startswith("/") and there not in seen:
                seen.add(there)
                waiting.append(there)


def test_every_form_sent_untouched_leaves_the_estate_as_it_was(chromium, quiet):
    context = quiet.installation.context(MEMBERS[0])
    person, german, line = prepare(quiet.installation, context)
    window = chromium.new_context(base_url=quiet.url, viewport={"width": 1280, "height": 800})
    window.request.post("/sign-in", form={"who": "rowan"})
    page = window.new_page()
    start = [
        "/",
        f"/holders/people/{person.id}/answering",
        f"/holders/people/{german.id}/answering",
        f"/holders/people/{person.id}",
        f"/holders/people/{german.id}",
        f"/holders/lines/{line.id}",
        "/carriers/accounts/brackwater-main",
        *(f"/paths/easily-misread/draw?step={key}" for key in ("says", "abroad", "rings", "box")),
        "/holders/sites/spree-depot/change",
        "/holders/sites/wharf-house/change",
    ]
    sent, wrong, known = set(), [], snapshot(context)
    for address in pages(window.request, start):
        page.goto(address)
        for form in page.evaluate(SERIAL):
            where = urlsplit(urljoin(address, form["action"])).path
            key = (
                where,
                tuple(sorted(name for name, _ in form["fields"])),
                address if "draw" in address else "",
            )
            if (
                form["method"] != "post"
                or not form["shows"]
                or not form["sendable"]  # the browser asks for what is missing
                or key in sent
                or any(re.fullmatch(x, where) for x in DOES_SOMETHING)
            ):
                continue
            sent.add(key)
            fields = urlencode([tuple(pair) for pair in form["fields"]])
            answer = window.request.post(
                where,
                data=fields,
                headers={"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"},
                max_redirects=0,
            )
            told = (address, where, answer.status, answer.headers.get("sedge-problem", ""))
            if answer.status >= 400 and "Nothing is different" not in told[-1]:
                wrong.append(("refused", *told))
                continue
            wrong += changes_of(context, known, told)
            known = snapshot(context)
    assert len(sent) > 25, sent
    assert not wrong, "\n".join(map(str, wrong))


def changes_of(context, known, told):
    """What a form sent untouched has changed: records at once, or by the work order it wrote."""
    records, orders = known
    now, orders_now = snapshot(context)
    found = [
        ("changed", *told, key, records.get(key), now.get(key))
        for key in now.keys() | records.keys()
        if now.get(key) != records.get(key)
    ]
    for no in orders_now - orders:
        tasks = [x.body for x in workorders.get(context, str(no)).tasks]
        with context.reading() as reading:
            report = check(tasks, load(reading, tasks))
        for change in report.changes:
            same = change.before is not None and change.before.copy_with(
                version=0
            ) == change.after.copy_with(version=0)
            if not same and change.subject is not Subject.PATH:
                found.append(("would change", *told, change.subject, change.before, change.after))
    return found
