"""The digest of a run as JSON: small, and read back as an earlier run. Described in docs/history.md."""

from collections.abc import Iterator

import msgspec

from plain_verdict.history.digest import encode_digest
from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile


class DigestWriter(msgspec.Struct, frozen=True):
    """Writes the run and its forerunners in numbers."""

    name = "digest"
    suffix = ".json"
    about = "the run in numbers as JSON, for the reports of later runs"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the digest."""
        yield OutputFile("digest.json", encode_digest(report.digest()))
