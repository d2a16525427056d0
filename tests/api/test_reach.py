"""How far a role reaches: every unsafe route, pages and API, with every role, at one's own site, at
another site and with the ids of another organisation. A route or a parameter that this test does
not know fails it."""

import json
import re

import pytest
from fastapi.routing import APIRoute
from sqlalchemy import select

from sedge.api.routing import ApiGuard
from sedge.app import ROUTES
from sedge.core.access.roles import AccessRole, allowed
from sedge.core.records import HolderKind, HolderRef, Subject
from sedge.core.workorders import tasks as t
from sedge.demo.seed import MEMBERS
from sedge.services.callpaths import drawing
from sedge.services.workorders import order_running, workorders
from sedge.store.repositories.access.sign_ins import Member
from sedge.store.schema import callpaths, chain, holders, projected, safety, tables
from sedge.store.schema import workorders as workorder_tables
from sedge.web.routing import Guard
from tests.conftest import until_quiet

HOME, OTHERS, ABROAD = "own site", "another site", "another organisation"
SITES = {HOME: "wharf-house", OTHERS: "canal-museum"}
UNSAFE = sorted(
    (
        (method, route.path, route)
        for route in ROUTES
        if isinstance(route, APIRoute)
        for method in route.methods - {"GET", "HEAD"}
    ),
    key=lambda found: found[:2],
)
# which of a place's ids stands for a parameter, by the part of the path before it
PARAMETERS = {
    ("account", "/carriers/accounts/"): "account",
    ("act", "/numbers/chosen/"): "act",
    ("carrier", "/carriers/"): "carrier",
    ("carrier", "/safety/registered/"): "carrier",
    ("code", "/safety/spots/"): "spot",
    ("code", "/spots/"): "spot",
    ("file", "/numbers/take-over/"): "zero",
    ("key", "/carrier-accounts/"): "account",
    ("key", "/carriers/"): "carrier",
    ("key", "/carriers/accounts/"): "account",
    ("key", "/carriers/connections/"): "trunk",
    ("key", "/carriers/trunks/"): "trunk",
    ("key", "/carriers/sbcs/"): "sbc",
    ("key", "/sbcs/"): "sbc",
    ("key", "/connections/"): "trunk",
    ("key", "/devices/"): "device",
    ("key", "/dial-plans/"): "site",
    ("key", "/dial-plans/trunks/"): "trunk",
    ("key", "/documents/"): "document",
    ("key", "/downstream-systems/"): "system",
    ("key", "/drawings/"): "drawing",
    ("key", "/groups/"): "group",
    ("key", "/holders/devices/"): "device",
    ("key", "/holders/groups/"): "group",
    ("key", "/holders/lines/"): "line",
    ("key", "/holders/people/"): "person",
    ("key", "/people/"): "person",
    ("key", "/holders/sites/"): "site",
    ("key", "/holders/systems/"): "system",
    ("key", "/imports/numbers/"): "file",
    ("key", "/invitations/"): "invitation",
    ("key", "/licence-products/"): "product",
    ("key", "/numbers/"): "proof",
    ("key", "/numbers/files/"): "file",
    ("key", "/numbers/take-over/"): "take_over",
    ("key", "/numbers/views/"): "view",
    ("key", "/orders/"): "order",
    ("key", "/organisations/"): "organisation",
    ("key", "/organisations/invitations/"): "invitation",
    ("key", "/paths/"): "drawing",
    ("key", "/paths/sounds/"): "sound",
    ("key", "/port-outs/"): "port_out",
    ("key", "/ports/"): "port",
    ("key", "/ports/days/"): "day",
    ("key", "/proofs/"): "proof",
    ("key", "/retiring/sites/"): "site",
    ("key", "/safety/gaps/"): "gap",
    ("key", "/scim/v2/Groups/"): "entry",
    ("key", "/scim/v2/Users/"): "entry",
    ("key", "/service-lines/"): "line",
    ("key", "/sites/"): "site",
    ("key", "/sounds/"): "sound",
    ("key", "/supply/holds/"): "hold",
    ("key", "/supply/orders/"): "order",
    ("key", "/supply/papers/"): "document",
    ("key", "/take-overs/"): "take_over",
    ("key", "/templates/"): "template",
    ("key", "/views/"): "view",
    ("key", "/imports/call-records/"): "zero",
    ("key", "/invoices/"): "zero",
    ("key", "/invoices/pending/"): "zero",
    ("key", "/spend/calls/"): "zero",
    ("key", "/spend/invoices/"): "zero",
    ("key", "/spend/invoices/columns/"): "zero",
    ("key", "/spend/rates/"): "zero",
    ("key", "/spend/unusual/"): "zero",
    ("key", "/unusual-calls/"): "zero",
    ("trunk", "/rate-decks/"): "trunk",
    ("key", "/trunks/"): "trunk",
    ("trunk", "/trunks/"): "trunk",
    ("key", "/work-orders/"): "work_order",
    ("key", "/work-orders/templates/"): "template",
    ("kind", "/letters/"): "letter",
    ("kind", "/work-orders/new/"): "form",
    ("language", "/letters/"): "language",
    ("name", "/checks/"): "rule",
    ("name", "/outbound-routes/"): "zero",
    ("no", "/outbound-routes/"): "zero",
    ("number", "/numbers/"): "number",
    ("person", "/safety/people/"): "person",
    ("position", "/work-orders/"): "zero",
    ("product", "/licences/"): "product",
    ("sign_in", "/members/"): "sign_in",
    ("sign_in", "/organisations/members/"): "sign_in",
    ("site", "/dial-plans/"): "site",
    ("site", "/safety/plans/"): "site",
    ("key", "/account/tokens/"): "zero",
    ("key", "/account/passkeys/"): "zero",
    ("key", "/ledger/webhooks/"): "zero",
    ("key", "/webhooks/"): "zero",
    ("key", "/tokens/"): "zero",
    ("token", "/reset/"): "token",
    ("token", "/confirm/"): "token",
    ("token", "/phone/"): "token",
    ("token", "/welcome/"): "token",
}
PLAIN = {
    "act": "label",
    "zero": "0",
    "invitation": "nobody",
    "proof": "none",
    "file": "none",
    "view": "none",
    "order": "none",
    "sound": "none",
    "port": "none",
    "port_out": "none",
    "day": "none",
    "gap": "no-spot",
    "entry": "none",
    "hold": "none",
    "template": "none",
    "letter": "author",
    "form": "set-spot",
    "language": "en",
    "rule": "estate.spot-missing",
    "sign_in": "declan",
    "token": "none",
    "document": "none",
    "take_over": "none",
    "product": "staff-seat",
    "carrier": "brackwater",
    "account": "brackwater-main",
    "organisation": "copperleaf",
}


def first(connection, table, *where):
    row = connection.execute(select(table.c.id).where(*where).order_by(table.c.id)).first()
    return row.id if row else "none"


def ids_of(context, site):
    """One of everything that belongs to a site, drafts and drawings made by an administrator among
    it."""
    life, path = tables.life, f"{site}-reached"
    with context.reading() as reading:
        c = reading.connection
        number = c.execute(
            select(life.c.number)
            .where(life.c.site == site, life.c.state == "assigned", life.c.holder_kind == "person")
            .order_by(life.c.number)
        ).scalar()
        free = c.execute(
            select(life.c.number)
            .where(life.c.site == site, life.c.state == "available")
            .order_by(life.c.number)
        ).scalar()
        person = first(
            c, tables.person, tables.person.c.site == site, tables.person.c.departed.is_(False)
        )
        found = {
            "site": site,
            "number": f"+{number}",
            "free": f"+{free or number}",
            "person": person,
            "spot": first(c, tables.spot, tables.spot.c.site == site),
            "line": first(c, tables.service_line, tables.service_line.c.site == site),
            "device": first(c, tables.device, tables.device.c.person == person),
            "sbc": first(
                c,
                tables.RECORD_TABLES[Subject.SBC],
                tables.RECORD_TABLES[Subject.SBC].c.site == site,
            ),
            "trunk": first(
                c,
                tables.RECORD_TABLES[Subject.TRUNK],
                tables.RECORD_TABLES[Subject.TRUNK].c.site == site,
            ),
        }
    order = workorders.draft(
        context,
        "Reached for",
        [t.SetCallingRights(holder=HolderRef(kind=HolderKind.PERSON, id=person), rights=())],
    )
    group = context.new_id("group")
    order_running.run_now(
        context, "a group", [t.SetGroup(group=group, name=f"Group {site}", members=(person,))]
    )
    drawn = drawing.begin_new(context, path, site).path
    return {
        **PLAIN,
        **found,
        "work_order": order.id,
        "group": group,
        "drawing": drawn,
        "system": "none",
    }


@pytest.fixture(scope="module")
def reached(shared):
    installation = shared.app.state.installation
    context = installation.context(MEMBERS[0])
    theirs = installation.context(
        Member("rowan", "Rowan", "", "copperleaf", AccessRole.ADMINISTRATOR)
    )
    with theirs.reading() as reading:
        site = first(reading.connection, tables.site)
    places = {name: ids_of(context, key) for name, key in SITES.items()} | {
        ABROAD: ids_of(theirs, site)
    }
    until_quiet(installation)
    return shared, context, theirs, places


def address(path, ids):
    def put(match):
        before = path[: path.index("{")].removeprefix("/api/v1")
        return ids[PARAMETERS[match[1], before]].lstrip("+")

    return re.sub(r"\{(\w+)\}", put, path)


def filled_form(ids):
    """Every field that some form has, all of them about one place."""
    ref = f"person:{ids['person']}"
    return {
        "number": ids["number"],
        "numbers": ids["number"],
        "holder": ref,
        "who": ref,
        "site": ids["site"],
        "spot": ids["spot"],
        "person": ids["person"],
        "people": ids["person"],
        "name": "Somebody Else",
        "email": "somebody.else@example.test",
        "title": "Other",
        "reason": "because of this",
        "floor": "9th floor",
        "room": "broom cupboard",
        "wing": "",
        "building": "",
        "note": "changed",
        "label": "changed",
        "tags": "changed",
        "cost_centre": "9999",
        "text": "said",
        "product": "staff-seat",
        "seats": "1",
        "path": ids["drawing"],
        "what": "review",
        "kind": "menu",
        "rights": "internal",
        "members": ids["person"],
        "extension": "799",
        "department": "Elsewhere",
        "security_desk": "desk@example.test",
        "extension_digits": "3",
        "outside_prefix": "8",
        "was": "1",
        "ring_seconds": "30",
        "then": "nothing",
        "shows": "withheld",
        "begin": "now",
        "until": "",
        "task": "0",
        "rule": "x",
        "remedy": "0",
        "to": "1",
        "step": "x",
        "street": "Lanternfield Wharf",
        "house_number": "12",
        "city": "Leeds",
        "postcode": "LS1 4ZZ",
        "country": "GB",
        "code": "ZZZ",
        "x": "10",
        "y": "10",
        "amount": "5.00",
        "account": "brackwater-main",
        "reference": "x",
        "query": "",
        "first": "2026-12-24",
        "last": "2026-12-27",
        "why": "holiday",
        "direction": "in",
        "chosen": ids["number"],
        "device": "desk phone",
        "feature": "texts",
        "switch": "on",
        "subscription": "staff-seat-sub",
        "role": "extra",
        "digits": "999",
    }


def value_for(name, schema, ids, definitions):
    plain = filled_form(ids)
    if "$ref" in schema:
        return body_for(definitions[schema["$ref"].rpartition("/")[2]], ids, definitions)
    for option in schema.get("anyOf", []):
        if option.get("type") != "null":
            return value_for(name, option, ids, definitions)
    if name == "tasks":
        return [{"kind": "label_numbers", "numbers": [ids["number"]], "label": "changed"}]
    if name == "holder":
        return (
            {"kind": "person", "id": ids["person"]}
            if schema.get("type") == "object"
            else f"person:{ids['person']}"
        )
    if schema.get("enum"):
        return schema["enum"][0]
    match schema.get("type"):
        case "array":
            items = schema.get("items", {})
            return [
                value_for(
                    {
                        "numbers": "number",
                        "people": "person",
                        "members": "person",
                        "sites": "site",
                    }.get(name, name),
                    items,
                    ids,
                    definitions,
                )
            ]
        case "integer" | "number":
            return max(1, schema.get("minimum", 1))
        case "boolean":
            return True
        case "object":
            return {}
        case _:
            return plain.get(name, "x")


def body_for(schema, ids, definitions):
    if "$ref" in schema:
        schema = definitions[schema["$ref"].rpartition("/")[2]]
    return {
        name: value_for(name, field, ids, definitions)
        for name, field in schema.get("properties", {}).items()
    }


def send(client, method, path, route, ids, definitions):
    """Ask for one thing of a place, with a body about that place."""
    where = address(path, ids)
    if path.startswith(("/api/", "/scim/", "/standins/clock", "/standins/faults")):
        described = client.app.openapi()["paths"].get(path, {}).get(method.lower(), {})
        schema = (
            described.get("requestBody", {})
            .get("content", {})
            .get("application/json", {})
            .get("schema", {})
        )
        body = body_for(schema, ids, definitions) if schema else {}
        if path.endswith("/tasks"):
            body = {"kind": "label_numbers", "numbers": [ids["number"]], "label": "changed"}
        return client.request(method, where, json=body, headers={"Sec-Fetch-Site": "same-origin"})
    return client.request(method, where, data=filled_form(ids))


def as_member(client, sign_in):
    client.cookies.clear()
    client.post("/sign-in", data={"who": sign_in})


NOT_RECORDS = (  # what belongs to a site and has no ledger snapshot of its own
    (safety.floor_plan, "site"),
    (callpaths.path_draft, "site"),
    (safety.confirm_link, "spot"),
)


def state(context):
    """Every record of an organisation, and what belongs to its sites beside them."""
    with context.reading() as reading:
        c = reading.connection
        found = {
            (table.name, row.id): row.body
            for table in set(tables.RECORD_TABLES.values())
            for row in c.execute(select(table.c.id, table.c.body))
        }
        for table, column in NOT_RECORDS:
            for row in c.execute(select(table)):
                found[table.name, getattr(row, column), str(row)] = ""
        for table in (workorder_tables.work_order, workorder_tables.task):
            found |= {(table.name, row.id): str(row) for row in c.execute(select(table))}
        found |= {
            ("template", row.id): "" for row in c.execute(select(holders.order_template.c.id))
        }
        found |= {("view", row.id): "" for row in c.execute(select(projected.saved_view.c.id))}
    return found


def written_by(context, sign_in, since):
    ledger = chain.ledger
    with context.reading() as reading:
        query = select(ledger).where(ledger.c.sequence > since, ledger.c.actor_id == sign_in)
        return [
            (row.subject, row.subject_id, json.loads(row.after) if row.after else None, row.title)
            for row in reading.connection.execute(query)
        ]


def head(context):
    with context.reading() as reading:
        return reading.connection.execute(select(chain.ledger_head.c.sequence)).scalar()


def guard_of(route):
    return next(
        d.call for d in route.dependant.dependencies if isinstance(d.call, Guard | ApiGuard)
    )


def test_every_parameter_of_an_unsafe_route_is_known():
    assert len(UNSAFE) > 300
    for _method, path, _route in UNSAFE:
        for name in re.findall(r"\{(\w+)\}", path):
            assert (name, path[: path.index("{")].removeprefix("/api/v1")) in PARAMETERS, path


SIGNING_OUT = {("POST", "/sign-in"), ("POST", "/sign-out"), ("POST", "/organisations/{key}/act")}


@pytest.mark.parametrize(
    "member",
    [m for m in MEMBERS if m.sign_in not in {"rowan", "leila"}],
    ids=lambda m: m.role.value,
)
def test_a_role_changes_nothing_it_may_not(reached, member):
    client, context, theirs, places = reached
    definitions = client.app.openapi()["components"]["schemas"]
    as_member(client, member.sign_in)
    abroad = state(theirs)
    for where, ids in places.items():
        if where == OTHERS and not member.sites:
            continue  # all sites are theirs
        before = state(context)
        allowed_any = False
        for method, path, route in UNSAFE:
            if (method, path) in SIGNING_OUT:
                continue
            refused = not allowed(member.role, guard_of(route).may)
            if refused and where != HOME:
                continue  # the role decides, before any id is looked at
            began = head(context)
            answer = send(client, method, path, route, ids, definitions)
            told = (member.role.value, where, method, path, answer.status_code, answer.text[:300])
            assert answer.status_code < 500 or answer.status_code == 502, told
            assert not refused or answer.status_code == 403, told
            allowed_any |= not refused
            if where == OTHERS and member.sites:
                for subject, key, after, title in written_by(context, member.sign_in, began):
                    assert SITES[OTHERS] not in json.dumps(after), (told, subject, key, title)
        changed = {key for key, body in state(context).items() if before.get(key) != body}
        assert allowed_any or not changed
        if where == OTHERS and member.sites:
            assert not [
                key for key in changed if ids["work_order"] in str(key) or SITES[OTHERS] in str(key)
            ], changed
    assert state(theirs) == abroad


def test_the_refusals_mean_something(reached):
    """The same requests do something for an administrator: many of them go through."""
    client, _context, theirs, places = reached
    definitions = client.app.openapi()["components"]["schemas"]
    as_member(client, "leila")
    abroad = state(theirs)
    answers = [
        (method, path, send(client, method, path, route, places[OTHERS], definitions).status_code)
        for method, path, route in UNSAFE
        if (method, path) not in SIGNING_OUT
    ]
    done = [found for found in answers if found[2] < 400]
    assert len(done) > 65, [found for found in answers if found[2] >= 400]
    for method, path, route in UNSAFE:
        if (method, path) not in SIGNING_OUT and "/organisations" not in path:
            send(client, method, path, route, places[ABROAD], definitions)
    assert state(theirs) == abroad
