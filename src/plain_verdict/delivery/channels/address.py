"""Addresses of servers: what is in them, and what must not be."""

from collections.abc import Mapping
from urllib.parse import urlsplit

import msgspec

from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.addresses import host_and_path, refuse_password

SMTP_SCHEMES = {"smtp": 587, "smtps": 465, "smtp+plain": 25}
"""With their usual ports: STARTTLS, TLS from the start, and no encryption for a relay in one's own network."""


class Address(msgspec.Struct, frozen=True):
    """A server: scheme, host and port; 0: the scheme's own."""

    scheme: str
    host: str
    port: int = 0

    def __str__(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.scheme}://{host}{f':{self.port}' if self.port else ''}"


def read_server(text: str, schemes: Mapping[str, int], where: str) -> Address:
    """Return the server that an address like ``smtp://host:587`` means. Raises UsageError."""
    hint = f"write it like {next(iter(schemes))}://host:{next(iter(schemes.values()))}"
    refuse_password(text, where, "name environment variables that hold user and password")
    try:
        parts = urlsplit(text)
        host, port = parts.hostname, parts.port
    except ValueError as error:
        raise UsageError(
            f"is not an address of a server ({error})", path=host_and_path(text), where=where, hint=hint
        ) from error
    if parts.scheme not in schemes or not host or parts.path.strip("/") or parts.query or parts.username:
        raise UsageError("is not an address of a server", path=host_and_path(text), where=where, hint=hint)
    return Address(parts.scheme, host, port or schemes[parts.scheme])


class Login(msgspec.Struct, frozen=True):
    """Who signs in; without a user nobody does."""

    user: str = ""
    password: str = ""
