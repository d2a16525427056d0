"""The stream that tells open pages when something has changed."""

import asyncio
import time
from collections.abc import AsyncIterator

from fastapi.responses import StreamingResponse
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.services.context import Context
from sedge.services.ledger import ledger
from sedge.web.routing import Place, RequestContext

place = Place()
STREAM_SECONDS = 300.0  # then the browser asks anew, and has to be let in again
LOOK_SECONDS = 0.25
SILENCE_SECONDS = 20.0


@place.page("/events", May.LOOK)
async def events(context: RequestContext) -> StreamingResponse:
    """Server-sent events (WHATWG HTML, section 9.2): the change counter of the organisation, each
    time it moves."""
    return StreamingResponse(_moves(context), media_type="text/event-stream")


async def _moves(context: Context) -> AsyncIterator[str]:
    """Looks at a counter in memory, and at the database only when something was written. A comment
    every now and then finds out whether somebody still listens."""
    began = spoke = time.monotonic()
    writes, told = -1, -1
    yield "retry: 1000\n\n"
    while True:
        if context.writes != writes:
            writes = context.writes
            now = await run_in_threadpool(ledger.change_counter, context)
            if now != told:
                told, spoke = now, time.monotonic()
                yield f"data: {now}\n\n"
        if time.monotonic() - began >= STREAM_SECONDS:
            return
        if time.monotonic() - spoke >= SILENCE_SECONDS:
            spoke = time.monotonic()
            yield ": still here\n\n"
        await asyncio.sleep(LOOK_SECONDS)
