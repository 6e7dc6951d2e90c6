"""Takes the names of columns and keys apart: their words, and the unit of time that stands in them."""

from plain_verdict.text.patterns import pattern

SECONDS: dict[str, float] = {"ns": 1e-9, "us": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}
"""How many seconds a unit of time has."""
_UNIT_SPELLINGS = {
    "ns": "ns nano nanos nanosecond nanoseconds",
    "us": "us µs μs micro micros microsecond microseconds",
    "ms": "ms msec msecs milli millis millisecond milliseconds",
    "s": "s sec secs second seconds sek sekunden sekunder secondes segundos secondi",
    "min": "min mins minute minutes minuten minutter",
    "h": "h hr hrs hour hours stunden timer",
    "d": "d day days",
}
UNITS = {word: unit for unit, words in _UNIT_SPELLINGS.items() for word in words.split()}
"""The unit of time that a word means."""
_SPLIT = pattern(r"[^\w]+|_|(?<=[a-z0-9æøåäöü])(?=[A-Z])")


def split_identifier(name: str) -> list[str]:
    """Return the words that a name is made of, in small letters."""
    return [word.casefold() for word in _SPLIT.split(name) if word]


def unit_in(name: str) -> str | None:
    """Return the unit of time that the last word for one in a name means."""
    return next((UNITS[word] for word in reversed(split_identifier(name)) if word in UNITS), None)
