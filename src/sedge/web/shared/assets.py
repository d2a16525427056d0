"""Where the files of the pages are: under an address that changes with their contents, so that a
browser may keep them for good."""

import hashlib
from functools import cache
from pathlib import Path

STATIC = Path(__file__).parent.parent / "static"


@cache
def asset_version() -> str:
    """Twelve hexadecimal digits that stand for all files together."""
    digest = hashlib.sha256()
    for file in sorted(f for f in STATIC.rglob("*") if f.is_file()):
        digest.update(str(file.relative_to(STATIC)).encode())
        digest.update(file.read_bytes())
    return digest.hexdigest()[:12]


def asset_base() -> str:
    return f"/static/{asset_version()}"
