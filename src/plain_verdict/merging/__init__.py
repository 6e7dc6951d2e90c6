"""Brings together what belongs together, and distinguishes what only has the same name.

A pass must never hide a failure: two results become attempts at one check only where a format numbers them, or
where the user calls one of them a retry. Everything else stays side by side, and each counts.
"""

import msgspec

from plain_verdict.merging.attempts import with_numbered_attempts, with_retries
from plain_verdict.merging.decisions import with_decisions
from plain_verdict.merging.distinct import with_distinct_ids
from plain_verdict.merging.duplicates import with_duplicates_noted
from plain_verdict.merging.oval_definitions import with_definitions_joined
from plain_verdict.merging.variants import check_template, with_variants
from plain_verdict.model import Run
from plain_verdict.model.facts import VARIANT_FACTS
from plain_verdict.model.transform import with_fields

__all__ = ["VariantOptions", "check_template", "merge"]


class VariantOptions(msgspec.Struct, frozen=True):
    """What makes variants of a check: facts of a result file, and a template that finds facts in its path."""

    facts: tuple[str, ...] = VARIANT_FACTS
    template: str = ""


def merge(run: Run, variants: VariantOptions) -> Run:
    """Return the run with all checks in the file of its last attempt, with its variant, under its own id."""
    files = with_variants(with_definitions_joined(run.files), variants.facts, variants.template)
    files = with_retries(with_numbered_attempts(files))
    return with_decisions(with_fields(run, files=with_distinct_ids(with_duplicates_noted(files))))
