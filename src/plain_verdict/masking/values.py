"""Tells what a value is that stands where a secret may stand: a word, a piece of program, or something made."""

import re
from base64 import b64decode
from binascii import Error as NotBase64

from plain_verdict.text.patterns import pattern

_HARMLESS_VALUE = pattern(
    r"(?:none|null|nil|true|false|undefined|empty|required|missing|invalid|incorrect|wrong|expired|unknown|changed"
    r"|optional|ok|yes|no|set|unset|not|string|str|bytes|int|is|was|must|text|value|hidden|masked|redacted|omitted"
    r"|password|passwd|secret|token|key|type|field|here|example|given|received|bool|sent|valid|accepted|rejected|success"
    r"|failed|reset|updated|found|present|absent|length|and|or|the|a|an|for|to|in|of|with|at|on|from|if|as|by"
    r"|https?/\d.*|your[-_ ].*|.*[-_ ]here|change[-_]?me|!vault.*|!secret.*|@\w+@|\(null\)|\(none\)|n/a"
    r"|(?:basic|bearer|digest|token|negotiate)\s+\W.*"
    r"|\W+|[*•x.#_-]+|\.\.\.|…|\$\w+|\$?\{.*|<.*|%\w+%?|%.*|\[.*|self\..*|this\..*|[A-Za-z_][\w.]*\[.*|os\.environ.*|process\.env.*)[.!?:]?",
    re.IGNORECASE,
)


def is_harmless(value: str) -> bool:
    """Return whether what stands where a secret may stand is an ordinary word, a placeholder or already hidden."""
    return _HARMLESS_VALUE.fullmatch(value) is not None


def looks_typed(value: str) -> bool:
    """Return whether a value looks like a password and not like a word, a name in a program or a number."""
    value = value.rstrip(".,;:!?")
    if len(value) < 4 or is_harmless(value) or _CODE.fullmatch(value):
        return False
    if value.isdigit():
        return len(value) >= 6
    if not any(map(str.isalpha, value)):
        return False
    return any(char.isdigit() or char in "!#$%&*+?@^~" for char in value) or _mixes_cases(value)


def _mixes_cases(value: str) -> bool:
    """Return whether upper and lower case stand in each other's way, as in no name of a program."""
    inner = re.search(r"[a-z][A-Z]|[A-Z]{2}[a-z]|[A-Z][a-z]?[A-Z]", value) is not None
    return inner and len(value) >= 8 and not re.fullmatch(r"(?:[A-Z]?[a-z]+){1,5}", value)


# Names of a program, calls, versions, times, paths, addresses, placeholders.
_CODE = pattern(
    r"""[A-Za-z_]\w*(?:\.[A-Za-z_]\w*)+\(?.*|[A-Za-z_]+\d{0,1}\(.*|v?\d+(?:\.\d+)+\S*|\d{1,2}:\d\d.*|\d{4}-\d\d-\d\d.*"""
    r"""|[~./]?/\S*|\S+/\S+/\S*|https?:.*|\{.*|\$\{?\w+\}?|%\w+%?|<.*|\[.*|-{1,2}\w.*|[\w-]+\.(?:py|js|ts|java|go|c|h|xml|html?|json"""
    r"""|toml|ya?ml|md|txt|png|svg|css|sh)(?::\d+)?|[a-z]+(?:_[a-z]+)*_?\d?|[A-Z]+(?:_[A-Z]+)*_?\d?|[a-z]+(?:-[a-z]+)+\d?|\d+[a-z%]{1,4}"""
    r"""|utf-?\d+|sha-?\d+|md5|base64|ipv[46]|oauth2?|[A-Z][a-z]+\d?|.*\)|[*_`@]\D*|[^\w]+""",
)


_VERSION_NUMBER = pattern(r"v?\d+(?:\.\d+)+\S*|\d{4}-\d\d-\d\d\S*")
_IDENTIFIER = pattern(r"[a-z]+(?:[A-Z][a-z]+)*\d{0,2}|[a-z]+(?:[._/-][a-z]+)*\d{0,2}|[A-Z_]+\d{0,2}")
"""What programmers call things, with a small number at the end."""
_SWITCH = pattern(r"[a-z](?=[A-Z\d])|[A-Z](?=[A-Z]?[a-z\d])|\d(?=[A-Za-z])")
_HUMP = pattern(r"[A-Z][a-z]*")
_LEAST_HUMP = 2.6  # letters: those of words are longer
_CAMEL = pattern(r"[A-Za-z]?[a-z]*(?:[A-Z][a-z]+|[A-Z]+(?=[A-Z]|$)){1,8}")


def looks_made(value: str) -> bool:
    """Return whether a value looks made by a machine, not written as a word: long, with digits among letters."""
    if len(value) < 8:
        return False
    digits = sum(char.isdigit() for char in value)
    if digits == len(value):
        return len(value) >= 12  # no amount of money, date or time is as long
    if _VERSION_NUMBER.fullmatch(value) or _IDENTIFIER.fullmatch(value):
        return False
    if digits >= 2 or (len(value) >= 16 and digits >= 1):
        return True
    return value.isalnum() and _looks_random(value)


def _looks_random(value: str) -> bool:
    """Return whether letters change their case as no name of a program does."""
    if len(value) >= 10 and len(_SWITCH.findall(value)) >= 4 and not _is_camel(value):
        return True
    return len(value) >= 20 and not _CAMEL.fullmatch(value)


def _is_camel(value: str) -> bool:
    """Return whether a value is made of words, each with a capital."""
    if not _CAMEL.fullmatch(value):
        return False
    return len(value) / (len(_HUMP.findall(value)) + value[0].islower()) >= _LEAST_HUMP


def holds_credentials(value: str) -> bool:
    """Return whether a value is Base64 of ``user:password``. Source: RFC 7617, section 2."""
    try:
        text = b64decode(value + "=" * (-len(value) % 4), validate=True).decode()
    except (NotBase64, ValueError):
        return False
    return ":" in text and text.isprintable()


def is_card(value: str) -> bool:
    """Return whether digits are a card's number: an issuer's range and length, and a right check digit.

    Source: ISO/IEC 7812-1, annex B (Luhn's formula).
    """
    digits = re.sub(r"[ -]", "", value)
    if not any(re.fullmatch(rule, digits) for rule in _CARDS) or len(set(digits)) < 3:
        return False
    if digits != value and not re.fullmatch(r"\d{4}([ -])\d{4}\1\d{4}\1\d{1,7}|\d{4}([ -])\d{6}\2\d{4,5}", value):
        return False
    total = 0
    for position, digit in enumerate(reversed(digits)):
        doubled = int(digit) * (1 + position % 2)
        total += doubled - 9 if doubled > 9 else doubled
    return total % 10 == 0


_CARDS = (
    r"4\d{12}(?:\d{3}){0,2}",
    r"5[1-5]\d{14}",
    r"2(?:22[1-9]|2[3-9]\d|[3-6]\d\d|7[01]\d|720)\d{12}",
    r"3[47]\d{13}",
    r"3(?:0[0-5]|[68]\d)\d{11}",
    r"6(?:011|5\d\d|4[4-9]\d)\d{12}",
    r"35(?:2[89]|[3-8]\d)\d{12}",
)
