"""The sections of the page, in their order.

To add one: a folder with section.html.j2, section.css and, where its content is more than a part of the report,
build.py; a row here, and one in navigation.py.
"""

from plain_verdict.report import Report
from plain_verdict.report.extension_sections import ShownSection
from plain_verdict.writers.html.sections.all_checks.build import ALL_CHECKS
from plain_verdict.writers.html.sections.by_kind.build import BY_KIND
from plain_verdict.writers.html.sections.causes.build import CAUSES
from plain_verdict.writers.html.sections.inputs.build import INPUTS
from plain_verdict.writers.html.sections.interface import PageParts, PageSection
from plain_verdict.writers.html.sections.quarantine.build import QUARANTINE
from plain_verdict.writers.html.sections.results.build import RESULTS
from plain_verdict.writers.html.sections.suite_list.build import SUITE_LIST
from plain_verdict.writers.html.sections.timeline.build import TIMELINE
from plain_verdict.writers.html.sections.verdict.build import VERDICT

__all__ = ["SECTIONS", "PageParts", "PageSection", "sections_of"]

SECTIONS: tuple[PageSection, ...] = (
    VERDICT,
    PageSection("description", lambda report, _: report.info.description or None),
    BY_KIND,
    RESULTS,
    CAUSES,
    PageSection("changes_since", lambda report, _: report.history),
    QUARANTINE,
    PageSection("api", lambda report, _: report.api),
    PageSection("load", lambda report, _: report.load),
    PageSection("load_as_reported", lambda report, _: report.reported),
    PageSection("custom_metrics", lambda report, _: report.metrics),
    PageSection("compliance", lambda report, _: report.compliance),
    PageSection("requirements", lambda report, _: report.requirements),
    ALL_CHECKS,
    SUITE_LIST,
    PageSection("variants", lambda report, _: report.variants or None),
    TIMELINE,
    PageSection("pictures", lambda report, _: report.evidence.pictures or None),
    PageSection("other_evidence", lambda report, _: report.evidence if report.evidence.has_other else None),
    INPUTS,
)


def sections_of(report: Report) -> list[PageSection]:
    """Return the sections that a page may have: those of extensions stand before the last, the inputs."""
    return [*SECTIONS[:-1], *map(_of_extension, report.info.sections), SECTIONS[-1]]


def _of_extension(shown: ShownSection) -> PageSection:
    return PageSection("extension", lambda _, __: shown)
