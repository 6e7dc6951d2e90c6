"""Brings together what belongs together, and tells apart what only has the same name.

A pass must never hide a failure: two results become attempts at one check only where a format numbers them, or
where the user calls one of them a retry. Everything else stays side by side, and each counts.
"""

from collections.abc import Sequence

from plain_verdict.merging.attempts import with_numbered_attempts, with_retries
from plain_verdict.merging.distinct import with_distinct_ids
from plain_verdict.merging.twins import with_twins_noted
from plain_verdict.merging.variants import check_template, with_variants
from plain_verdict.model import ResultFile

__all__ = ["check_template", "merge"]


def merge(
    files: tuple[ResultFile, ...], variant_facts: Sequence[str], variants_from: str = ""
) -> tuple[ResultFile, ...]:
    """Return the files with every check in the one of its last attempt, under an id of its own."""
    files = with_variants(files, variant_facts, variants_from)
    files = with_retries(with_numbered_attempts(files))
    return with_distinct_ids(with_twins_noted(files))
