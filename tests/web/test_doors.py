"""Who gets in where: every route with every role, sign-in, cross-site writes, headers."""

import pytest
from fastapi.routing import APIRoute

from sedge.api.routing import ApiGuard
from sedge.app import PLACES, RESOURCES
from sedge.core.access.roles import ALLOWED, AccessRole, May
from sedge.demo.seed import MEMBERS, PASSWORD
from sedge.web.headers import TOKENS
from sedge.web.routing import COOKIE, Guard
from tests.asserting import every

ADMIN, SITE, HELP, MONEY, SAFETY, OBSERVER = AccessRole
EVERYBODY = set(AccessRole)
WRITERS = EVERYBODY - {OBSERVER}
# What each role may do at each door, written out again: a new route must be put here, or the test
# fails.
MATRIX = {
    "GET /": EVERYBODY,
    "GET /activity": {ADMIN, MONEY, SAFETY, OBSERVER},
    "GET /events": EVERYBODY,
    "GET /help": EVERYBODY,
    "GET /head": EVERYBODY,
    "GET /running": EVERYBODY,
    "GET /changes": EVERYBODY,
    "GET /find": EVERYBODY,
    "GET /find/open": EVERYBODY,
    "GET /numbers": EVERYBODY,
    "GET /numbers/{number}": EVERYBODY,
    "GET /numbers/{number}/card": EVERYBODY,
    "POST /numbers/{number}/own-call": {ADMIN, SITE, HELP, SAFETY},
    "POST /numbers/{number}/facts": WRITERS,
    "GET /numbers/sites": EVERYBODY,
    "POST /numbers/views": WRITERS,
    "POST /numbers/views/{key}/forget": WRITERS,
    "GET /numbers/chosen": EVERYBODY,
    "POST /numbers/chosen": EVERYBODY,
    "POST /numbers/chosen/{act}": {ADMIN, SITE},
    "GET /numbers/paste": EVERYBODY,
    "POST /numbers/paste": EVERYBODY,
    "GET /numbers/differences": EVERYBODY,
    "GET /numbers/figures": EVERYBODY,
    "GET /numbers/files": {ADMIN},
    "POST /numbers/files": {ADMIN},
    "GET /numbers/files/{key}": {ADMIN},
    "POST /numbers/files/{key}/columns": {ADMIN},
    "POST /numbers/files/{key}/begin": {ADMIN},
    "POST /numbers/files/{key}/leave": {ADMIN},
    "GET /numbers/files/{key}/faults.csv": {ADMIN},
    "GET /exports/numbers.{form}": EVERYBODY,
    "GET /numbers/known-elsewhere": EVERYBODY,
    "POST /numbers/known-elsewhere": {ADMIN, SITE},
    "GET /exports/known-elsewhere.csv": EVERYBODY,
    "GET /numbers/take-over": {ADMIN},
    "POST /numbers/take-over": {ADMIN},
    "POST /numbers/take-over/untidy": {ADMIN},
    "GET /numbers/take-over/{key}": {ADMIN},
    "POST /numbers/take-over/{key}/files": {ADMIN},
    "GET /numbers/take-over/{key}/files/{file}": {ADMIN},
    "POST /numbers/take-over/{key}/files/{file}": {ADMIN},
    "POST /numbers/take-over/{key}/words": {ADMIN},
    "POST /numbers/take-over/{key}/rows": {ADMIN},
    "POST /numbers/take-over/{key}/leave": {ADMIN},
    "POST /numbers/take-over/{key}/again": {ADMIN},
    "POST /numbers/take-over/{key}/forget": {ADMIN},
    "POST /numbers/take-over/{key}/order": {ADMIN},
    "GET /numbers/{number}/follow": EVERYBODY,
    "GET /numbers/{number}/features": EVERYBODY,
    "POST /numbers/{number}/features": {ADMIN},
    "POST /numbers/{number}/caller-name": {ADMIN, SITE},
    "GET /numbers/{number}/test-call": {ADMIN, SITE, HELP, SAFETY},
    "POST /numbers/{number}/test-call": {ADMIN, SITE, HELP, SAFETY},
    "GET /numbers/{number}/retire": {ADMIN, SITE},
    "POST /numbers/{number}/retire": {ADMIN, SITE},
    "GET /paths": EVERYBODY,
    "GET /paths/out": EVERYBODY,
    "GET /paths/{key}": EVERYBODY,
    "GET /supply": {ADMIN, MONEY},
    "GET /supply/holds/{key}": {ADMIN, MONEY},
    "GET /supply/orders/{key}": {ADMIN, MONEY},
    "POST /supply/holds": {ADMIN},
    "POST /supply/holds/{key}/end": {ADMIN},
    "POST /carriers/{carrier}/test": {ADMIN, MONEY},
    "GET /supply/answers/{seller}": {ADMIN, MONEY},
    "POST /supply/holds/{key}/longer": {ADMIN},
    "POST /supply/orders": {ADMIN},
    "POST /supply/orders/{key}/cancel": {ADMIN},
    "POST /supply/orders/{key}/mail": {ADMIN},
    "GET /ports": {ADMIN, MONEY},
    "GET /ports/new": {ADMIN},
    "POST /ports/new": {ADMIN},
    "GET /ports.ics": {ADMIN, MONEY},
    "GET /ports/{key}": {ADMIN, MONEY},
    "GET /ports/{key}/mandate.pdf": {ADMIN, MONEY},
    "GET /ports/{key}/calendar.ics": {ADMIN, MONEY},
    **dict.fromkeys(
        (
            f"POST /ports/{{key}}/{act}"
            for act in (
                "change",
                "compare",
                "sign",
                "leave-out",
                "submit",
                "switch",
                "prove",
                "close",
                "answer",
                "date",
                "cancel",
                "split",
                "remind",
                "back-out",
                "bill",
                "holders",
                "holders/proposed",
                "holders/list",
            )
        ),
        {ADMIN},
    ),
    "GET /ports/calendar": {ADMIN, MONEY},
    "POST /ports/days": {ADMIN},
    "POST /ports/days/{key}/give-back": {ADMIN},
    "GET /ports/{key}/holders": {ADMIN, MONEY},
    "GET /ports/{key}/run-sheet": {ADMIN, MONEY},
    "GET /port-outs": {ADMIN, MONEY},
    "GET /port-outs/{key}": {ADMIN, MONEY},
    **dict.fromkeys(
        (f"POST /port-outs/{{key}}/{act}" for act in ("approve", "refuse", "claim", "let-go")),
        {ADMIN},
    ),
    "POST /carriers/accounts/{key}/port-pin": {ADMIN},
    "GET /carriers/drift": {ADMIN, MONEY},
    "GET /carriers/new": {ADMIN},
    "POST /carriers/new": {ADMIN},
    "GET /carriers/{carrier}/agreement": {ADMIN},
    "POST /carriers/{carrier}/agreement": {ADMIN},
    "GET /spend": {ADMIN, MONEY},
    "POST /spend/budgets": {ADMIN, MONEY},
    "GET /spend/usage": {ADMIN, MONEY},
    "GET /spend/usage/idle": {ADMIN, MONEY},
    "GET /spend/usage/numbers/{number}": EVERYBODY,
    "GET /spend/calls": {ADMIN, MONEY},
    "POST /spend/calls": {ADMIN, MONEY},
    "GET /spend/calls/{key}": {ADMIN, MONEY},
    "POST /spend/calls/{key}/columns": {ADMIN, MONEY},
    "POST /spend/calls/{key}/discard": {ADMIN, MONEY},
    "POST /spend/calls/settings": {ADMIN},
    "POST /spend/calls/fetch": {ADMIN, MONEY},
    "GET /spend/invoices": {ADMIN, MONEY},
    "GET /spend/invoices/columns/{key}": {ADMIN, MONEY},
    "POST /spend/invoices/columns/{key}": {ADMIN, MONEY},
    "POST /spend/invoices/columns/{key}/discard": {ADMIN, MONEY},
    "POST /spend/invoices": {ADMIN, MONEY},
    "GET /spend/invoices/{key}": {ADMIN, MONEY},
    "POST /spend/invoices/{key}/settle": {ADMIN, MONEY},
    "POST /spend/invoices/{key}/judge": {ADMIN, MONEY},
    "POST /spend/invoices/{key}/remove": {ADMIN, MONEY},
    "GET /spend/invoices/{key}/letter.pdf": {ADMIN, MONEY},
    "GET /spend/rates": {ADMIN, MONEY},
    "POST /spend/rates": {ADMIN, MONEY},
    "GET /spend/rates/{key}": {ADMIN, MONEY},
    "POST /spend/rates/{key}/remove": {ADMIN, MONEY},
    "GET /spend/right-sizing": {ADMIN, MONEY},
    "POST /spend/right-sizing": {ADMIN, SITE},
    "GET /spend/unusual": {ADMIN, MONEY},
    "POST /spend/unusual/{key}/settle": {ADMIN, SITE},
    "POST /spend/unusual/{key}/rights": {ADMIN, SITE},
    "GET /spend/statement": {ADMIN, MONEY},
    "GET /spend/statement.pdf": {ADMIN, MONEY},
    "GET /spend/statement.xlsx": {ADMIN, MONEY},
    "POST /spend/statement/close": {ADMIN, MONEY},
    "POST /carriers/drift/compare": {ADMIN, MONEY},
    "POST /carriers/drift/put-right": {ADMIN},
    "GET /numbers/resting": EVERYBODY,
    "POST /numbers/resting": {ADMIN},
    "GET /numbers/tidy-up": {ADMIN},
    "POST /numbers/tidy-up": {ADMIN},
    "GET /holders/sites/{key}/close": {ADMIN},
    "POST /holders/sites/{key}/close": {ADMIN},
    "GET /supply/papers": {ADMIN, MONEY},
    "POST /supply/papers": {ADMIN},
    "GET /supply/papers/{key}/file": {ADMIN, MONEY},
    "POST /supply/papers/{key}/withdraw": {ADMIN},
    "POST /supply/orders/{key}/papers": {ADMIN},
    "GET /supply/for-site": {ADMIN, MONEY},
    "GET /supply/joiners": {ADMIN, MONEY},
    "GET /supply/when-free": {ADMIN},
    "POST /supply/when-free": {ADMIN},
    "GET /supply/forms/new": {ADMIN},
    "GET /supply/connect": {ADMIN},
    "POST /supply/connect": {ADMIN},
    "GET /carriers/connections/{key}": EVERYBODY,
    "POST /carriers/connections/{key}": {ADMIN},
    "POST /carriers/connections/{key}/test": {ADMIN, SITE, HELP, SAFETY},
    "POST /supply/forms": {ADMIN},
    "GET /supply/orders/{key}/form.pdf": {ADMIN, MONEY},
    "POST /supply/orders/{key}/sent": {ADMIN},
    "POST /supply/orders/{key}/give-up": {ADMIN},
    "POST /supply/orders/{key}/arrivals": {ADMIN},
    "GET /holders": EVERYBODY,
    "GET /holders/lines": EVERYBODY,
    "GET /holders/sites": EVERYBODY,
    "GET /holders/people/{key}": EVERYBODY,
    "GET /holders/lines/{key}": EVERYBODY,
    "GET /holders/sites/{key}": EVERYBODY,
    "GET /holders/new/site": {ADMIN},
    "GET /holders/new/{what}": {ADMIN, SITE},
    "POST /holders/people": {ADMIN, SITE},
    "POST /holders/lines": {ADMIN, SITE},
    "POST /holders/sites": {ADMIN},
    "GET /holders/import": {ADMIN, SITE},
    "POST /holders/import": {ADMIN, SITE},
    "POST /holders/import/run": {ADMIN, SITE},
    "GET /licences": {ADMIN, MONEY},
    "POST /licences/{product}/seats": {ADMIN},
    "GET /licences/new": {ADMIN},
    "POST /licences/new": {ADMIN},
    "GET /licences/{product}": {ADMIN, MONEY},
    "POST /licences/{product}/change": {ADMIN},
    "POST /licences/{product}/trial": {ADMIN},
    "POST /licences/{product}/cancel": {ADMIN},
    "POST /licences/{product}/exchange": {ADMIN, SITE},
    "POST /holders/people/{key}/devices": {ADMIN, SITE},
    "POST /holders/devices/{key}/secret": {ADMIN, SITE},
    "POST /holders/devices/{key}/remove": {ADMIN, SITE},
    "GET /holders/devices/{key}": EVERYBODY,
    "POST /holders/people/{key}/rights": {ADMIN, SITE},
    "POST /holders/people/{key}/change": {ADMIN, SITE},
    "GET /holders/caller-ids": EVERYBODY,
    "POST /holders/caller-ids": {ADMIN, SITE},
    "GET /holders/several": {ADMIN, SITE},
    "POST /holders/several": {ADMIN, SITE},
    "POST /numbers/{number}/test-call/{key}/note": {ADMIN, SITE, HELP, SAFETY},
    "GET /holders/groups": EVERYBODY,
    "GET /holders/groups/new": {ADMIN, SITE},
    "GET /holders/groups/{key}": EVERYBODY,
    "POST /holders/groups": {ADMIN, SITE},
    "POST /holders/groups/{key}": {ADMIN, SITE},
    "POST /holders/groups/{key}/remove": {ADMIN, SITE},
    "GET /holders/systems": EVERYBODY,
    "GET /holders/systems/new": {ADMIN, SITE},
    "GET /holders/systems/{key}": EVERYBODY,
    "POST /holders/systems": {ADMIN, SITE},
    "POST /holders/systems/{key}": {ADMIN, SITE},
    "POST /holders/systems/{key}/numbers": {ADMIN, SITE},
    "POST /holders/lines/{key}/change": {ADMIN, SITE},
    "GET /holders/directory": EVERYBODY,
    "POST /holders/directory": {ADMIN},
    "POST /holders/directory/ask": {ADMIN},
    "POST /work-orders/{key}/tasks/{position}/move": {ADMIN, SITE},
    "POST /work-orders/{key}/tasks/{position}/until": {ADMIN, SITE},
    "POST /work-orders/{key}/tasks/{position}/skip": {ADMIN, SITE},
    "POST /work-orders/{key}/tasks/{position}/now": {ADMIN, SITE},
    "POST /work-orders/{key}/when": {ADMIN, SITE},
    "POST /work-orders/{key}/draft": {ADMIN, SITE},
    "POST /work-orders/{key}/title": {ADMIN, SITE},
    "POST /work-orders/{key}/comments": WRITERS,
    "POST /work-orders/{key}/duplicate": {ADMIN, SITE},
    "POST /work-orders/{key}/template": {ADMIN, SITE},
    "GET /work-orders/templates": {ADMIN, SITE},
    "GET /work-orders/templates/{key}": {ADMIN, SITE},
    "POST /work-orders/templates/{key}": {ADMIN, SITE},
    "POST /work-orders/templates/{key}/throw-away": {ADMIN, SITE},
    "GET /work-orders/planner": {ADMIN, SITE},
    "POST /work-orders/planner": {ADMIN, SITE},
    "GET /holders/sites/{key}/supply": {ADMIN},
    "POST /holders/sites/{key}/supply": {ADMIN},
    "GET /holders/sites/{key}/set-up": EVERYBODY,
    "POST /holders/sites/{key}/like": {ADMIN, SITE},
    "GET /letters": {ADMIN},
    "POST /letters": {ADMIN},
    "GET /checks": EVERYBODY,
    "GET /checks/{name}": EVERYBODY,
    "POST /checks": {ADMIN, SITE},
    "POST /checks/{name}/level": {ADMIN},
    "POST /checks/{name}/mend": {ADMIN, SITE},
    "GET /safety": EVERYBODY,
    "POST /safety/spots": {ADMIN, SITE, SAFETY},
    "POST /safety/spots/{code}/confirm": {ADMIN, SITE, SAFETY},
    "POST /safety/people/{person}/spot": {ADMIN, SITE},
    "POST /safety/put-right": {ADMIN, SITE},
    "POST /safety/help-call": {ADMIN, SITE, HELP, SAFETY},
    "GET /safety/rules": EVERYBODY,
    "POST /safety/addresses/recheck": {ADMIN, SITE, SAFETY},
    "GET /safety/addresses/found": EVERYBODY,
    "GET /safety/address": EVERYBODY,
    "GET /safety/tests": EVERYBODY,
    "POST /safety/tests": {ADMIN, SITE, HELP, SAFETY},
    "GET /safety/tests/{key}": EVERYBODY,
    "GET /safety/tests/{key}/report.csv": EVERYBODY,
    "GET /safety/tests/{key}/report.pdf": EVERYBODY,
    "GET /safety/registered": EVERYBODY,
    "POST /safety/registered": {ADMIN, SITE},
    "GET /safety/sites/{site}": EVERYBODY,
    "GET /safety/spots/{code}": EVERYBODY,
    "POST /safety/spots/{code}": {ADMIN, SITE, SAFETY},
    "POST /safety/spots/{code}/remove": {ADMIN, SITE, SAFETY},
    "POST /safety/spots/{code}/link": {ADMIN, SITE, SAFETY},
    "GET /safety/spots/{code}/label": EVERYBODY,
    "GET /safety/spots/{code}/pidf-lo.xml": EVERYBODY,
    "POST /safety/plans/{site}/place": {ADMIN, SITE, SAFETY},
    "POST /safety/plans/{site}": {ADMIN, SITE, SAFETY},
    "POST /safety/plans/{site}/away": {ADMIN, SITE, SAFETY},
    "GET /safety/plans/{site}/picture": EVERYBODY,
    "GET /safety/move": {ADMIN, SITE},
    "GET /why-not": EVERYBODY,
    "POST /why-not": {ADMIN, SITE},
    "GET /holders/sites/{key}/change": {ADMIN, SITE, SAFETY},
    "POST /holders/sites/{key}/change": {ADMIN, SITE, SAFETY},
    "GET /safety/files": EVERYBODY,
    "GET /safety/files/spots.csv": EVERYBODY,
    "POST /safety/files": {ADMIN, SITE, SAFETY},
    "GET /safety/numbers/{number}/pidf-lo.xml": EVERYBODY,
    "POST /safety/move": {ADMIN, SITE},
    "GET /phone/{token}": EVERYBODY,
    "POST /phone/{token}": EVERYBODY,
    "GET /confirm/{token}": EVERYBODY,
    "POST /confirm/{token}": EVERYBODY,
    "GET /dial-plans": EVERYBODY,
    "GET /dial-plans/{key}": EVERYBODY,
    "GET /dial-plans/{key}/rules.csv": EVERYBODY,
    "POST /dial-plans/{key}/check": {ADMIN},
    "POST /dial-plans/{key}": {ADMIN},
    "POST /dial-plans/{key}/import": {ADMIN},
    "POST /dial-plans/{key}/try": EVERYBODY,
    "POST /dial-plans/trunks/{key}/try": EVERYBODY,
    "GET /dial-plans/trunks/{key}": EVERYBODY,
    "GET /dial-plans/trunks/{key}/rules.csv": EVERYBODY,
    "POST /dial-plans/trunks/{key}/check": {ADMIN},
    "POST /dial-plans/trunks/{key}": {ADMIN},
    "POST /dial-plans/trunks/{key}/import": {ADMIN},
    "GET /carriers/trunks": EVERYBODY,
    "GET /safety/reach": EVERYBODY,
    "POST /carriers/trunks/{key}/move": {ADMIN},
    "POST /carriers/trunks/{key}/pasted": {ADMIN},
    "POST /holders/lines/{key}/rights": {ADMIN, SITE},
    "POST /holders/sites/{key}/rights": {ADMIN, SITE},
    "GET /carriers/channels": EVERYBODY,
    "GET /outbound-routes": EVERYBODY,
    "GET /outbound-routes/risks": EVERYBODY,
    "GET /outbound-routes/new": {ADMIN},
    "GET /outbound-routes/{no}": {ADMIN},
    "POST /outbound-routes": {ADMIN},
    "POST /outbound-routes/{no}/up": {ADMIN},
    "POST /outbound-routes/{no}/remove": {ADMIN},
    "GET /carriers/trunks/{key}/settings": {ADMIN},
    "POST /carriers/trunks/{key}/settings": {ADMIN},
    "POST /carriers/trunks/{key}/secret": {ADMIN},
    "POST /carriers/trunks/{key}/new-secret": {ADMIN},
    "POST /carriers/trunks/{key}/test": {ADMIN, SITE, HELP, SAFETY},
    "GET /carriers/trunks/{key}/sheet": EVERYBODY,
    "GET /carriers/trunks/{key}/sheet.pdf": EVERYBODY,
    "GET /carriers/trunks/{key}/numbers.txt": EVERYBODY,
    "GET /carriers/trunks/{key}/list": EVERYBODY,
    "GET /carriers/sbcs": EVERYBODY,
    "GET /spend/rates/compare": {ADMIN, MONEY},
    "POST /spend/invoices/{key}/release": {ADMIN},
    "GET /spend/rates/exchange": {ADMIN, MONEY},
    "POST /spend/rates/exchange": {ADMIN, MONEY},
    "POST /spend/rates/exchange/currency": {ADMIN, MONEY},
    "POST /spend/rates/exchange/remove": {ADMIN, MONEY},
    "POST /spend/rates/compare": {ADMIN},
    "GET /holders/systems/{key}/sheets": EVERYBODY,
    "GET /holders/systems/{key}/sheets/{end}.pdf": EVERYBODY,
    "GET /carriers/sbcs/new": {ADMIN},
    "GET /carriers/sbcs/{key}": EVERYBODY,
    "GET /carriers/sbcs/{key}/settings": {ADMIN},
    "POST /carriers/sbcs": {ADMIN},
    "POST /carriers/sbcs/{key}/test": {ADMIN, SITE, HELP, SAFETY},
    "POST /carriers/sbcs/{key}/retire": {ADMIN},
    "GET /carriers/trunks/{key}/list/missing.csv": EVERYBODY,
    "POST /carriers/trunks/{key}/list": {ADMIN},
    "POST /carriers/trunks/{key}/list/forget": {ADMIN},
    "POST /carriers/trunks/{key}/list/order": {ADMIN, SITE},
    "GET /carriers/trunks/{key}/numbers.csv": EVERYBODY,
    "POST /standins/panel/sip": {ADMIN},
    "GET /carriers/trunks/new": {ADMIN},
    "POST /carriers/{carrier}/first-account": {ADMIN},
    "POST /carriers/trunks": {ADMIN},
    "GET /paths/{key}/follow": EVERYBODY,
    "GET /carriers": EVERYBODY,
    "GET /carriers/accounts/{account}/deposit": {ADMIN},
    "POST /carriers/accounts/{account}/deposit": {ADMIN},
    "GET /carriers/{carrier}/accounts": {ADMIN},
    "POST /carriers/{carrier}/accounts": {ADMIN},
    "GET /carriers/accounts/{account}": {ADMIN, MONEY},
    "POST /carriers/accounts/{account}/terms": {ADMIN},
    "POST /carriers/accounts/{account}/key": {ADMIN},
    "POST /carriers/accounts/{account}/new-key": {ADMIN},
    "GET /ledger": {ADMIN, MONEY, SAFETY, OBSERVER},
    "GET /ledger/verify": {ADMIN, MONEY, SAFETY, OBSERVER},
    "GET /work-orders": EVERYBODY,
    "GET /work-orders/{key}": EVERYBODY,
    "GET /work-orders/new/{kind}": {ADMIN, SITE},
    "GET /work-orders/{key}/notice": EVERYBODY,
    "GET /choose/people": EVERYBODY,
    "GET /choose/holders": {ADMIN, SITE},
    "GET /choose/numbers": {ADMIN, SITE},
    "POST /work-orders/new/{kind}": {ADMIN, SITE},
    "POST /work-orders/{key}/remedies": {ADMIN, SITE},
    "POST /work-orders/{key}/remedy": {ADMIN, SITE},
    "POST /work-orders/{key}/run": {ADMIN, SITE},
    "POST /work-orders/{key}/tasks/{position}/remove": {ADMIN, SITE},
    "POST /work-orders/{key}/undo": {ADMIN, SITE},
    "POST /work-orders/{key}/retry": {ADMIN, SITE},
    "POST /work-orders/{key}/stop": {ADMIN, SITE},
    "POST /work-orders/{key}/discard": {ADMIN, SITE},
    "POST /work-orders/{key}/keep": {ADMIN, SITE},
    "GET /paths/new": {ADMIN, SITE},
    "POST /paths/new": {ADMIN, SITE},
    "GET /paths/{key}/change": {ADMIN, SITE},
    "POST /paths/{key}/change": {ADMIN, SITE},
    "GET /carriers/trunks/{key}": EVERYBODY,
    "POST /carriers/trunks/{key}/prove": {ADMIN, SITE},
    "GET /paths/week": EVERYBODY,
    "GET /paths/questions": EVERYBODY,
    "GET /paths/sounds": EVERYBODY,
    "POST /paths/sounds": {ADMIN, SITE},
    "POST /paths/sounds/{key}/remove": {ADMIN, SITE},
    "GET /paths/sounds/{key}/sound": EVERYBODY,
    "POST /paths/prove": {ADMIN, SITE},
    "POST /paths/{key}/prove": {ADMIN, SITE},
    "POST /paths/{key}/retire": {ADMIN, SITE},
    "GET /paths/{key}/path.json": EVERYBODY,
    "GET /paths/{key}/path.cpl": EVERYBODY,
    "GET /paths/{key}/cpl": EVERYBODY,
    "GET /paths/{key}/hours.ics": EVERYBODY,
    "GET /enum.zone": EVERYBODY,
    "GET /paths/bring-in": {ADMIN, SITE},
    "POST /paths/bring-in": {ADMIN, SITE},
    "GET /paths/draw": {ADMIN, SITE},
    "POST /paths/draw": {ADMIN, SITE},
    "GET /paths/{key}/draw": {ADMIN, SITE},
    "POST /paths/{key}/draw": {ADMIN, SITE},
    "GET /paths/{key}/compare": EVERYBODY,
    **{
        f"POST /paths/{{key}}/draw/{what}": {ADMIN, SITE}
        for what in (
            "add",
            "lead",
            "move",
            "insert",
            "begin-with",
            "remove",
            "copy",
            "cut",
            "paste",
            "undo",
            "redo",
            "step",
            "name",
            "drop-test",
            "discard",
            "publish",
            "go-on",
            "take-over",
            "calendar",
        )
    },
    "POST /numbers/{number}/keep-call": {ADMIN, SITE},
    "GET /holders/people/{key}/answering": EVERYBODY,
    "GET /holders/leavers": {ADMIN},
    "POST /holders/leavers": {ADMIN},
    "GET /holders/people/{key}/erase": {ADMIN},
    "POST /holders/people/{key}/erase": {ADMIN},
    "POST /holders/people/{key}/answering": {ADMIN, SITE},
    "GET /components": EVERYBODY,
    "GET /standins": {ADMIN},
    "POST /standins/panel/clock": {ADMIN},
    "POST /standins/panel/faults": {ADMIN},
    "POST /standins/panel/accounts": {ADMIN},
    "POST /standins/panel/port-outs": {ADMIN},
    "POST /standins/panel/porting": {ADMIN},
    "POST /standins/panel/drift": {ADMIN},
    "POST /standins/panel/directory": {ADMIN},
    "POST /standins/panel/prices": {ADMIN},
    "POST /standins/panel/review": {ADMIN},
    "POST /standins/panel/trunks": {ADMIN},
    "GET /organisations/members": {ADMIN},
    "POST /organisations/members": {ADMIN},
    "POST /organisations/members/{sign_in}": {ADMIN},
    "POST /organisations/members/{sign_in}/end": {ADMIN},
    "POST /organisations/invitations/{key}/withdraw": {ADMIN},
    "GET /organisations": EVERYBODY,
    "POST /organisations/{key}/act": EVERYBODY,
    "GET /organisations/new": {ADMIN},
    "POST /organisations/new": {ADMIN},
    "GET /welcome/{token}": EVERYBODY,
    "POST /welcome/{token}": EVERYBODY,
    "GET /sign-in": EVERYBODY,
    "POST /sign-in": EVERYBODY,
    "POST /sign-out": EVERYBODY,
    "GET /sign-in/code": EVERYBODY,
    "POST /sign-in/code": EVERYBODY,
    "GET /sign-in/set-up": EVERYBODY,
    "POST /sign-in/set-up": EVERYBODY,
    "GET /forgotten": EVERYBODY,
    "POST /forgotten": EVERYBODY,
    "GET /reset/{token}": EVERYBODY,
    "POST /reset/{token}": EVERYBODY,
    "GET /first-run": EVERYBODY,
    "POST /first-run": EVERYBODY,
    "GET /sure": EVERYBODY,
    "POST /sure": EVERYBODY,
    "GET /account": EVERYBODY,
    "GET /sign-in/provider": EVERYBODY,
    "GET /sign-in/provider/back": EVERYBODY,
    "POST /account/passkeys/options": EVERYBODY,
    "POST /account/passkeys": EVERYBODY,
    "POST /account/passkeys/{key}/remove": EVERYBODY,
    "POST /sign-in/passkey/options": EVERYBODY,
    "POST /sign-in/passkey": EVERYBODY,
    "POST /account/password": EVERYBODY,
    "GET /account/authenticator": EVERYBODY,
    "POST /account/authenticator": EVERYBODY,
    "POST /account/authenticator/off": EVERYBODY,
    "POST /account/recovery-codes": EVERYBODY,
    "POST /account/sessions/end": EVERYBODY,
    "GET /account/tokens": EVERYBODY,
    "POST /account/tokens": EVERYBODY,
    "POST /account/tokens/{key}/revoke": EVERYBODY,
    "GET /system": {ADMIN},
    "GET /ledger/webhooks": {ADMIN},
    "POST /ledger/webhooks": {ADMIN},
    "POST /ledger/webhooks/{key}/remove": {ADMIN},
    "POST /ledger/webhooks/{key}/replay": {ADMIN},
    "POST /organisations/members/{sign_in}/second-factor-off": {ADMIN},
}
OPEN = {
    "GET /sign-in",
    "POST /sign-in",
    "POST /sign-out",
    "GET /phone/{token}",
    "POST /phone/{token}",
    "GET /confirm/{token}",
    "POST /confirm/{token}",
    "GET /welcome/{token}",
    "POST /welcome/{token}",
    "GET /sign-in/code",
    "GET /sign-in/provider",
    "GET /sign-in/provider/back",
    "POST /sign-in/passkey",
    "POST /sign-in/passkey/options",
    "POST /sign-in/code",
    "GET /sign-in/set-up",
    "POST /sign-in/set-up",
    "GET /forgotten",
    "POST /forgotten",
    "GET /reset/{token}",
    "POST /reset/{token}",
    "GET /first-run",
    "POST /first-run",
}
ROUTES = {
    f"{method} {r.path}": r
    for place in PLACES
    for r in place.routes
    if isinstance(r, APIRoute)
    for method in r.methods
}


def may_of(route):
    return next(
        d.call.may for d in route.dependant.dependencies if isinstance(d.call, Guard | ApiGuard)
    )


def test_the_matrix_has_every_route_and_no_other():
    assert set(MATRIX) == set(ROUTES)


@pytest.mark.parametrize("door", sorted(MATRIX))
def test_each_door_lets_in_the_roles_of_the_matrix(door):
    may = may_of(ROUTES[door])
    assert {role for role in AccessRole if may in ALLOWED[role]} == MATRIX[door]
    assert (may is May.OPEN) == (door in OPEN)


@pytest.mark.parametrize("member", MEMBERS, ids=lambda m: m.role.value)
def test_the_doors_really_answer_so(client, member):
    client.post("/sign-in", data={"who": member.sign_in})
    for door, roles in MATRIX.items():
        method, path = door.split(" ")
        if "{" in path or method == "POST":
            continue
        status = client.get(path).status_code
        assert (status == 403) == (member.role not in roles), (door, member.role, status)


def test_every_route_of_the_api_has_a_guard():
    routes = [r for resource in RESOURCES for r in resource.routes if isinstance(r, APIRoute)]
    assert len(routes) > 40
    assert every(isinstance(may_of(r), May) for r in routes)


def test_without_sign_in_every_page_leads_to_it(client):
    for door in MATRIX:
        method, path = door.split(" ")
        if method == "GET" and door not in OPEN:
            answer = client.get(path.replace("{position}", "1"))
            assert answer.headers.get("location", "").startswith("/sign-in"), door


def test_signing_in_with_a_password(client):
    answer = client.post(
        "/sign-in", data={"email": MEMBERS[0].email.upper(), "password": PASSWORD, "to": "/numbers"}
    )
    assert (answer.status_code, answer.headers["location"]) == (303, "/numbers")
    cookie = answer.headers["set-cookie"]
    assert COOKIE in cookie
    assert "HttpOnly" in cookie
    assert "SameSite=lax" in cookie


@pytest.mark.parametrize(
    "form",
    [
        {"email": MEMBERS[0].email, "password": "wrong"},
        {"email": "nobody@example.test", "password": PASSWORD},
        {"who": "nobody"},
        {},
    ],
)
def test_a_wrong_sign_in_says_one_and_the_same(client, form):
    answer = client.post("/sign-in", data=form)
    assert answer.status_code == 401
    assert COOKIE not in answer.headers.get("set-cookie", "")


def test_after_five_wrong_passwords_one_waits(client):
    for _ in range(5):
        client.post("/sign-in", data={"email": MEMBERS[0].email, "password": "wrong"})
    assert (
        client.post("/sign-in", data={"email": MEMBERS[0].email, "password": PASSWORD}).status_code
        == 429
    )


@pytest.mark.parametrize(
    "to", ["https://evil.example/", "//evil.example", "/\\evil.example", "javascript:alert(1)"]
)
def test_sign_in_leads_nowhere_else(client, to):
    assert client.post("/sign-in", data={"who": "rowan", "to": to}).headers["location"] == "/"


def test_signing_out_ends_the_session(client):
    client.post("/sign-in", data={"who": "rowan"})
    assert client.get("/numbers").status_code == 200
    client.post("/sign-out")
    assert client.get("/numbers").status_code == 303


@pytest.mark.parametrize(
    "headers", [{"Origin": "https://evil.example"}, {"Sec-Fetch-Site": "cross-site"}]
)
def test_writes_from_another_site_are_refused(client, headers):
    client.post("/sign-in", data={"who": "rowan"})
    assert (
        client.post("/numbers/441134960100/facts", data={"label": "x"}, headers=headers).status_code
        == 403
    )


def test_the_session_cookie_does_not_write_through_the_api_from_elsewhere(client):
    client.post("/sign-in", data={"who": "rowan"})
    assert client.post("/api/v1/work-orders", json={"tasks": []}).status_code == 401
    assert (
        client.post(
            "/api/v1/work-orders", json={"tasks": []}, headers={"Sec-Fetch-Site": "same-origin"}
        ).status_code
        == 422
    )


def test_every_answer_carries_a_strict_policy(client):
    policy = client.get("/sign-in").headers["content-security-policy"]
    assert "unsafe" not in policy
    assert "default-src 'none'" in policy


def test_site_managers_actions_are_kept_to_their_sites_at_the_door_of_work_orders(client):
    client.post("/sign-in", data={"who": "noor"})
    answer = client.post(
        "/work-orders/new/set-path", data={"number": "0113 496 0201", "path": "canal-front-desk"}
    )
    assert answer.status_code in {403, 404}, "what is elsewhere is not there for them"


def test_a_forgotten_password_is_written_about_to_who_is_there_only(client, installation):
    letters = "SELECT recipient FROM mail WHERE id LIKE 'reset-%'"
    for email in ("rowan.achterberg@lanternfield.example", "nobody@lanternfield.example"):
        answer = client.post("/forgotten", data={"email": email})
        assert (answer.status_code, "If somebody signs in" in answer.text) == (200, True)
    with installation.estates["lanternfield"].reading() as connection:
        found = connection.exec_driver_sql(letters).scalars().all()
    assert found == ["rowan.achterberg@lanternfield.example"]


def test_no_address_that_lets_in_whoever_knows_it_is_written_to_the_log():
    with_token = {key.partition(" ")[2] for key in ROUTES if "{token}" in key}
    assert {"/welcome/{token}", "/phone/{token}"} <= with_token
    for path in with_token:
        assert TOKENS.match(path.replace("{token}", "lanternfield.abc")), path
