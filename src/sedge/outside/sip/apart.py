"""Running what speaks SIP to its end, from code that waits for it: on a thread of its own, so that
it does not matter whether a loop runs where it is asked."""

import asyncio
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

T = TypeVar("T")


def run_apart(make: Callable[[], Coroutine[Any, Any, T]]) -> T:
    """What the coroutine gives or raises."""
    with ThreadPoolExecutor(1, thread_name_prefix="sip") as one:
        return one.submit(lambda: asyncio.run(make())).result()
