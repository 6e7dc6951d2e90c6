"""What a run is called and when it was."""

from datetime import datetime

from plain_verdict.model import Masked, Run
from plain_verdict.text.formatting import capital, join_list, plural

DEFAULT_TITLE = "Check results"
_MOST_SOURCES = 10  # of known secrets, which are named


def title_of(run: Run) -> str:
    """Return the title that the results give themselves."""
    names = {file.title for file in run.files if file.title}
    return names.pop() if len(names) == 1 else DEFAULT_TITLE


def span_of(run: Run) -> tuple[datetime | None, datetime | None]:
    """Return when the run began and ended, both in the zone of its beginning."""
    starts = [file.started for file in run.files if file.started]
    ends = [file.ended for file in run.files if file.ended]
    zoned = {moment.tzinfo is not None for moment in (*starts, *ends)}
    if not starts or len(zoned) > 1:
        # Times with and without a zone can't be compared; the first file's stands for the run.
        return (starts[0] if starts else None), None
    started, ended = min(starts), max(ends, default=None)
    return started, ended.astimezone(started.tzinfo) if ended and started.tzinfo else ended


def describe_masked(masked: Masked) -> str:
    """Return how many secrets were masked, and which known ones how often, as a sentence; "" for none."""
    if not masked.count:
        return ""
    verb = "was" if masked.count == 1 else "were"
    known = [f"{number:,} from {name}" for name, number in masked.known]
    sources = f": {join_list(known, _MOST_SOURCES)}" if known else ""
    return f"{capital(plural(masked.count, 'secret'))} {verb} masked, in names, texts or facts{sources}."
