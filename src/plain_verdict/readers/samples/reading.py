"""The way through one file of samples: how it begins, its blocks, its state, and what was odd about it."""

from collections.abc import Iterator
from datetime import UTC, datetime

from plain_verdict.inputs.source import Source
from plain_verdict.load.state import LoadState, samples_of
from plain_verdict.model import Kind, ReadingNote, ResultFile
from plain_verdict.readers.samples.columns import Columns, Role
from plain_verdict.readers.samples.counting import BadRows, Counted, count
from plain_verdict.readers.samples.opening import Opened, open_samples
from plain_verdict.readers.samples.options import SamplesOptions
from plain_verdict.readers.samples.ranges import count_in_ranges
from plain_verdict.readers.samples.units import unit_by
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.work import ON_CLUSTER, EngineError
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.formatting import format_duration, join_list, plural

_SHOWN = 10


def read_samples(source: Source, options: SamplesOptions, mapping: ResultMapping | None = None) -> ResultFile:
    """Return the state of a file of samples. Raises ReadError for one without the columns that are needed."""
    opened = open_samples(source, mapping, options.metrics)
    counted = _counted(source, opened, options, 0.0)
    columns, is_proven = opened.parser.columns, True
    if columns.took_is_guessed:
        name = columns.names[columns.positions[Role.TOOK]]
        unit = unit_by(counted.state, columns.took_us, name)
        is_proven = unit.is_proven
        opened = opened.with_unit(unit)
        if unit.microseconds != columns.took_us:
            counted = _counted(source, opened, options, 0.0)
    if options.leave_out_s and counted.state.first_us is not None:
        # Rows may be in any order: only now is known which are the first.
        counted = _counted(source, opened, options, counted.state.first_us + options.leave_out_s * 1e6)
    state, bad = counted
    notes = [*_notes(source.path, opened.parser.columns, state, bad, source.damage(), options.leave_out_s)]
    if not is_proven:
        what = f"gives no unit for “{name}”: seconds and milliseconds are both possible"
        where = f"rename the column, like “{name}_ms”, or set the unit in a mapping"
        notes.append(ReadingNote(source.path, what, where, results_missing=True))
    return ResultFile(
        payloads=(samples_of(Kind.LOAD, state, bad.number),),
        notes=tuple(notes),
        started=moment_of(state.first_us),
        ended=moment_of(state.last_us),
    )


def _counted(source: Source, opened: Opened, options: SamplesOptions, from_us: float) -> Counted:
    try:
        # What is sent from elsewhere, or unpacked, only this process has.
        if options.engine.name and source.hash_remotely:
            counted = count_in_ranges(source, opened, options.engine, from_us, source.on_rows)
            if counted:
                return counted
        with source.open() as stream:
            return count(opened.parser, opened.parts(stream), options.engine, from_us, source.on_rows)
    except EngineError as error:
        raise ReadError(f"can't be counted on the cluster: {error}", path=source.path, hint=ON_CLUSTER) from error


def _notes(
    path: str, columns: Columns, state: LoadState, bad: BadRows, damage: str, leave_out_s: float
) -> Iterator[ReadingNote]:
    used = [f"“{columns.names[at]}” as {role.value}" for role, at in columns.positions.items()]
    used += [f"“{columns.names[at]}” as the metric {name}" for name, at, _ in columns.metrics]
    what = f"has the columns {join_list(used, most=20)}; {join_list(columns.unit_notes)}"
    yield ReadingNote(path, what, quiet=True)
    if state.left_out:
        much = f"the first {format_duration(leave_out_s)}, {plural(state.left_out, 'request')}"
        yield ReadingNote(path, f"is counted without {much}: the settings leave it out", quiet=True)
    if bad.number:
        rows = plural(bad.number, "row")
        first = sorted(bad.first)[:_SHOWN]
        lines = join_list([f"line {row.line:,} {row.why}" for row in first], most=_SHOWN)
        more = f", and {bad.number - _SHOWN:,} more" if bad.number > _SHOWN else ""
        what = f"has {rows} that {'is' if bad.number == 1 else 'are'} not a sample: {lines}{more}"
        yield ReadingNote(path, what, results_missing=bad.number > bad.headers)
    if damage:
        what = f"can't be unpacked to its end, as {damage}; the {plural(state.rows, 'whole row')} before it count"
        yield ReadingNote(path, what, results_missing=True)
    if not state.rows:
        yield ReadingNote(path, "holds no samples", results_missing=True)


def moment_of(microseconds: int | None) -> datetime | None:
    """Return the moment of microseconds since 1970; None for None."""
    return None if microseconds is None else datetime.fromtimestamp(microseconds / 1e6, UTC)
