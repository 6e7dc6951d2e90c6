"""Shows every time of a run in the zone that the reader lives in."""

from datetime import datetime, tzinfo

from plain_verdict.model import Run
from plain_verdict.model.transform import Change, transform
from plain_verdict.runtime.errors import UsageError


def read_zone(name: str) -> tzinfo | None:
    """Return the zone of a name like ``Europe/Oslo``; None for "". Raises UsageError."""
    if not name:
        return None
    from zoneinfo import ZoneInfo, ZoneInfoNotFoundError  # for runs that name a zone

    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise UsageError(
            f"{name[:60]!r} is not a time zone",
            hint="write it like Europe/Oslo or UTC (names of the IANA database)",
        ) from error


def in_zone(run: Run, zone: tzinfo | None) -> Run:
    """Return the run with its times in the zone; those that name no zone stay as they are."""

    def moved(moment: datetime) -> datetime:
        return moment if moment.tzinfo is None else moment.astimezone(zone)

    return run if zone is None else transform(run, Change(moment=moved))
