"""What signs and what checks signatures: the contract of all kinds of keys."""

from pathlib import Path
from typing import Protocol

import msgspec

from plain_verdict.delivery.attestation.envelope import Signature
from plain_verdict.runtime.errors import UsageError

_MOST_KEY_BYTES = 1_000_000


class Signer(Protocol):
    """Signs bytes with a key."""

    def sign(self, data: bytes) -> Signature:
        """Return the signature. Raises DeliveryError."""
        ...


class Signers(msgspec.Struct, frozen=True):
    """Whose signatures count: a file of allowed signers, and one of keys that are revoked, or ""."""

    allowed: str
    revoked: str = ""


class SignatureCheck(msgspec.Struct, frozen=True):
    """What became of checking a signature: ``by`` is who made it; ``trouble`` is why it does not count, or ""."""

    by: str = ""
    trouble: str = ""


class KindOfKey(Protocol):
    """Keys of one kind: how they sign, and how their signatures are checked."""

    def signer(self, file: str) -> Signer:
        """Return what signs with the key in a file. Raises UsageError, which says nothing of what is in it."""
        ...

    def check(self, data: bytes, signature: Signature, signers: Signers) -> SignatureCheck:
        """Return who signed the bytes, or why the signature does not count. Raises UsageError for files of keys."""
        ...


def read_keys(file: str) -> bytes:
    """Return what a file of keys holds. Raises UsageError."""
    try:
        if Path(file).stat().st_size > _MOST_KEY_BYTES:
            raise UsageError("is too large for a file of keys", path=file)
        return Path(file).read_bytes()
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=file, hint="check the path") from error
