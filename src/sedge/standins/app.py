"""The stand-ins: one ASGI application with its own data, served on its own port and thread.

`/control` steers them: clock, faults, the mailbox. Nothing here imports Sedge.
"""

import secrets
import threading
import time
from collections.abc import Awaitable, Callable
from datetime import timedelta
from pathlib import Path
from typing import Literal

import anyio
import httpx
import uvicorn
from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field

from sedge.standins.callbacks import Callbacks
from sedge.standins.carriers.accounts import AccountAsked, Ledger, every_balance
from sedge.standins.carriers.billing import drift, put_in_service
from sedge.standins.carriers.carrier import carrier_routes
from sedge.standins.carriers.carrier_profiles import MANNERS
from sedge.standins.carriers.outgoing import next_port_outs, outgoing_control
from sedge.standins.carriers.port_answers import next_answers
from sedge.standins.carriers.porting import porting_routes
from sedge.standins.directory import control_routes, directory_routes
from sedge.standins.far_ends import letters
from sedge.standins.mail_server import MailServer
from sedge.standins.register import register_routes
from sedge.standins.sip.domains import DOMAINS, FAULTS
from sedge.standins.sip.listening import Listening
from sedge.standins.storage import Book, Json, stamp
from sedge.standins.telephony import telephony_routes

SLOW_SECONDS = 1.0
BOOK = "standins.sqlite"
LONGEST_SILENCE = 60.0
SERVICES = ("carrier", "telephony", "register", "directory", "numbering", "ports")


ASKED_BY_ITSELF = ("/port-outs", "/numbers")  # of a carrier, over and over, by nobody in particular


class Fault(BaseModel):
    """`carrier` is whichever carrier is asked next; a carrier's own name is that one."""

    service: Literal[
        "carrier",
        "telephony",
        "register",
        "mail",
        "directory",
        "numbering",
        "ports",
        "brackwater",
        "fellgate",
        "maplecourt",
    ]
    fault: Literal["timeout", "error", "duplicate_callback", "slow", "reject"]
    count: int = Field(default=1, ge=0, le=1000)


class SipFault(BaseModel):
    """A fault of a carrier's SIP side; none where empty."""

    domain: str = Field(max_length=100)
    fault: str = Field(default="", max_length=30)


class ReviewSteered(BaseModel):
    verdict: Literal["accepted", "rejected"]
    reason: str = Field(default="", max_length=200)
    count: int = Field(default=1, ge=0, le=1000)


def create_standins(folder: Path) -> FastAPI:  # noqa: C901  a factory: its routes count as branches
    book = Book(folder / BOOK)
    callbacks = Callbacks(book)
    app = FastAPI(title="Stand-ins", docs_url=None, redoc_url=None)
    app.state.book = book
    app.state.callbacks = callbacks
    app.state.sip = Listening()
    app.state.mail = MailServer(book, callbacks)
    app.include_router(carrier_routes(book, callbacks))
    app.include_router(telephony_routes(book))
    app.include_router(register_routes(book))
    app.include_router(directory_routes(book))
    app.include_router(control_routes(book))
    app.include_router(porting_routes(book))
    app.include_router(outgoing_control(book))
    callbacks.dues.append(lambda: next_answers(book))
    callbacks.dues.append(lambda: next_port_outs(book))

    @app.middleware("http")
    async def faults(
        request: Request, call_next: Callable[[Request], Awaitable[Response]]
    ) -> Response:
        """`error`: not done, 500. `reject`: not done, 422. `timeout`: done, but nobody hears of it.
        `slow`: done, late."""
        service, *rest = request.url.path.split("/")[1:]
        named = (service, rest[0]) if service == "carrier" and rest else (service,)
        if request.method == "GET" and request.url.path.endswith(
            ASKED_BY_ITSELF
        ):  # a fault meant for whatever is asked next is not for it
            named = tuple(rest[:1])
        fault = (
            callbacks.take_fault(named, "timeout", "error", "slow", "reject")
            if service in SERVICES
            else None
        )
        if fault == "error":
            return JSONResponse({"detail": {"reason": "internal trouble"}}, 500)
        if fault == "reject":
            return JSONResponse(
                {"detail": {"reason": "refused as ordered on the control panel"}}, 422
            )
        answer = await call_next(request)
        if fault == "timeout":
            return await _silence(request)
        if fault == "slow":
            await anyio.sleep(SLOW_SECONDS)
        return answer

    @app.post("/control/clock")
    def clock(body: dict[str, float]) -> Json:
        book.advance(body["advance"])
        callbacks.tick()
        return {"now": stamp(book.now())}

    @app.get("/control/clock")
    def time_there() -> Json:
        return {"now": stamp(book.now())}

    @app.post("/control/tick")
    def tick() -> Json:
        due = callbacks.tick()
        return {"now": stamp(book.now()), "due": due}

    @app.post("/control/faults")
    def order_fault(fault: Fault) -> Json:
        key = f"{fault.service}/{fault.fault}"
        if fault.count:
            book.put("fault", key, fault.model_dump())
        else:
            book.remove("fault", key)
        return {"faults": list(book.all("fault").values())}

    @app.put("/control/devices/{key}")
    def register_device(key: str, body: dict[str, bool]) -> Json:
        device = book.get("device", key)
        if device:
            book.put(
                "device",
                key,
                {**device, "registered": body["registered"], "said": "", "signs_in_at": None},
            )
        return {"device": device is not None}

    @app.put("/control/people/{key}")
    def steer_person(key: str, body: dict[str, bool]) -> dict[str, object]:
        """Somebody who is away lets the phone ring."""
        if body["away"]:
            book.put("away", key, True)
        else:
            book.remove("away", key)
        return {}

    @app.put("/control/trunks/{key}")
    def steer_trunk(key: str, body: dict[str, bool]) -> dict[str, object]:
        if body["up"]:
            book.remove("trunk down", key)
        else:
            book.put("trunk down", key, True)
        return {}

    @app.put("/control/prices/{carrier}")
    def change_prices(carrier: str, body: dict[str, float]) -> dict[str, object]:
        """From now on everything costs so many per cent more than on its list."""
        book.put("dearer", carrier, body["percent"])
        return {}

    @app.post("/control/accounts/{carrier}")
    def sales_desk(carrier: str, body: dict[str, str]) -> dict[str, object]:
        """The carrier's sales desk opens an account for somebody who has none there yet: its key,
        told once."""
        currencies = MANNERS[carrier].currencies
        asked = AccountAsked(
            name=body["name"],
            currency=currencies.get(body["country"]) or next(iter(currencies.values())),
        )
        with book.writing():
            return {"key": Ledger(book, carrier).open(asked, secrets.token_urlsafe(12))["key"]}

    @app.post("/control/freed")
    def free_numbers(body: dict[str, list[str]]) -> dict[str, object]:
        """Somebody else gives numbers back: they are in stock again."""
        for number in body["numbers"]:
            book.put("freed", number, True)
        return {}

    @app.put("/control/in-service")
    def in_service(body: dict[str, list[dict[str, str]]]) -> dict[str, object]:
        """Numbers that accounts have had since before the books begin."""
        put_in_service(book, body["numbers"])
        return {}

    @app.put("/control/drift")
    def let_drift(body: dict[str, object]) -> dict[str, object]:
        """A carrier's list changes by itself: numbers dropped, added, dearer, on another trunk, on
        their way out."""
        with book.writing():
            drift(book, body)
        return {}

    @app.put("/control/addresses/{e164}")
    def spoil_address(e164: str, body: dict[str, str]) -> Json:
        """Somebody at the carrier mistypes an address."""
        known = book.get("address", e164)
        if known:
            book.put("address", e164, {**known, **body})
        return {"known": known is not None}

    @app.put("/control/streets")
    def rename_street(body: dict[str, str]) -> dict[str, object]:
        """The register has a street under another name from now on; the same name again takes that
        back."""
        for old, new in body.items():
            if old == new:
                book.remove("renamed street", old)
            else:
                book.put("renamed street", old, new)
        return {}

    @app.put("/control/porting")
    def steer_porting(body: dict[str, bool]) -> dict[str, object]:
        """`silent`: losing carriers leave what is asked of them from now on lying about, until they
        are reminded."""
        book.put("steered", "silent", body["silent"])
        return {}

    @app.put("/control/ports/{key}")
    def backdate_port(key: str, body: dict[str, float]) -> Json:
        port = book.get("port", key)
        if port:
            book.put(
                "port", key, {**port, "at": stamp(book.now() - timedelta(days=body["days_ago"]))}
            )
        return {"known": port is not None}

    @app.put("/control/review")
    def steer_review(body: ReviewSteered) -> dict[str, object]:
        """What the person who looks at papers says of the next ones."""
        book.put("steered", "review", body.model_dump())
        return {}

    @app.get("/control/mailbox")
    def mailbox() -> Json:
        """Where mail is taken by SMTP, and what has come, newest first."""
        return {
            "port": app.state.mail.port,
            "items": list(reversed(book.all("mail").values())),
        }

    @app.get("/control/sip")
    def sip_side() -> Json:
        """Where the carriers listen for SIP, whose certificates they show, who may sign in."""
        sip = app.state.sip.listening()
        users = [
            {"domain": name, "user": user, "secret": secret, "trusts": domain.trusts}
            for name, domain in DOMAINS.items()
            for user, secret in (domain.users or {"": ""}).items()
        ]
        return {
            "ports": sip.ports,
            "authority": sip.authority.pem,
            "users": users,
            "faults": sip.faults,
            "calls": sip.calls[-20:],
        }

    @app.put("/control/sip/faults")
    def order_sip_fault(body: SipFault) -> Json:
        """From now on the SIP side of a carrier fails in this way."""
        sip = app.state.sip.listening()
        if body.domain not in DOMAINS or body.fault not in FAULTS:
            raise HTTPException(422, "no such domain or fault")
        sip.faults[body.domain] = body.fault
        return {"faults": sip.faults}

    @app.get("/control/orders")
    def bought() -> Json:
        """The carriers' books: every order with the key it was asked under, and what each account
        holds."""
        keys = {order: key for key, order in book.all("key").items()}
        orders = [
            {
                "key": keys[k],
                "id": k,
                "carrier": o["carrier"],
                "numbers": [x["number"] for x in o["lines"]],
            }
            for k, o in book.all("order").items()
        ]
        names = book.all("caller-names")
        return {"orders": orders, "balances": every_balance(book), "caller_names": names}

    @app.get("/control/state")
    def state() -> Json:
        """All that can be steered, and what has come of it, newest first."""
        orders = [
            {
                "id": key,
                "carrier": o["carrier"],
                "account": o["account"],
                "reference": o["reference"],
                "numbers": len(o["lines"]),
                "papers": [
                    f"{p['state']}{': ' + p['reason'] if p['reason'] else ''}"
                    for p in (o.get("review") or {"papers": {}})["papers"].values()
                ],
            }
            for key, o in reversed(book.all("order").items())
        ]
        return {
            "now": stamp(book.now()),
            "faults": list(book.all("fault").values()),
            "dearer": book.all("dearer"),
            "down": sorted(book.all("trunk down")),
            "balances": every_balance(book),
            "orders": orders[:40],
            "mails": list(reversed(book.all("mail").values()))[:20],
            "calls": list(reversed(book.all("announcement").values()))[:20],
            "services": sorted({*SERVICES, *MANNERS}),
            "letters": letters(),
            "silent": bool(book.get("steered", "silent")),
        }

    return app


async def _silence(request: Request) -> Response:
    """Nothing is heard until the caller hangs up, however long they wait."""
    with anyio.move_on_after(LONGEST_SILENCE):
        while not await request.is_disconnected():
            await anyio.sleep(0.05)
    return JSONResponse({"detail": {"reason": "no answer"}}, 504)


class StandinServer:
    """The stand-ins on their own thread. `port` is known once `start` has returned."""

    def __init__(self, folder: Path, port: int = 0) -> None:
        self.app = create_standins(folder)
        self._server = uvicorn.Server(
            uvicorn.Config(self.app, host="127.0.0.1", port=port, log_level="error", lifespan="off")
        )
        self._thread = threading.Thread(target=self._server.run, daemon=True, name="stand-ins")
        self.port = port
        self._stopping = threading.Event()
        self._ticker = threading.Thread(target=self._tick, daemon=True, name="stand-ins' callbacks")

    def start(self, *, ticking: bool = True) -> "StandinServer":
        self._thread.start()
        while not self._server.started:
            if not self._thread.is_alive():
                raise RuntimeError("the stand-ins could not start; is their port in use?")
            time.sleep(0.01)
        self.port = self._server.servers[0].sockets[0].getsockname()[1]
        if ticking:
            self._ticker.start()
        return self

    def _tick(self) -> None:
        """Callbacks go out as things happen, not only when the clock is steered. One kept
        connection: making a client reads all certificates of the machine, which took most of what
        an idle demo used."""
        # plain HTTP on loopback
        settings = {"timeout": 10, "trust_env": False, "verify": False}
        with httpx.Client(base_url=self.url, **settings) as client:
            while not self._stopping.wait(1.0):
                if self.app.state.callbacks.is_quiet:
                    continue
                try:
                    client.post("/control/tick")
                except httpx.HTTPError:
                    continue

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def move_to(self, folder: Path) -> None:
        """Serve what another folder remembers, as if just started on it: building the application
        anew would take a sixth of a second."""
        self.app.state.book.close()
        self.app.state.book.open(folder / BOOK)
        self.app.state.sip.forget()

    def stop(self) -> None:
        self._stopping.set()
        self._server.should_exit = True
        self._thread.join(timeout=10)
        self.app.state.sip.stop()
        self.app.state.mail.stop()
        self.app.state.book.close()
