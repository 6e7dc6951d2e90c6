"""``plain-verdict mapping``: drafts a mapping for a result file of any form, or shows how one fits it."""

import argparse
import shutil
import sys
from collections.abc import Callable

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.terminal import show, show_document, show_error, show_labelled
from plain_verdict.inputs.archives import Unpacking
from plain_verdict.inputs.discovery import discover
from plain_verdict.inputs.source import Source
from plain_verdict.masking import Masker, MaskRules
from plain_verdict.model import Check, Outcome, Run
from plain_verdict.pipeline import with_load
from plain_verdict.readers import WITHOUT_MAPPINGS
from plain_verdict.readers.interface import Head
from plain_verdict.readers.jobs import jobs_of
from plain_verdict.readers.mapping.checking import check_mapping
from plain_verdict.readers.mapping.draft.certainty import FILL_IN, doubts_in_words, drafted_mapping
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.readers.mapping.shipped import shipped_formats
from plain_verdict.readers.mapping.trial import Matched, try_mapping
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.request import ReadOptions
from plain_verdict.runtime.errors import ReadError, UsageError
from plain_verdict.settings.limits import DEFAULT_LIMITS
from plain_verdict.settings.loading import read_mappings
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_duration, format_metric, join_list, plural

_DOUBTS_SHOWN, _DOUBT_CHARS = 8, 160
_FIRST_CHECKS = 3  # enough to see whether a mapping fits
_VALUES_SHOWN = 20
_NARROWEST_COLUMNS = 80  # where the terminal tells no width
_REQUESTS_SHOWN = 12


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("file", metavar="FILE", nargs="?", help="result file: JSON, JSON Lines, XML, CSV or TSV")
    parser.add_argument(
        "--list",
        dest="lists",
        action="store_true",
        help="list the formats that come as mappings; files of these need no configuration",
    )
    parser.add_argument(
        "--try",
        dest="mappings",
        metavar="MAPPING.toml",
        help="test the mappings of this file, or of a plain-verdict.toml, on FILE",
    )
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Print a draft, how mappings fit, or which come with the program."""
    if options.lists:
        return _list()
    if options.file is None:
        raise UsageError("needs a file", where="mapping", hint="run: plain-verdict mapping FILE")
    source = _source(options.file)
    try:
        return _try(source, options.mappings) if options.mappings else _draft(source)
    except ReadError as error:
        if options.debug:
            raise
        show_error(error)
        return NOTHING_READ


def _list() -> int:
    for known in shipped_formats():
        for mapping in known.mapping:
            marks = known.recognised
            recognised_by = (
                f"root element {' or '.join(f'<{root}>' for root in marks.roots)}"
                if marks.roots
                else (f"JSON Lines with the keys {join_list(list(marks.keys))}")
            )
            show(f"{mapping.name:<20}{recognised_by}")
    return DONE


def _source(path: str) -> Source:
    found = discover([path])
    if found.unread:
        trouble = found.unread[0]
        raise UsageError(trouble.what, path=trouble.path, hint=trouble.hint)
    if len(found.sources) != 1:
        raise UsageError("is not one file", path=path, hint="a mapping is drafted from one file")
    jobs = list(jobs_of(found.sources[0], Unpacking(DEFAULT_LIMITS), WITHOUT_MAPPINGS))
    if len(jobs) != 1:
        raise UsageError("is an archive of several files", path=path, hint="unpack it, and name one of the files")
    return jobs[0].read


def _draft(source: Source) -> int:
    """Print the draft on stdout, and what comes of it on stderr: so it can be sent into a file."""
    drafted = drafted_mapping(source, DEFAULT_LIMITS)
    mask = Masker(MaskRules()).text
    show_document(mask(drafted.text), end="")
    if FILL_IN in drafted.text:
        show_labelled("note", f"fill in the places marked {FILL_IN}; the rest is a guess: check it.")
    else:
        show_labelled("note", doubts_in_words(drafted))
    for doubt in drafted.doubts[:_DOUBTS_SHOWN]:
        show(f"      - {mask(single_line(doubt, _DOUBT_CHARS))}", to=sys.stderr)
    if drafted.checks:
        show_labelled("note", f"it finds {plural(len(drafted.checks), 'check')} in the file; the first are")
    for check in drafted.checks[:_FIRST_CHECKS]:
        show(f"      {mask(_outcome_line(check))}", to=sys.stderr)
    return DONE


def _try(source: Source, name: str) -> int:
    mappings = read_mappings(name, check_mapping, in_settings=True)
    fitting = [mapping for mapping in mappings if len(mappings) == 1 or _claims(mapping, source)]
    if not fitting:
        names = ", ".join(f"“{mapping.name}”" for mapping in mappings)
        raise UsageError(f"holds no mapping for {source.path}", path=name, hint=f"its mappings are {names}")
    for mapping in fitting:
        (_show_load if mapping.is_load else _show_trial)(mapping, source)
    return DONE


def _claims(mapping: ResultMapping, source: Source) -> bool:
    with source.open() as stream:
        return MappingReader(mapping).recognises(Head(stream.read(HEAD_BYTES), source))


def _show_load(mapping: ResultMapping, source: Source) -> None:
    """Show what a mapping of a load run finds: requests, metrics, and what was odd."""
    mask = Masker(MaskRules()).text
    file = MappingReader(mapping).read(source, DEFAULT_LIMITS)
    run = with_load(Run((file,)), ReadOptions())
    requests = [
        *(run.load.requests if run.load else ()),
        *(of_request for each in run.reported for of_request in each.requests),
    ]
    found = f"{plural(len(requests), 'request')} and {plural(len(run.metrics), 'metric')}"
    show(f"{source.path} with the mapping “{mapping.name}”: {found}")
    for request in requests[:_REQUESTS_SHOWN]:
        p95 = format_duration(request.percentile(95.0).value_s) or "–"
        show(f"  {mask(request.name)}: {request.count:,} sent, {request.failed:,} failed, p95 {p95}")
    if len(requests) > _REQUESTS_SHOWN:
        show(f"  and {len(requests) - _REQUESTS_SHOWN:,} more")
    for metric in run.metrics[:_REQUESTS_SHOWN]:
        show(f"  {mask(metric.name)}: {plural(metric.count, 'value')}, {format_metric(metric.mean, metric.unit)}")
    for note in file.notes:
        show("note:", "note", end=" ")
        show(f"{mask(note.what)}{f' ({note.where})' if note.where else ''}")


def _show_trial(mapping: ResultMapping, source: Source) -> None:
    trial, mask = try_mapping(mapping, source, DEFAULT_LIMITS), Masker(MaskRules()).text
    what = f"{source.path} with the mapping “{mapping.name}”"
    of = f" in {plural(trial.items, 'item')} at the outermost level" if mapping.level else ""
    show(f"{what}: {plural(len(trial.checks), 'check')}{of}")
    show("")
    for line in _rows(trial.matched, mask):
        show(line)
    show("")
    show("Outcomes")
    for (text, outcome), times in trial.outcomes.most_common(_VALUES_SHOWN):
        show(
            f"{times:>7,}  “{single_line(mask(text), 60)}” is {outcome.value}",
            outcome.value if outcome in _SHOWN_FIRST else "",
        )
    for note in trial.notes:
        show("note:", "note", end=" ")
        show(f"{note.what}{f' ({note.where})' if note.where else ''}")
    show("")
    show("The first checks")
    for check in trial.checks[:_FIRST_CHECKS]:
        show(f"       {mask(_outcome_line(check))}")


_SHOWN_FIRST = (Outcome.FAILED, Outcome.ERRORED)


def _rows(matched: tuple[Matched, ...], mask: Callable[[str], str]) -> list[str]:
    """Return a table of the places, as wide as the terminal."""
    head = ("key", "place", "found in", "first values")
    rows = [
        (
            match.key,
            single_line(match.text, 40),
            f"{match.hits:,} of {match.lookups:,}",
            ", ".join(f"“{single_line(mask(sample), 40)}”" for sample in match.samples),
        )
        for match in matched
    ]
    widths = [max(len(row[at]) for row in (head, *rows)) for at in range(3)]
    wide = max(_NARROWEST_COLUMNS, shutil.get_terminal_size().columns)
    lines = []
    for row in (head, *rows):
        cells = [cell.ljust(width) for cell, width in zip(row, widths, strict=False)]
        line = "  ".join((*cells, row[3])).rstrip()
        lines.append(line if len(line) <= wide else line[: wide - 1] + "…")
    return lines


def _outcome_line(check: Check) -> str:
    """Return a check in one line."""
    parts = [check.whole_name, check.outcome.value]
    if check.last.took_s is not None:
        parts.append(format_duration(check.last.took_s))
    if check.last.started is not None:
        parts.append(f"{check.last.started:%Y-%m-%d %H:%M:%S%z}")
    message = next((problem.message for problem in check.last.problems if problem.message), check.last.reason)
    return single_line(", ".join(parts) + (f": {message}" if message else ""), 200)
