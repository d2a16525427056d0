"""The keys of a menu: each of 0 to 9, * and # at most once (ITU-T E.161), whoever says them."""

import re
from collections.abc import Iterable

from sedge.core.errors import NotUnderstood

KEY = re.compile(r"[0-9*#]")


def menu_keys(said: Iterable[tuple[str, str, str]]) -> dict[str, str]:
    """Keys with the words they stand for, from (key, word, the field it was typed in).

    Raises NotUnderstood, naming the field, for what is no key of a telephone or used twice.
    """
    keys: dict[str, str] = {}
    for key, word, field in said:
        if not KEY.fullmatch(key):
            raise NotUnderstood("A key is one of 0 to 9, * and #.", field=field)
        if key in keys:
            message = f"Key {key} is used twice. Give one of them another key."
            raise NotUnderstood(message, field=field)
        keys[key] = word
    return keys
