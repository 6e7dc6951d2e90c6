"""Tells whether what stands where a pattern has a secret is one."""

import re
from collections.abc import Callable

from plain_verdict.masking.names import TYPED
from plain_verdict.masking.pattern import SecretPattern, Test
from plain_verdict.masking.values import holds_credentials, is_card, looks_made, looks_typed
from plain_verdict.text.patterns import pattern

_WORKING_FOLDER = pattern(r"(?<![A-Za-z_])(?:OLD)?PWD(?![A-Za-z_])", re.IGNORECASE)


def is_secret(pattern: SecretPattern, match: re.Match[str]) -> bool:
    """Return whether what has a secret's pattern is one; PWD is the working folder where it holds a path."""
    if _WORKING_FOLDER.search(match[0]) and match["secret"].startswith(("/", "~", "\\", "C:")):
        return False
    test = _TESTS.get(pattern.test)
    return test is None or test(match)


def _fits_name(match: re.Match[str]) -> bool:
    return looks_typed(match["secret"]) if _is_typed(match["key"]) else looks_made(match["secret"])


def _is_quoted(match: re.Match[str]) -> bool:
    by_name = _is_typed(match["key"]) or "secret" in match["key"].lower()
    return " " not in match["secret"] if by_name else looks_made(match["secret"])


def _is_option_value(match: re.Match[str]) -> bool:
    """Return whether a word after an option is its value: "the --password option" is a sentence."""
    secret = match["secret"]
    return match["sign"] == "=" or not (secret.isalpha() and secret.islower())


def _is_typed(key: str | None) -> bool:
    """Return whether a person types what has this name; a machine makes the rest."""
    return key is None or _TYPED.fullmatch(key) is not None


_TYPED = pattern(rf"(?:{TYPED.replace('(?<=[a-z])', '').replace('(?<=[_.-])', '')})", re.IGNORECASE)


def _is_assigned(match: re.Match[str]) -> bool:
    return "=" in match["sign"] and len(match["secret"]) >= 8 and looks_typed(match["secret"])


def _is_value(match: re.Match[str]) -> bool:
    """Return whether what follows a password's name is its value, and not a sentence or a piece of program."""
    sign, secret, after = match["sign"], match["secret"], match["after"] or ""
    if after in ("(", "[") or not any(map(str.isalnum, secret)):
        return False
    if ":" in sign or "：" in sign:  # "password: must have eight characters"
        if after or (sign == ":" and not secret[0].isalnum()):
            return looks_typed(secret)
        return not (secret.isalpha() and len(secret) < 4)
    if re.fullmatch(r"[a-z_]+(?:\.[a-z_]+)+", secret):
        return False  # client_secret=settings.client_secret
    return sign == "=" or re.fullmatch(r"[A-Za-z_][A-Za-z_.]*", secret) is None  # password = raw_value


_TESTS: dict[Test, Callable[[re.Match[str]], bool]] = {
    Test.TYPED: lambda match: looks_typed(match["secret"]),
    Test.MADE: lambda match: looks_made(match["secret"]),
    Test.WORD: lambda match: looks_typed(match["secret"]) or looks_made(match["secret"]),
    Test.ASSIGNED: lambda match: looks_made(match["secret"]) or _is_assigned(match),
    Test.BY_NAME: _fits_name,
    Test.QUOTED: _is_quoted,
    Test.PAIR: _is_value,
    Test.OPTION: _is_option_value,
    Test.CARD: lambda match: is_card(match["secret"]),
    Test.BASIC: lambda match: holds_credentials(match["secret"]),
}
