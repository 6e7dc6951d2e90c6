"""``plain-verdict condense``: samples of a load run as one small file, to be added to those of other machines."""

import argparse
import os
from pathlib import Path

from plain_verdict.cli.common import DONE, NOTHING_READ, PARTLY_READ, add_debug
from plain_verdict.cli.options import add_engine
from plain_verdict.cli.show import show_unread
from plain_verdict.cli.terminal import Progress, show, show_labelled
from plain_verdict.delivery.local.files import check_target
from plain_verdict.inputs.completeness import Expected, check_completeness
from plain_verdict.inputs.discovery import discover
from plain_verdict.masking import Masker, MaskRules
from plain_verdict.masking.variables import secrets_of_environment
from plain_verdict.model import Run
from plain_verdict.model.transform import with_fields
from plain_verdict.readers.reading import read_all
from plain_verdict.readers.samples.options import SamplesOptions
from plain_verdict.request.checks import read_leave_out
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.executors import Engine, check_engine
from plain_verdict.settings.limits import DEFAULT_LIMITS
from plain_verdict.text.formatting import format_size, plural
from plain_verdict.text.packages import install_command


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("samples", nargs="+", metavar="SAMPLES", help="files of samples, or condensed files")
    parser.add_argument("--out", required=True, metavar="FILE", help="file to write, like NAME.load")
    parser.add_argument(
        "--leave-out", default="", metavar="PART", help="part of each file to leave out: 'first 60 s'"
    )
    parser.add_argument(
        "--metric",
        action="append",
        default=[],
        metavar="COLUMN",
        help="column with a metric of your own; repeat for more",
    )
    add_engine(parser)
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write the file and say how large it is."""
    try:
        from plain_verdict.load import condensed, state  # NumPy, for load results only
    except ImportError as error:
        hint = f"install them: {install_command('load')}"
        raise UsageError(f"load results need more libraries ({error.name})", hint=hint) from error
    target = Path(options.out).absolute()
    check_target(target, folder=False, overwrite=True)
    found = discover(options.samples)
    check_engine(options.engine or "")
    leave_out_s = read_leave_out(options.leave_out)
    with Progress("Reading") as on_progress, Engine(options.engine or "") as engine:
        wanted = SamplesOptions(engine, tuple(options.metric), leave_out_s)
        read = read_all(found.sources, DEFAULT_LIMITS, on_progress, samples=wanted)
    read = check_completeness(read, Expected())
    read = with_fields(read, unread=(*found.unread, *read.unread))
    for note in read.engine_notes:
        show_labelled("note", note)
    incomplete = _show_what_is_missing(read)
    parts = [part for file in read.files for part in file.payloads if isinstance(part, state.SamplesPayload)]
    if not parts:
        return _nothing_to_condense(read)
    merged = state.merged([part.state for part in parts])
    masker = Masker(MaskRules(known=secrets_of_environment(os.environ)))
    data = condensed.condense(merged, sum(part.bad_rows for part in parts), masker.text, incomplete)
    write_bytes(target, data)
    show(f"Wrote {target}: {plural(merged.rows, 'request')} in {format_size(len(data))}")
    return PARTLY_READ if read.unread else DONE


def _show_what_is_missing(read: Run) -> list[str]:
    """Show what was noticed while reading; return the sentences that the file must keep: something is missing."""
    notes = [note for file in read.files for note in file.notes]
    for trouble in read.unread:
        show_unread(trouble)
    for note in notes:
        if not note.quiet:
            show_labelled("note", note.sentence)
    lost = [note.sentence for note in notes if note.results_missing]
    return [*(trouble.sentence for trouble in read.unread), *lost]


def _nothing_to_condense(read: Run) -> int:
    for file in read.files:
        show_labelled("error", f"{file.path} is {file.format}, not samples of a load run")
    show_labelled("error", "no samples could be read, so no file is written")
    return NOTHING_READ
