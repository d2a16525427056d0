"""The organisation's telephone system: what it is told about numbers and devices, and the test
calls it places."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import quote

from sedge.outside.http import Service


@dataclass(frozen=True)
class PlacedCall:
    """What a test call found: how it ended, what was heard, which devices rang, over which trunk it
    arrived; for steps that ring in turn whose turn it was."""

    ended: str
    heard: str
    rang: tuple[str, ...]
    at: datetime | None = None
    shown: str = ""
    over: str = ""
    turns: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class HelpCall:
    """What the operator of the stand-in's answering point saw, and who at the site was told."""

    ended: str
    place: str
    callback: str
    told: str
    heard: str


class Telephony(Service):
    """Every PUT says the whole wish, so that repeating it does no harm."""

    def put_number(self, e164: str, routing: dict[str, object]) -> None:
        self.call("PUT", f"numbers/{quote(e164)}", json=routing)

    def remove_number(self, e164: str) -> None:
        self.call("DELETE", f"numbers/{quote(e164)}")

    def put_licence(self, holder: str, product: str, works_from: datetime) -> None:
        self.call(
            "PUT",
            f"licences/{quote(holder)}/{quote(product)}",
            json={"works_from": works_from.isoformat()},
        )

    def remove_licence(self, holder: str, product: str) -> None:
        self.call("DELETE", f"licences/{quote(holder)}/{quote(product)}")

    def put_device(self, key: str, device: dict[str, object]) -> None:
        self.call("PUT", f"devices/{quote(key)}", json=device)

    def set_up(
        self,
        devices: dict[str, Any],
        numbers: dict[str, Any],
        paths: dict[str, Any] | None = None,
        people: dict[str, Any] | None = None,
        dial_plans: dict[str, Any] | None = None,
    ) -> None:
        self.call(
            "PUT",
            "bulk",
            json={
                "devices": devices,
                "numbers": numbers,
                "paths": paths or {},
                "people": people or {},
                "dial_plans": dial_plans or {},
            },
        )

    def put_path(self, key: str, body: dict[str, object]) -> None:
        """A published call path, for those that go on in it."""
        self.call("PUT", f"paths/{quote(key)}", json=body)

    def remove_path(self, key: str) -> None:
        """A call path that is no longer needed; nothing happens where it is not known."""
        self.call("DELETE", f"paths/{quote(key)}")

    def put_person(self, key: str, rules: dict[str, object]) -> None:
        """A person's own answering rules."""
        self.call("PUT", f"people/{quote(key)}", json=rules)

    def put_caller_id(self, whose: str, wish: dict[str, object]) -> None:
        """What somebody's, a site's or the organisation's calls show."""
        self.call("PUT", f"caller-ids/{quote(whose)}", json=wish)

    def put_dial_plan(self, site: str, plan: dict[str, object]) -> None:
        """What people dial at a site and what it becomes, the first rule that fits winning."""
        self.call("PUT", f"dial-plans/{quote(site)}", json=plan)

    def put_routes(self, routes: list[dict[str, object]]) -> None:
        """Over which trunks calls out go, the first route that fits winning."""
        self.call("PUT", "routes", json={"routes": routes})

    def put_ways_for_help(self, site: str, trunks: list[str]) -> None:
        """Over which trunks emergency calls of a site may go, a number's own first, then in this
        order."""
        self.call("PUT", f"ways-for-help/{quote(site)}", json={"trunks": trunks})

    def remove_device(self, key: str) -> None:
        self.call("DELETE", f"devices/{quote(key)}")

    def devices(self) -> dict[str, str | None]:
        """Of each device why it is not registered, in a word (`never`, `secret`, `silent`); None
        where it is."""
        answer = self.call("GET", "devices")
        return {
            key: None if registered else answer.get("said", {}).get(key, "silent")
            for key, registered in answer["devices"].items()
        }

    def uncalled(self, since: datetime, most: int) -> dict[str, datetime | None]:
        """Numbers it has, to or from which there was no call since, with when the last one was;
        None for never. `most`, the quietest first."""
        found = self.call("POST", "uncalled", json={"since": since.isoformat(), "most": most})[
            "numbers"
        ]
        return {number: datetime.fromisoformat(at) if at else None for number, at in found.items()}

    def call_records(self, after: int) -> list[dict[str, Any]]:
        """Records of calls that are over, after the one of that number, oldest first: `no`,
        `started`, `answered` ('' for no), `ended` (RFC 3339), `from`, `to`, `direction`, `trunk`,
        `cause`, `steps` (each with path, step, exit and seconds)."""
        return self.call("GET", f"calls?after={after}")["records"]

    def trunks_down(self) -> set[str]:
        return set(self.call("GET", "trunks")["down"])

    def use_trunk(self, trunk: str, *, carries: bool) -> None:
        """Whether calls may go over a trunk, as long as nothing else is said."""
        self.call("PUT", f"trunks/{quote(trunk)}", json={"carries": carries})

    def put_trunk(self, trunk: str, way: dict[str, object]) -> None:
        """How calls leave over a trunk: where to, over which SBCs in turn, and how numbers are
        written."""
        self.call("PUT", f"trunks/{quote(trunk)}/way", json=way)

    def connect(self, trunk: str, wish: dict[str, Any]) -> str:
        """Sign in at another carrier with host, port, transport, user and password; '' once it is
        signed in, else in a word why not."""
        return self.call("PUT", f"connections/{quote(trunk)}", json=wish)["problem"]

    def signed_in(self, trunk: str) -> str:
        """As `connect`, with what it was told before."""
        return self.call("GET", f"connections/{quote(trunk)}")["problem"]

    def disconnect(self, trunk: str) -> None:
        self.call("DELETE", f"connections/{quote(trunk)}")

    def announce(self, key: str, to: str, words: str) -> None:
        """Calls an outside phone and says something; once per key."""
        self.call(
            "POST",
            "announcements",
            json={"to": to, "words": words},
            headers={"Idempotency-Key": key},
        )

    def announcements(self) -> list[dict[str, Any]]:
        """What the stand-in has said on the phone, newest first."""
        return self.call("GET", "announcements")["items"]

    def call_in(self, e164: str, presses: list[str]) -> PlacedCall:
        answer = self.call("POST", "calls/in", json={"number": e164, "presses": presses})
        return PlacedCall(
            answer["ended"],
            answer["heard"],
            tuple(answer["rang"]),
            datetime.fromisoformat(answer["at"]),
            over=answer["over"],
            turns=answer.get("turns", {}),
        )

    def call_help(self, e164: str, dialled: str, key: str) -> HelpCall:
        """A call for help that ends at the stand-in of an answering point, once per key; never at a
        real one."""
        answer = self.call(
            "POST",
            "calls/help",
            json={"number": e164, "dialled": dialled},
            headers={"Idempotency-Key": key},
        )
        return HelpCall(
            answer["ended"], answer["place"], answer["callback"], answer["told"], answer["heard"]
        )

    def notices(self) -> list[dict[str, Any]]:
        """What security desks have been shown, newest first."""
        return self.call("GET", "notices")["items"]

    def call_out(self, e164: str, person: str, dialled: str) -> PlacedCall:
        answer = self.call(
            "POST", "calls/out", json={"number": e164, "person": person, "dialled": dialled}
        )
        return PlacedCall(
            answer["ended"], answer["heard"], tuple(answer["rang"]), shown=answer["shown"]
        )
