"""Which environment variables and which lines of a file hold secrets, and which values those are.

A variable counts where its name has a word for a secret, or its value is an address with a password. Its value
counts where it is long (eight characters or more) and unusual: not a path, an address, a day, a number or words.
"""

import fnmatch
import json
import re
from collections.abc import Iterator, Mapping
from urllib.parse import unquote

from plain_verdict.masking.known import KnownValue
from plain_verdict.masking.names import is_secret_key
from plain_verdict.masking.values import looks_made, looks_typed
from plain_verdict.text.patterns import pattern

_LEAST_VALUE_CHARS = 8  # shorter values stand in texts by chance: "true", "5432"
_LEAST_NAMED_CHARS = 4
"""Of a value in a file or a variable that the user names: shorter ones stand everywhere."""
_LEAST_LINE_CHARS = 16
"""Of a line of a value of several lines, which is looked for by itself as well."""

_SECRET_WORDS = frozenset(
    (
        *(
            "password",
            "passwd",
            "passphrase",
            "passcode",
            "pass",
            "pw",
            "pwd",
            "passwort",
            "kennwort",
            "senha",
            "clave",
        ),
        *("secret", "secrets", "token", "tokens", "jwt", "pat", "credential", "credentials", "creds"),
        *("key", "keys", "apikey", "cookie", "signature", "otp", "pin", "dsn", "sas", "webhook", "psk", "salt"),
    )
)
_NO_SECRETS = frozenset(("pwd", "oldpwd"))  # POSIX.1-2017, cd: the working folder
_PLAIN_WORD = pattern(r"[a-z]+", re.IGNORECASE)
_JOINED = pattern(r"passw(?:or)?d|passphrase|secret|token|(?:api|private|access|account)_?key", re.IGNORECASE)

_ORDINARY = pattern(
    r"(?:~|\.{1,2}|[A-Za-z]:)?[/\\](?:[\w.@+ -]{1,32}[/\\])*[\w.@+ -]{0,32}"  # a path
    r"|[a-z][a-z0-9+.-]*://[^\s@]*"  # an address without anybody's name
    r"|[\w.+-]+@[\w-]+(?:\.[\w-]+)+"  # a mail address
    r"|v?\d+(?:[.:_T/ -]\d+)*(?:[.:+-]?\w{1,5})?"  # a number, a version, a day, a time
    r"|[a-z0-9-]+(?:\.[a-z0-9-]+)*\.[a-z]{2,6}(?::\d+)?"  # a host or a file
    r"|(?:[A-Z]?[a-z]+|[A-Z]+)(?:[ ._-](?:[A-Z]?[a-z]+|[A-Z]+))*[ ._-]?\d{0,2}"  # words, with a small number
)
_URL_PASSWORD = pattern(r"[a-z][a-z0-9+.-]*://[^\s/@]*?:([^\s/]+)@", re.IGNORECASE)
_PAIR = pattern(r"([\w .-]{2,40}?)\s*=\s*(\"[^\"]*\"|'[^']*'|[^;\s]+)")
_DOTENV = pattern(r"(?:export\s+)?([A-Za-z_][\w.-]*)\s*=\s*(.*)", re.DOTALL)


def is_secret_variable(name: str) -> bool:
    """Return whether the name of a variable has a word for a secret."""
    words = {word.casefold() for word in _PLAIN_WORD.findall(name)}
    named = bool(words & _SECRET_WORDS) or _JOINED.search(name) is not None
    return named and name.casefold() not in _NO_SECRETS


def secrets_of_environment(environment: Mapping[str, str]) -> tuple[KnownValue, ...]:
    """Return the secrets that an environment holds by the rule of this module."""
    found: list[KnownValue] = []
    for name, value in environment.items():
        texts = [*_values_in(value)] if is_secret_variable(name) else []
        texts += _passwords_in(value)
        found += [KnownValue(text, name) for text in texts if _is_unusual(text)]
    return tuple(dict.fromkeys(found))


def secrets_of_variables(pattern: str, environment: Mapping[str, str]) -> tuple[KnownValue, ...]:
    """Return the values of the variables that a user names, like ``DEPLOY_*``; unusual or not."""
    named = [(name, value) for name, value in environment.items() if fnmatch.fnmatchcase(name, pattern)]
    return tuple(KnownValue(text, name) for name, value in named for text in _values_in(value) if _is_long(text))


def secrets_of_file(text: str, name: str) -> tuple[tuple[KnownValue, ...], int]:
    """Return the values in a file of secrets, JSON, ``KEY=VALUE`` or one a line, and how many are too short.

    Raises ValueError for JSON that is damaged: its values would not be looked for.
    """
    found = [(source, value) for source, value in _entries(text, name) if value]
    known = [KnownValue(part, source) for source, value in found for part in _values_in(value) if _is_long(part)]
    return tuple(dict.fromkeys(known)), sum(not _is_long(value) for _, value in found)


def _is_long(text: str) -> bool:
    return len(text) >= _LEAST_NAMED_CHARS


def _is_unusual(text: str) -> bool:
    if len(text) < _LEAST_VALUE_CHARS or _ORDINARY.fullmatch(text):
        return False
    return looks_typed(text) or looks_made(text)


def _values_in(value: str) -> Iterator[str]:
    """Yield a value, its long lines, and the texts in it where it is JSON."""
    whole = value.strip()
    yield whole
    lines = [line.strip() for line in whole.splitlines()]
    if len(lines) > 1:
        yield from (line for line in lines if len(line) >= _LEAST_LINE_CHARS and not line.startswith("-----"))
    if whole[:1] in ("{", "["):
        for key, text in _texts_in(whole):
            if is_secret_key(key) or is_secret_variable(key):
                yield from _values_in(text)


def _texts_in(text: str) -> Iterator[tuple[str, str]]:
    """Yield the texts and numbers in JSON, each with its key; nothing of what is no JSON."""
    try:
        yield from _leaves("", json.loads(text))
    except (ValueError, RecursionError):
        return


def _leaves(key: str, value: object) -> Iterator[tuple[str, str]]:
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _leaves(str(name), inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _leaves(key, inner)
    elif isinstance(value, str | int | float) and not isinstance(value, bool):
        yield key, str(value)


def _passwords_in(value: str) -> Iterator[str]:
    """Yield the passwords in an address or in a connection string."""
    for found in _URL_PASSWORD.finditer(value):
        yield from dict.fromkeys((found[1], unquote(found[1])))
    if ";" in value:
        yield from (found[2].strip("\"'") for found in _PAIR.finditer(value) if is_secret_key(found[1].strip()))


def _entries(text: str, name: str) -> Iterator[tuple[str, str]]:
    """Yield each entry of a file of secrets: what it is called, and its value. Raises ValueError."""
    if text.lstrip()[:1] in ("{", "["):
        yield from ((key or name, value) for key, value in _leaves("", json.loads(text)))
        return
    for line in text.splitlines():
        entry = line.strip()
        pair = _DOTENV.fullmatch(entry)
        if pair:
            value = pair[2].strip()
            quoted = len(value) > 1 and value[0] == value[-1] and value[0] in "\"'"
            yield pair[1], value[1:-1] if quoted else value.partition(" #")[0].strip()
        elif entry and not entry.startswith("#"):
            yield name, entry
