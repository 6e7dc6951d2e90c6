"""The pipeline in its steps: arguments, files, run."""

from collections.abc import Sequence

import msgspec

from plain_verdict.arrivals import Expected, weigh_arrivals
from plain_verdict.merging import merge
from plain_verdict.model import Run
from plain_verdict.readers import Reading, read_all
from plain_verdict.readers.gather import gather
from plain_verdict.readers.watched import Watch
from plain_verdict.settings import DEFAULT_LIMITS, VARIANT_FACTS, Limits


def make_run(
    arguments: Sequence[str], expected: Expected, watch: Watch = lambda *_: None, limits: Limits = DEFAULT_LIMITS
) -> Run:
    """Return the run that the files, folders and patterns in ``arguments`` make up."""
    gathered = gather(arguments, expected.retries)
    reading = read_all(gathered.sources, limits, watch)
    reading = msgspec.structs.replace(reading, unread=gathered.unread + reading.unread)
    return assemble(weigh_arrivals(reading, expected), expected.variants, expected.variants_from)


def assemble(reading: Reading, variant_facts: Sequence[str] = VARIANT_FACTS, variants_from: str = "") -> Run:
    """Return the run of what was read, every check with its attempts and variant, and an id of its own."""
    files = merge(reading.files, variant_facts, variants_from)
    checks = tuple(check for file in files for check in file.checks)
    return Run(files, checks, reading.unread, reading.left_alone)
