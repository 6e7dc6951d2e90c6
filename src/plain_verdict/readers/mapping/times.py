"""Durations and moments as a mapping's files write them."""

import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, tzinfo

from plain_verdict.merging.time_zones import read_zone
from plain_verdict.settings.mappings import Moment, Unit
from plain_verdict.text.moments import LONGEST_S, read_moment
from plain_verdict.text.names import SECONDS, UNITS
from plain_verdict.text.numbers import read_number

_UNIT_NAMES = {**UNITS, "m": "min"}
_WITH_UNIT = re.compile(r"([+-]?[\d.,'\u00a0\u202f]*\d)\s*([a-zA-Zµμ]+)\s*")
_CLOCK = re.compile(r"(?:(\d{1,4}):)?([0-5]?\d):([0-5]?\d(?:[.,]\d{1,9})?)")
# Source: ISO 8601-1:2019, section 5.5.2 (duration with time-unit designators)
_ISO = re.compile(r"P(?:(\d{1,5})D)?(?:T(?:(\d{1,5})H)?(?:(\d{1,6})M)?(?:(\d{1,9}(?:[.,]\d{1,9})?)S)?)?")
_LONGEST_CHARS = 60  # no written duration is longer, and patterns take time


def read_took(text: str, unit: Unit, decimal: str = "") -> float | None:
    """Return a duration in seconds: a number of units, one with its own units, 1:02:03, 2:30, or ISO 8601.

    None for what is none, is negative or longer than thirty years.
    """
    text = text.strip()
    number = read_number(text, decimal)
    seconds = number * SECONDS[unit] if number is not None else _read_written(text, decimal)
    return seconds if seconds is not None and 0 <= seconds < LONGEST_S else None


def read_plain_numbers(texts: Sequence[str], unit: Unit) -> list[float] | None:
    """Return what ``read_took`` does for many texts that are bare numbers; None where one is anything else."""
    try:
        times = [float(text) * SECONDS[unit] for text in texts]
    except ValueError:
        return None
    return times if all(0 <= took_s < LONGEST_S for took_s in times) else None


def _seconds(days: str | None, hours: str | None, minutes: str | None, seconds: str | None) -> float:
    whole = int(days or 0) * 86400 + int(hours or 0) * 3600 + int(minutes or 0) * 60
    return whole + float((seconds or "0").replace(",", "."))


def _read_written(text: str, decimal: str) -> float | None:
    if len(text) > _LONGEST_CHARS:
        return None
    clock = _CLOCK.fullmatch(text)
    if clock:
        return _seconds(None, *clock.groups())
    iso = _ISO.fullmatch(text)  # ISO 8601-1:2019, 5.5.2: days and times; months have no fixed length
    if iso and text[-1] not in "PT":
        return _seconds(*iso.groups()[:4])
    parts = _WITH_UNIT.findall(text)
    if not parts or _WITH_UNIT.sub("", text).strip():
        return None
    total = 0.0
    for digits, word in parts:
        number, unit = read_number(digits, decimal), _UNIT_NAMES.get(word.lower())
        if number is None or unit is None:
            return None
        total += number * SECONDS[unit]
    return total


def moment_reader(wanted: Moment) -> Callable[[str], datetime | None]:
    """Return what reads a moment as a mapping says: by a pattern, as an epoch number of a unit, or as it looks.

    Raises UsageError for a zone that is none.
    """
    zone = read_zone(wanted.zone)
    unit, pattern = wanted.unit, wanted.format
    if pattern:
        return lambda text: _by_pattern(text.strip(), pattern, zone)
    if unit:
        return lambda text: _by_unit(text, unit, zone)
    return lambda text: _in_zone(read_moment(text), zone)


def _by_pattern(text: str, pattern: str, zone: tzinfo | None) -> datetime | None:
    try:
        return _in_zone(datetime.strptime(text, pattern), zone)  # noqa: DTZ007  _in_zone gives it one
    except ValueError:
        return None


def _by_unit(text: str, unit: Unit, zone: tzinfo | None) -> datetime | None:
    number = read_number(text)
    if number is None:
        return None
    try:
        return datetime.fromtimestamp(number * SECONDS[unit], zone or UTC)
    except (ValueError, OverflowError, OSError):
        return None


def _in_zone(moment: datetime | None, zone: tzinfo | None) -> datetime | None:
    """Return a moment with the zone of its mapping, where it names none itself."""
    return moment.replace(tzinfo=zone) if moment is not None and moment.tzinfo is None and zone else moment
