"""A directory of people: answers who is there, and pushes what changes to whoever it was connected
with. Plain SCIM 2.0 both ways."""

import contextlib

import httpx
from fastapi import APIRouter

from sedge.standins.storage import Book, Json

LIST = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
NEWCOMERS = (
    ("Tamsin", "Quennell", "Learning"),
    ("Bastian", "Overy", "Collections"),
    ("Imke", "Sandvoort", "Visitor services"),
    ("Yaw", "Penhale", "Estates"),
    ("Solveig", "Marchetti", "Archive"),
)


def directory_routes(book: Book) -> APIRouter:
    routes = APIRouter(prefix="/directory")

    @routes.get("/Users")
    def users(
        startIndex: int = 1,  # noqa: N803  the protocol's own name
        count: int = 100,
    ) -> Json:
        return _page(
            [u for u in book.all("directory user").values() if u.get("active", True)],
            startIndex,
            count,
        )

    @routes.get("/Groups")
    def groups(startIndex: int = 1, count: int = 100) -> Json:  # noqa: N803
        return _page(list(book.all("directory group").values()), startIndex, count)

    return routes


def _page(rows: list[Json], start: int, count: int) -> Json:
    page = rows[start - 1 : start - 1 + count]
    return {
        "schemas": [LIST],
        "totalResults": len(rows),
        "startIndex": start,
        "itemsPerPage": len(page),
        "Resources": page,
    }


def control_routes(book: Book) -> APIRouter:
    """How it is filled and steered."""
    routes = APIRouter(prefix="/control/directory")

    @routes.put("")
    def fill(body: dict[str, list[Json]]) -> Json:
        with book.writing():
            for user in body.get("users", []):
                book.put("directory user", user["externalId"], user)
            for group in body.get("groups", []):
                book.put("directory group", group["externalId"], group)
        return {"users": len(book.all("directory user"))}

    @routes.put("/target")
    def connect(body: dict[str, str]) -> dict[str, object]:
        """Whom to push changes to: `url` of its SCIM root, and the `token` to show."""
        book.put("directory target", "target", body)
        return {}

    @routes.post("/events")
    def happen(body: dict[str, str]) -> Json:
        """Somebody joins, moves, leaves or changes; told to whoever is connected."""
        user = _happened(book, body)
        if user is None:
            return {"told": False, "user": None}
        book.put("directory user", user["externalId"], user)
        return {"told": _push(book, user), "user": user}

    return routes


def _happened(book: Book, body: dict[str, str]) -> Json | None:
    people = {key: u for key, u in book.all("directory user").items() if u.get("active", True)}
    kind = body.get("kind", "joiner")
    if kind == "joiner":
        return _newcomer(book, body)
    wanted = body.get("who", "")
    user = people.get(wanted) or next(
        (u for u in people.values() if u["userName"].lower() == wanted.lower()), None
    )
    user = user or next(iter(people.values()), None)
    if user is None:
        return None
    enterprise = user.get(ENTERPRISE, {})
    match kind:
        case "leaver":
            return {**user, "active": False}
        case "mover":
            return {
                **user,
                ENTERPRISE: {**enterprise, "division": body.get("site", "Canal Museum")},
            }
        case _:
            return {
                **user,
                ENTERPRISE: {
                    **enterprise,
                    "department": body.get("department", "Special projects"),
                },
            }


def _newcomer(book: Book, body: dict[str, str]) -> dict[str, object]:
    number = int(book.next_id("D")[1:])
    first, last, department = NEWCOMERS[number % len(NEWCOMERS)]
    name = body.get("name") or f"{first} {last}{'' if number <= len(NEWCOMERS) else f' {number}'}"
    mail = name.lower().replace(" ", ".") + "@" + body.get("domain", "lanternfield.example")
    return {
        "schemas": ["urn:ietf:params:scim:schemas:core:2.0:User", ENTERPRISE],
        "externalId": f"dir-{number:05d}",
        "userName": mail,
        "displayName": name,
        "emails": [{"value": mail, "type": "work", "primary": True}],
        "active": True,
        ENTERPRISE: {
            "department": body.get("department", department),
            "division": body.get("site", "Wharf House"),
        },
    }


def _push(book: Book, user: Json) -> bool:
    """Found by its external id over there, then put; else added. Nobody there is no trouble of
    ours: they can ask."""
    target = book.get("directory target", "target")
    if target is None:
        return False
    headers = {
        "Authorization": f"Bearer {target['token']}",
        "Content-Type": "application/scim+json",
    }
    with (
        contextlib.suppress(httpx.HTTPError, KeyError, ValueError),
        httpx.Client(base_url=target["url"], headers=headers, timeout=5) as client,
    ):
        found = client.get(
            "Users", params={"filter": f'externalId eq "{user["externalId"]}"'}
        ).json()
        if not found["totalResults"]:
            found = client.get(
                "Users", params={"filter": f'userName eq "{user["userName"]}"'}
            ).json()
        if found["totalResults"]:
            return client.put(f"Users/{found['Resources'][0]['id']}", json=user).is_success
        return client.post("Users", json=user).is_success
    return False
