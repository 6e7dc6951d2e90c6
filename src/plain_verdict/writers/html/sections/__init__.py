"""The sections of the page, in their order.

To add one: a folder with section.html.j2, section.css and, where its content is more than a part of the report,
build.py; a row here, and one in navigation.py.
"""

from plain_verdict.writers.html.sections.all_checks.build import ALL_CHECKS
from plain_verdict.writers.html.sections.by_kind.build import BY_KIND
from plain_verdict.writers.html.sections.causes.build import CAUSES
from plain_verdict.writers.html.sections.inputs.build import INPUTS
from plain_verdict.writers.html.sections.interface import PageParts, Section
from plain_verdict.writers.html.sections.quarantine.build import QUARANTINE
from plain_verdict.writers.html.sections.results.build import RESULTS
from plain_verdict.writers.html.sections.suite_list.build import SUITE_LIST
from plain_verdict.writers.html.sections.timeline.build import TIMELINE
from plain_verdict.writers.html.sections.verdict.build import VERDICT

__all__ = ["SECTIONS", "PageParts", "Section"]

SECTIONS: tuple[Section, ...] = (
    VERDICT,
    Section("description", lambda report, _: report.info.description or None),
    BY_KIND,
    RESULTS,
    CAUSES,
    Section("changes_since", lambda report, _: report.history),
    QUARANTINE,
    Section("api", lambda report, _: report.api),
    Section("load", lambda report, _: report.load),
    Section("load_as_reported", lambda report, _: report.reported),
    Section("custom_metrics", lambda report, _: report.metrics),
    Section("compliance", lambda report, _: report.compliance),
    Section("requirements", lambda report, _: report.requirements),
    ALL_CHECKS,
    SUITE_LIST,
    Section("variants", lambda report, _: report.variants or None),
    TIMELINE,
    Section("pictures", lambda report, _: report.evidence.pictures or None),
    Section("other_evidence", lambda report, _: report.evidence if report.evidence.has_other else None),
    INPUTS,
)
