"""Addresses that users write: what may be shown of them."""

import re

from plain_verdict.errors import UsageError

# A password after a colon; and before the host of a web address anything, as tokens stand there alone.
_PASSWORD = re.compile(
    r"(?<=://)[^/?#@\s]*:[^/?#\s]*(?=@)|(?<=http://)[^/?#@\s]+(?=@)|(?<=https://)[^/?#@\s]+(?=@)"
)


def without_password(text: str) -> str:
    """Return an address, or words with addresses in them, as it may be shown."""
    return _PASSWORD.sub("***", text)


def refuse_password(text: str, where: str = "", hint: str = "") -> None:
    """Make sure that an address holds no password: it would stand in logs and histories. Raises UsageError."""
    if _PASSWORD.search(text):
        raise UsageError("has a password or a token in it", path=without_password(text), where=where, hint=hint)
