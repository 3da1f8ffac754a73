"""The key by which the journal is signed: made once, its private part for the server's eyes alone, its public part for everybody."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat, PublicFormat
from django.conf import settings

from config.made_once import made_once

PRIVATE, PUBLIC = "signing-key", "public-key.txt"


def folder() -> Path:
    """Where the key is kept."""
    return Path(settings.KEY_FOLDER)


@cache
def _key(path: Path) -> Ed25519PrivateKey:
    path.mkdir(parents=True, exist_ok=True, mode=0o700)
    found = Ed25519PrivateKey.from_private_bytes(made_once(path / PRIVATE, _new))
    if not (path / PUBLIC).exists():
        told = f"Public key of the journal of {settings.PLANT_NAME or 'this plant'} (Ed25519)\n{_public(found)}\n"
        (path / PUBLIC).write_text(told, encoding="utf-8")
    return found


def _new() -> bytes:
    return Ed25519PrivateKey.generate().private_bytes(Encoding.Raw, PrivateFormat.Raw, NoEncryption())


def _public(key: Ed25519PrivateKey) -> str:
    return key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw).hex()


def public_key() -> str:
    """The public key as 64 hexadecimal digits; the pair is made where there is none."""
    return _public(_key(folder()))


def sign(text: str) -> str:
    """The signature of a text, as hex."""
    return _key(folder()).sign(text.encode("utf-8")).hex()
