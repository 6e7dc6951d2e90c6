"""``plain-verdict shape``: drafts a shape for a result file of any form, or shows how one fits it."""

import argparse
import shutil
import sys
import tomllib
from collections.abc import Callable

import msgspec

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.terminal import show, show_error, show_labelled
from plain_verdict.errors import PlainVerdictError, ReadError, UsageError
from plain_verdict.inputs.discovery import discover
from plain_verdict.inputs.source import Source
from plain_verdict.masking import Masker, MaskRules
from plain_verdict.model import Check, Outcome, Run
from plain_verdict.pipeline import with_load
from plain_verdict.readers.interface import Head
from plain_verdict.readers.shape.checking import check_shape
from plain_verdict.readers.shape.draft.drafting import draft_shape
from plain_verdict.readers.shape.draft.toml import as_toml
from plain_verdict.readers.shape.reader import ShapeReader
from plain_verdict.readers.shape.trial import Matched, try_shape
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.request import ReadOptions
from plain_verdict.settings.limits import DEFAULT_LIMITS
from plain_verdict.settings.loading import read_shapes
from plain_verdict.settings.shapes import Shape, ShapeFile
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.formatting import format_duration, format_metric, plural

_FIRST_CHECKS = 3
_VALUES_SHOWN = 20
_LEAST_WIDTH = 80
_REQUESTS_SHOWN = 12


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("file", metavar="FILE", help="a result file: JSON, JSON Lines, XML, CSV or TSV")
    parser.add_argument(
        "--try",
        dest="shapes",
        metavar="SHAPE.toml",
        help="show how the shapes of this file, or of a plain-verdict.toml, fit FILE, place by place",
    )
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Print a draft, or how shapes fit."""
    source = _source(options.file)
    try:
        return _try(source, options.shapes) if options.shapes else _draft(source)
    except ReadError as error:
        if options.debug:
            raise
        show_error(error)
        return NOTHING_READ


def _source(path: str) -> Source:
    found = discover([path])
    if found.unread:
        trouble = found.unread[0]
        raise UsageError(trouble.what, path=trouble.path, hint=trouble.hint)
    if len(found.sources) != 1:
        raise UsageError("is not one file", path=path, hint="a shape is drafted from one file")
    return found.sources[0]


def _draft(source: Source) -> int:
    """Print the draft on stdout, and what comes of it on stderr: so it can be sent into a file."""
    text = as_toml(draft_shape(source, DEFAULT_LIMITS))
    mask = Masker(MaskRules()).text
    show(mask(text), end="")
    (shape,) = msgspec.convert(tomllib.loads(text), ShapeFile).shape
    if "FILL IN" in text:
        show_labelled(
            "note", "where it says FILL IN nobody but you can tell; the rest is a guess, so look it over."
        )
    else:
        show_labelled("note", "this is a guess, so look it over.")
    try:
        check_shape(shape, "shape[0]")
        trial = try_shape(shape, source, DEFAULT_LIMITS)
    except PlainVerdictError:
        return DONE  # where something must be filled in first
    if not trial.checks:
        return DONE
    show_labelled("note", f"it makes {plural(len(trial.checks), 'check')} of the file; the first are")
    for check in trial.checks[:_FIRST_CHECKS]:
        show(f"      {mask(_told(check))}", to=sys.stderr)
    return DONE


def _try(source: Source, name: str) -> int:
    shapes = read_shapes(name, check_shape, in_settings=True)
    fitting = [shape for shape in shapes if len(shapes) == 1 or _claims(shape, source)]
    if not fitting:
        names = ", ".join(f"“{shape.name}”" for shape in shapes)
        raise UsageError(f"holds no shape for {source.path}", path=name, hint=f"its shapes are {names}")
    for shape in fitting:
        (_show_load if shape.is_load else _show_trial)(shape, source)
    return DONE


def _claims(shape: Shape, source: Source) -> bool:
    with source.open() as stream:
        return ShapeReader(shape).recognises(Head(stream.read(HEAD_BYTES), source))


def _show_load(shape: Shape, source: Source) -> None:
    """Show what a shape of a load run finds: requests, metrics, and what was odd."""
    mask = Masker(MaskRules()).text
    file = ShapeReader(shape).read(source, DEFAULT_LIMITS)
    run = with_load(Run((file,)), ReadOptions())
    requests = [*(run.load.requests if run.load else ()), *(one for each in run.reported for one in each.requests)]
    found = f"{plural(len(requests), 'request')} and {plural(len(run.metrics), 'metric')}"
    show(f"{source.path} by the shape “{shape.name}”: {found}")
    for request in requests[:_REQUESTS_SHOWN]:
        p95 = format_duration(request.percentile(95.0).value_s) or "–"
        show(f"  {mask(request.name)}: {request.count:,} sent, {request.failed:,} failed, 95 % within {p95}")
    if len(requests) > _REQUESTS_SHOWN:
        show(f"  and {len(requests) - _REQUESTS_SHOWN:,} more")
    for metric in run.metrics[:_REQUESTS_SHOWN]:
        show(f"  {mask(metric.name)}: {plural(metric.count, 'value')}, {format_metric(metric.mean, metric.unit)}")
    for note in file.notes:
        show("note:", "note", end=" ")
        show(f"{mask(note.what)}{f' ({note.where})' if note.where else ''}")


def _show_trial(shape: Shape, source: Source) -> None:
    trial, mask = try_shape(shape, source, DEFAULT_LIMITS), Masker(MaskRules()).text
    what = f"{source.path} by the shape “{shape.name}”"
    of = f" in {plural(trial.items, 'item')} of the outermost level" if shape.level else ""
    show(f"{what}: {plural(len(trial.checks), 'check')}{of}")
    show("")
    for line in _rows(trial.places, mask):
        show(line)
    show("")
    show("Outcomes")
    for (text, outcome), times in trial.outcomes.most_common(_VALUES_SHOWN):
        show(
            f"{times:>7,}  “{one_line(mask(text), 60)}” is {outcome.value}",
            outcome.value if outcome in _BAD else "",
        )
    for note in trial.notes:
        show("note:", "note", end=" ")
        show(f"{note.what}{f' ({note.where})' if note.where else ''}")
    show("")
    show("The first checks")
    for check in trial.checks[:_FIRST_CHECKS]:
        show(f"       {mask(_told(check))}")


_BAD = (Outcome.FAILED, Outcome.ERRORED)


def _rows(places: tuple[Matched, ...], mask: Callable[[str], str]) -> list[str]:
    """Return a table of the places, as wide as the terminal."""
    head = ("key", "place", "found in", "first values")
    rows = [
        (
            match.key,
            one_line(match.place, 40),
            f"{match.hits:,} of {match.asked:,}",
            ", ".join(f"“{one_line(mask(sample), 40)}”" for sample in match.samples),
        )
        for match in places
    ]
    widths = [max(len(row[at]) for row in (head, *rows)) for at in range(3)]
    wide = max(_LEAST_WIDTH, shutil.get_terminal_size().columns)
    lines = []
    for row in (head, *rows):
        cells = [cell.ljust(width) for cell, width in zip(row, widths, strict=False)]
        line = "  ".join((*cells, row[3])).rstrip()
        lines.append(line if len(line) <= wide else line[: wide - 1] + "…")
    return lines


def _told(check: Check) -> str:
    """Return a check in one line."""
    parts = [check.whole_name, check.outcome.value]
    if check.last.took_s is not None:
        parts.append(format_duration(check.last.took_s))
    if check.last.started is not None:
        parts.append(f"{check.last.started:%Y-%m-%d %H:%M:%S%z}")
    said = next((problem.message for problem in check.last.problems if problem.message), check.last.reason)
    return one_line(", ".join(parts) + (f": {said}" if said else ""), 200)
