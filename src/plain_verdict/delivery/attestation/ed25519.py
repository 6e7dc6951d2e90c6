"""Signs and checks with Ed25519 keys. Source: RFC 8032 (Ed25519), RFC 8410 (its keys in PEM).

Allowed signers are public keys in PEM, or lines as OpenSSH has them: ssh-keygen(1), ALLOWED SIGNERS.
"""

import re
from collections.abc import Iterator
from datetime import UTC, datetime
from hashlib import sha256

import msgspec
from cryptography.exceptions import InvalidSignature, UnsupportedAlgorithm
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from plain_verdict.delivery.attestation.envelope import Signature
from plain_verdict.delivery.attestation.interface import SignatureCheck, Signers, read_keys
from plain_verdict.delivery.attestation.ssh import NAMESPACE, is_in_list
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.cleaning import single_line

_PEM_KEY = re.compile(rb"-----BEGIN PUBLIC KEY-----.+?-----END PUBLIC KEY-----", re.DOTALL)
_LINE = re.compile(r'(?P<names>\S+)\s+(?:(?P<options>(?:[^\s"]|"[^"]*")+)\s+)?ssh-ed25519\s+(?P<key>\S+)')
_OPTION = re.compile(r'([\w-]+)(?:="([^"]*)")?')
_MOMENTS = {8: "%Y%m%d", 12: "%Y%m%d%H%M", 14: "%Y%m%d%H%M%S"}
_REVOCATION_LIST = b"SSHKRL\n"
"""Source: OpenSSH, PROTOCOL.krl, section 1."""
_PUBLIC_FORMAT = serialization.PublicFormat


class AllowedKey(msgspec.Struct, frozen=True):
    """A key whose signatures count; ``trouble`` is why they don't today, or not here, or ""."""

    name: str
    key: Ed25519PublicKey
    trouble: str = ""


class Ed25519Signer:
    """Signs with an Ed25519 key in PEM."""

    def __init__(self, file: str) -> None:
        """Read the key. Raises UsageError, which says nothing of what is in the file."""
        try:
            key = serialization.load_pem_private_key(read_keys(file), password=None)
        except TypeError as error:
            hint = "give one without a passphrase, or an SSH key that ssh-agent holds"
            raise UsageError("is locked by a passphrase", path=file, hint=hint) from error
        except (ValueError, UnsupportedAlgorithm):
            raise UsageError("is not a key in PEM that can be read", path=file, hint="make it again") from None
        if not isinstance(key, Ed25519PrivateKey):
            raise UsageError(
                "is not an Ed25519 key", path=file, hint="make one: openssl genpkey -algorithm ed25519"
            )
        self._key = key

    def sign(self, data: bytes) -> Signature:
        """Return the signature of 64 bytes."""
        return Signature(self._key.sign(data), key_id(self._key.public_key()))


def key_id(key: Ed25519PublicKey) -> str:
    """Return the SHA-256 of a public key's SubjectPublicKeyInfo (RFC 5280, section 4.1.2.7)."""
    return sha256(key.public_bytes(serialization.Encoding.DER, _PUBLIC_FORMAT.SubjectPublicKeyInfo)).hexdigest()


class _PemKeys:
    """Ed25519 keys, in PEM; public ones as OpenSSH has them as well."""

    def signer(self, file: str) -> Ed25519Signer:
        """Return what signs with the key in a file. Raises UsageError."""
        return Ed25519Signer(file)

    def check(self, data: bytes, signature: Signature, signers: Signers) -> SignatureCheck:
        """Return whose key made a signature, today; or why it does not count. Raises UsageError."""
        allowed = list(_allowed(signers.allowed))
        if not allowed:
            hint = "give public keys in PEM, or lines as ssh-keygen(1) has them"
            raise UsageError("holds no Ed25519 key", path=signers.allowed, hint=hint)
        checks = [_check_as(found, signers.revoked) for found in allowed if _is_by(found.key, signature, data)]
        return next((check for check in checks if check.by), checks[0] if checks else _NO_SIGNER)


_NO_SIGNER = SignatureCheck(trouble="no allowed signer made it on this")


def _is_by(key: Ed25519PublicKey, signature: Signature, data: bytes) -> bool:
    try:
        key.verify(signature.sig, data)
    except InvalidSignature:
        return False
    return True


def _check_as(found: AllowedKey, revoked: str) -> SignatureCheck:
    trouble = found.trouble
    if not trouble and revoked and _is_revoked(found.key, revoked):
        trouble = "its key is revoked"
    return SignatureCheck(trouble=trouble) if trouble else SignatureCheck(by=found.name)


PEM_KEYS = _PemKeys()


def _allowed(file: str) -> Iterator[AllowedKey]:
    data = read_keys(file)
    for key in _keys_in_pem(data):
        yield AllowedKey(f"the key {key_id(key)[:16]}…", key)
    for line in _PEM_KEY.sub(b"", data).decode("utf-8", "replace").splitlines():
        found = _LINE.match(line.strip())
        key_of_line = _ssh_key(found["key"]) if found and not line.lstrip().startswith("#") else None
        if found and key_of_line:
            name = single_line(found["names"].strip('"').partition(",")[0], 200)
            yield AllowedKey(name, key_of_line, _why_not(found["options"] or ""))


def _keys_in_pem(data: bytes) -> Iterator[Ed25519PublicKey]:
    for pem in _PEM_KEY.findall(data):
        try:
            key = serialization.load_pem_public_key(pem)
        except (ValueError, UnsupportedAlgorithm):
            continue
        if isinstance(key, Ed25519PublicKey):
            yield key


def _ssh_key(text: str) -> Ed25519PublicKey | None:
    try:
        key = serialization.load_ssh_public_key(f"ssh-ed25519 {text}".encode())
    except (ValueError, UnsupportedAlgorithm):
        return None
    return key if isinstance(key, Ed25519PublicKey) else None


def _why_not(options: str) -> str:
    """Return why the options of a line keep its key from counting now; "" where they don't."""
    given = {name.casefold(): value for name, value in _OPTION.findall(options)}
    now = datetime.now(UTC)
    if "cert-authority" in given:
        return "its key is one that certifies keys"
    if "namespaces" in given and NAMESPACE not in given["namespaces"].split(","):
        return f"its key is not allowed for “{NAMESPACE}”"
    if "valid-after" in given and _moment(given["valid-after"]) > now:
        return "its key is not valid yet"
    if "valid-before" in given and _moment(given["valid-before"]) <= now:
        return "its key has expired"
    return ""


def _moment(text: str) -> datetime:
    """Return the moment of an option: YYYYMMDD[HHMM[SS]], in local time unless a Z stands at its end."""
    plain = text.removesuffix("Z")
    try:
        moment = datetime.strptime(plain, _MOMENTS.get(len(plain), ""))  # noqa: DTZ007  its zone follows
    except ValueError as error:
        raise UsageError(
            f"has a time that is none: {text[:40]!r}", hint="write it YYYYMMDD or YYYYMMDDHHMMSSZ"
        ) from error
    return moment.replace(tzinfo=UTC) if text.endswith("Z") else moment.astimezone()


def _is_revoked(key: Ed25519PublicKey, file: str) -> bool:
    data = read_keys(file)
    if any(key_id(revoked) == key_id(key) for revoked in _keys_in_pem(data)):
        return True
    line = key.public_bytes(serialization.Encoding.OpenSSH, _PUBLIC_FORMAT.OpenSSH)
    return is_in_list(line.decode(), file) if data.startswith(_REVOCATION_LIST) else line.split()[1] in data.split()
