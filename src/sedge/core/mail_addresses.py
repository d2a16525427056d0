"""Mail addresses as people type them: one name and one host, and nothing that a header could be
broken with (RFC 5321 §4.5.3.1 for the lengths)."""

import re

ADDRESS = re.compile(r"[^@\s<>\"]{1,64}@[^@\s<>\"]{1,190}")


def is_mail_address(text: str) -> bool:
    return ADDRESS.fullmatch(text) is not None
