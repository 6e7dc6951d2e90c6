"""Columns of samples as a mapping names them."""

from collections.abc import Sequence

from plain_verdict.readers.mapping.outcomes import as_key
from plain_verdict.readers.samples.columns import BAD, GOOD, Columns, Role, time_unit, took_unit, with_unit
from plain_verdict.readers.samples.units import Unit
from plain_verdict.settings.mappings import Moment, ResultMapping, SamplesMapping, Scalar, Took
from plain_verdict.text.names import SECONDS


def columns_by(mapping: ResultMapping, names: Sequence[str], rows: Sequence[Sequence[str]]) -> Columns:
    """Return the columns that a mapping names. Raises ValueError for one that is not there."""
    form = mapping.samples
    assert form is not None  # noqa: S101  whoever calls has looked
    by_role = _positions(form, names)
    started, took = by_role[Role.STARTED], by_role[Role.TOOK]
    moment = form.time if isinstance(form.time, Moment) else None
    time_us, unit_note = _time_by(moment, names[started], _cells(rows, started))
    unit = _duration_unit(form, names[took], _cells(rows, took))
    columns = Columns(
        names=tuple(names),
        positions=by_role,
        time_us=time_us,
        took_us=unit.microseconds,
        # A comma in a cell can only be a decimal one: no tool groups the digits of a duration.
        decimal=mapping.decimal or ("," if any("," in text for text in _cells(rows, took)) else "."),
        unit_notes=(unit_note, unit.note),
        moment=moment if not time_us else None,
        good=_words(form.success.passed) or GOOD,
        bad=_words(form.success.failed) or BAD,
        metrics=tuple(
            (name, column_named(metric, names), form.units.get(name, "")) for name, metric in form.metrics.items()
        ),
    )
    return columns if unit.is_proven else with_unit(columns, rows)


def _positions(form: SamplesMapping, names: Sequence[str]) -> dict[Role, int]:
    """Return where the column of each role stands. Raises ValueError for one that is not there."""
    given = {
        Role.STARTED: form.time.from_ if isinstance(form.time, Moment) else form.time,
        Role.TOOK: form.duration.from_ if isinstance(form.duration, Took) else form.duration,
        Role.LABEL: form.request,
        Role.METHOD: form.method,
        Role.STATUS: form.status,
        Role.SUCCESS: form.success.from_,
        Role.BYTES: form.bytes,
        Role.MESSAGE: form.message,
        Role.USERS: form.users,
    }
    return {role: column_named(name, names) for role, name in given.items() if name != ""}


def _cells(rows: Sequence[Sequence[str]], position: int) -> list[str]:
    return [cell for row in rows if (cell := row[position].strip())]


def _duration_unit(form: SamplesMapping, name: str, cells: Sequence[str]) -> Unit:
    if isinstance(form.duration, Took):
        return Unit(SECONDS[form.duration.unit] * 1e6, f"“{name}” in {form.duration.unit}")
    return took_unit(name, cells)


def _time_by(moment: Moment | None, name: str, texts: Sequence[str]) -> tuple[float, str]:
    """Return how many microseconds a unit of the times is, 0 for moments as text; and how that was told."""
    if moment and (moment.format or moment.zone):
        return 0.0, f"“{name}” as the mapping says"
    if moment and moment.unit:
        return SECONDS[moment.unit] * 1e6, f"“{name}” in {moment.unit} since 1970"
    return time_unit(name, texts)


def _words(meaning: Scalar | tuple[Scalar, ...]) -> frozenset[str]:
    return frozenset(as_key(word).casefold() for word in (meaning if isinstance(meaning, tuple) else (meaning,)))


def column_named(name: object, names: Sequence[str]) -> int:
    """Return where a column stands that is named by its header or its number from 1. Raises ValueError."""
    if not isinstance(name, str | int):
        raise ValueError("has one column for each thing, and the mapping names more for one of them")
    if isinstance(name, int):
        if 1 <= name <= len(names):
            return name - 1
        raise ValueError(f"has no column {name}; it has {len(names)}")
    matches = [at for at, other in enumerate(names) if other.strip().casefold() == name.strip().casefold()]
    if not matches:
        shown = ", ".join(other for other in names[:20] if other)
        raise ValueError(f"has no column “{name}” among {shown}")
    return matches[0]
