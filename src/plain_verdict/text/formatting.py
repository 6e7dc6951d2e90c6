"""Numbers, times and lists in plain words."""

from collections.abc import Sequence
from datetime import date, datetime
from functools import lru_cache

_FEW_OF_MANY = 100
_SMALL = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def plural(number: int, noun: str, many: str = "") -> str:
    """Return the number with its noun: ``1 check``, ``12,345 checks``."""
    return f"{number:,} {noun if number == 1 else many or noun + 's'}"


def spelled(number: int, noun: str, many: str = "") -> str:
    """Return the same with small numbers spelled out: ``one file``, ``12 files``."""
    words = plural(number, noun, many)
    return f"{_SMALL[number]} {words.partition(' ')[2]}" if number < len(_SMALL) else words


def format_change(per_cent: float) -> str:
    """Return a change in per cent with its sign, a real minus, and without the unit."""
    return f"{per_cent:+.1f}".removesuffix(".0").replace("-", "\N{MINUS SIGN}")


def percentile_name(per_cent: float) -> str:
    """Return what a percentile is called: ``median``, ``p95``, ``p99.9``."""
    return "median" if per_cent == 50 else f"p{per_cent:g}"


def capital(text: str) -> str:
    """Return the text with a capital first letter and the rest as it is; ``p95`` keeps its small one."""
    return text if text[:1] == "p" and text[1:2].isdigit() else text[:1].upper() + text[1:]


def join_list(items: Sequence[str], most: int = 3) -> str:
    """Return ``a, b and c``; past ``most`` items, how many more there are."""
    shown = list(items[:most])
    if len(items) > most:
        shown.append(f"{len(items) - most:,} more")
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)


def shorten(text: str, most_chars: int) -> str:
    """Return the text cut to a length, with a sign that it was."""
    return text if len(text) <= most_chars else text[: most_chars - 1] + "…"


def format_duration(seconds: float | None) -> str:
    """Return a duration: ``3 ms``, ``4.2 s``, ``4 min 12 s``, ``1 h 14 min``; nothing for an unknown one."""
    if seconds is None:
        return ""
    if seconds < 0.9995:
        return f"{seconds * 1000:.0f} ms" if seconds >= 0.0005 else "0 ms"
    if seconds < 59.95:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60} s" if whole % 60 else f"{whole // 60} min"
    minutes = round(seconds / 60)
    return f"{minutes // 60:,} h {minutes % 60} min" if minutes % 60 else f"{minutes // 60:,} h"


def format_days(seconds: float) -> str:
    """Return a long time in days; from two days on, whole ones: ``8 days``, ``26 h``."""
    days = seconds / 86_400
    return f"{days:,.0f} days" if round(days) >= 2 else format_duration(seconds)


def format_failed_share(share: float) -> str:
    """Return the share of failed ones, 0 to 1, in per cent with the digits that count, never rounded to nothing."""
    per_cent = 100 * share
    if 0 < per_cent < 0.01:
        return "under 0.01 %"
    if per_cent >= 99.95:
        return format_per_cent(per_cent)
    return f"{per_cent:.2g} %" if per_cent < 10 else f"{per_cent:.3g} %"


def format_per_cent(number: float) -> str:
    """Return per cent with four digits that count, or more where fewer would make it all, or nothing."""
    text = next(
        text
        for digits in (4, 6, 8, 17)
        if (text := f"{number:.{digits}g}") and (float(text) not in (0, 100) or float(text) == number or digits > 8)
    )
    return f"{text} %"


def times_of(number: int) -> str:
    """Return how often something happened: ``once``, ``twice``, ``3 times``."""
    return ("never", "once", "twice")[number] if number < 3 else f"{number:,} times"


def format_metric(number: float, unit: str) -> str:
    """Return a number with its unit, with four digits that count: ``840 ms``, ``0.1235``, ``12,480 jobs``."""
    digits = f"{number:,.0f}" if abs(number) >= 1000 or number == int(number) else f"{number:.4g}"
    return f"{digits} {unit}".strip()


def format_size(number_bytes: int) -> str:
    """Return a size in decimal units (ISO/IEC 80000-13): ``812 bytes``, ``4.1 kB``, ``15 MB``."""
    if number_bytes < 1000:
        return plural(number_bytes, "byte")
    amount, unit = float(number_bytes), ""
    for unit in ("kB", "MB", "GB"):  # noqa: B007  the last one is used below
        amount /= 1000
        if amount < 999.5:
            break
    return f"{amount:.1f} {unit}" if amount < 9.95 else f"{amount:,.0f} {unit}"


def format_share(part: int, whole: int) -> str:
    """Return a percentage that is never rounded into a better one: 999 of 1,000 is 99.9 %, not 100 %."""
    if part == whole:
        return "100 %"
    tenths = part * 1000 // whole
    return f"{tenths // 10}.{tenths % 10} %" if tenths or not part else "under 0.1 %"


def count_or_share(part: int, whole: int, which: str) -> str:
    """Return ``5 of the 11 that failed``; of a hundred and more ``4.5 % of those that failed``.

    Of a few, a share in per cent would be finer than what it tells.
    """
    number = f"{part} of the {whole}" if whole < _FEW_OF_MANY else f"{format_share(part, whole)} of those"
    return f"{number} {which}"


def format_day(moment: datetime) -> str:
    """Return the day: ``Sunday 22 November 2026``."""
    return _format_day(moment.date())


@lru_cache(1_000)
def _format_day(day: date) -> str:
    return f"{day:%A} {day.day} {day:%B %Y}"  # slow, and most checks of a run are of one day


def format_date(day: date) -> str:
    """Return a date: ``30 November 2026``."""
    return f"{day.day} {day:%B %Y}"


def format_zone(moment: datetime) -> str:
    """Return the time zone as ``UTC`` or ``UTC+01:00``; nothing where the moment has none."""
    offset = moment.strftime("%z")
    if not offset:
        return ""
    return "UTC" if offset.startswith(("+0000", "-0000")) else f"UTC{offset[:3]}:{offset[3:5]}"


def format_time_of_day(moment: datetime) -> str:
    """Return the time of day with its zone: ``02:10 (UTC+01:00)``."""
    return f"{moment:%H:%M}" + (f" ({format_zone(moment)})" if format_zone(moment) else "")


def format_span(start: datetime, end: datetime | None) -> str:
    """Return when something ran: ``02:10 to 02:31 (UTC)``, with the day of its end where that is another."""
    if end is None or f"{end:%Y%m%d%H%M}" == f"{start:%Y%m%d%H%M}":
        return format_time_of_day(start)
    until = (
        format_time_of_day(end) if end.date() == start.date() else f"{format_day(end)}, {format_time_of_day(end)}"
    )
    return f"{start:%H:%M} to {until}"


def describe_reruns(cases: int, checks: int, names: Sequence[str]) -> str:
    """Return what became of cases that were brought together: ``1,190 cases became 1,188 checks: ...``."""
    fewer = cases - checks
    those = "1 was a rerun" if fewer == 1 else f"{fewer:,} were reruns"
    quoted = join_list([f"“{name}”" for name in dict.fromkeys(names)])
    return f"{plural(cases, 'case')} became {plural(checks, 'check')}: {those} ({quoted})."
