"""A file sealed to a passphrase: scrypt (RFC 7914) makes the key, AES-256-GCM seals it piece by
piece, so that neither a changed, a missing nor a moved piece goes unseen, and any size fits into
little memory.

Layout: one line of JSON with the scrypt parameters; then pieces, each of 4 bytes length and
the sealed bytes. A piece's nonce is its number; the last one is marked in its authenticated data.
"""

import json
import os
import struct
from base64 import b64decode, b64encode
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from sedge.core.errors import CannotStart

MARK = b"sedge sealed 1 "
PIECE = 1 << 20
COST, BLOCK, PARALLEL = 2**15, 8, 1  # OWASP's parameters for scrypt; 32 MB of memory
MOST_COST = 2**20
LAST, NOT_LAST = b"last", b"more"


def seal(file: Path, to: Path, passphrase: str) -> None:
    """Write `file` sealed into `to`, for the owner's eyes only."""
    salt = os.urandom(16)
    head = {"n": COST, "r": BLOCK, "p": PARALLEL, "salt": b64encode(salt).decode()}
    cipher = AESGCM(_key(passphrase, salt, COST, BLOCK, PARALLEL))
    with file.open("rb") as plain, _private(to) as out:
        out.write(MARK + json.dumps(head).encode() + b"\n")
        piece, number = plain.read(PIECE), 0
        while True:
            following = plain.read(PIECE)
            mark = NOT_LAST if following else LAST
            sealed = cipher.encrypt(_nonce(number), piece, mark)
            out.write(struct.pack(">I", len(sealed)) + sealed)
            if not following:
                return
            piece, number = following, number + 1


def unseal(file: Path, to: Path, passphrase: str) -> None:
    """The other way. Raises CannotStart for another passphrase or a file that was changed or cut
    short."""
    with file.open("rb") as sealed, _private(to) as out:
        cipher = _cipher(sealed, file, passphrase)
        for number, (piece, is_last) in enumerate(_pieces(sealed)):
            try:
                plain = cipher.decrypt(_nonce(number), piece, LAST if is_last else NOT_LAST)
            except InvalidTag as error:
                raise CannotStart(
                    f"{file} can't be opened: the passphrase is another, or the file was changed or"
                    " cut short."
                ) from error
            out.write(plain)


def is_sealed(file: Path) -> bool:
    with file.open("rb") as opened:
        return opened.read(len(MARK)) == MARK


def _cipher(sealed: IO[bytes], file: Path, passphrase: str) -> AESGCM:
    try:
        head = json.loads(sealed.readline(4096).removeprefix(MARK))
        cost, block, parallel = int(head["n"]), int(head["r"]), int(head["p"])
        salt = b64decode(head["salt"])
    except (ValueError, KeyError, TypeError) as error:
        raise CannotStart(f"{file} is no sealed backup of Sedge.") from error
    if not (cost <= MOST_COST and block <= 16 and parallel <= 16):
        raise CannotStart(f"{file} asks for more work than any backup of Sedge does.")
    return AESGCM(_key(passphrase, salt, cost, block, parallel))


def _pieces(sealed: IO[bytes]) -> Iterator[tuple[bytes, bool]]:
    """Each piece, and whether it is the last."""
    length = sealed.read(4)
    while length:
        size = struct.unpack(">I", length)[0] if len(length) == 4 else 0
        piece = sealed.read(min(size, PIECE + 64))
        length = sealed.read(4)
        yield piece, not length


def _key(passphrase: str, salt: bytes, cost: int, block: int, parallel: int) -> bytes:
    return Scrypt(salt=salt, length=32, n=cost, r=block, p=parallel).derive(passphrase.encode())


def _nonce(number: int) -> bytes:
    return number.to_bytes(12, "big")


def _private(to: Path) -> IO[bytes]:
    return os.fdopen(os.open(to, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb")
