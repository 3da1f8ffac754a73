"""Encryption of backups with a passphrase: blocks of AES-256-GCM, the key by scrypt, so that neither length nor order of the blocks can be changed.

Sources: NIST SP 800-38D (GCM), RFC 7914 (scrypt). Layout: "VLBACKUP", salt, then blocks of a nonce's worth each, the last one marked in what is
authenticated.
"""

from __future__ import annotations

import os
import struct
from typing import BinaryIO

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from metrology.faults import Fault

MAGIC, SALT, BLOCK, TAG = b"VLBACKUP", 16, 1 << 20, 16
N, R, P = 2**15, 8, 1


def _cipher(passphrase: str, salt: bytes) -> AESGCM:
    return AESGCM(Scrypt(salt=salt, length=32, n=N, r=R, p=P).derive(passphrase.encode()))


def encrypt(source: BinaryIO, target: BinaryIO, passphrase: str) -> None:
    """Write a file encrypted."""
    salt = os.urandom(SALT)
    cipher, n = _cipher(passphrase, salt), 0
    target.write(MAGIC + salt)
    block = source.read(BLOCK)
    while True:
        following = source.read(BLOCK)
        last = b"" if following else b"last"
        target.write(cipher.encrypt(struct.pack(">IQ", 0, n), block, last))
        if not following:
            return
        block, n = following, n + 1


def decrypt(source: BinaryIO, target: BinaryIO, passphrase: str) -> None:
    """Write a file as it was; raises a Fault where the passphrase is another one, or the file was changed or cut."""
    if source.read(len(MAGIC)) != MAGIC:
        raise Fault("not_sealed", "This is no encrypted backup.")
    cipher, n = _cipher(passphrase, source.read(SALT)), 0
    block = source.read(BLOCK + TAG)
    while True:
        following = source.read(BLOCK + TAG)
        try:
            target.write(cipher.decrypt(struct.pack(">IQ", 0, n), block, b"" if following else b"last"))
        except InvalidTag:
            raise Fault(
                "wrong_key", "The passphrase is another one, or the backup was changed or cut short. Nothing of it was put in place."
            ) from None
        if not following:
            return
        block, n = following, n + 1


def is_sealed(head: bytes) -> bool:
    """Whether a file begins as an encrypted one."""
    return head.startswith(MAGIC)
