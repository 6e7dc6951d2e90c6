"""The verdict: its word and sentence, and what a reader should know besides, each leading to its place."""

from plain_verdict.model import Remark, Topic, Value, Verdict
from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, PageSection

_IN_VIEW = 5  # remarks on the first screen: the gravest

_SECTIONS = {Topic.INPUTS: "reading", Topic.CONDITIONS: "tally", Topic.CHANGES: "since", Topic.RISKS: "compliance"}
_VIEWS = {Topic.SKIPPED: "show=skipped", Topic.UNDECIDED: "show=undecided"}
"""Of the list of checks, where the page has it."""


class VerdictContent(Value, frozen=True):
    """What the section shows: remarks with the address of what each is about, the gravest in view."""

    verdict: Verdict
    remarks: list[tuple[Remark, str]]
    more: list[tuple[Remark, str]]


def _select(report: Report, page: PageParts) -> VerdictContent:
    # The results stand below, in numbers.
    remarks = [remark for remark in report.verdict.remarks if remark.topic is not Topic.COUNTS]
    rows = [(remark, _target_of(remark.topic, report, page)) for remark in remarks]
    return VerdictContent(report.verdict, rows[:_IN_VIEW], rows[_IN_VIEW:])


def _target_of(topic: Topic, report: Report, page: PageParts) -> str:
    """Return the id of the section, or the view of the list of checks, that tells more."""
    if topic in (Topic.FAILURES, Topic.NOT_COUNTED) and report.verdict.causes:
        return "why"
    if topic in _VIEWS and not page.links.folder:
        return _VIEWS[topic]
    return _SECTIONS.get(topic, "every")


VERDICT = PageSection("verdict", _select)
