"""The digest of a run as JSON: small, and read back as an earlier run. Described in docs/history.md."""

from collections.abc import Iterator

import msgspec

from plain_verdict.history.digest import Digest, encode_digest, make_digest
from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile


def digest_of(report: Report, *, in_columns: bool = False) -> Digest:
    """Return the digest with the chain of forerunners; ``in_columns``: the page holds the checks already."""
    return make_digest(report.kept, report.forerunners, in_columns=in_columns)


class DigestWriter(msgspec.Struct, frozen=True):
    """Writes the run and its forerunners in numbers."""

    name = "digest"
    suffix = ".json"
    about = "the run in numbers as JSON, for the reports of later runs"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the digest."""
        yield OutputFile("digest.json", encode_digest(digest_of(report)))
