"""The navigation: which sections a page has, how much is in each, and where something failed."""

from collections.abc import Callable, Sequence

import msgspec

from plain_verdict.model import Kind, Tally
from plain_verdict.report import Report
from plain_verdict.report.extension_sections import ShownSection
from plain_verdict.writers.html.sections.interface import PageSection


class NavigationEntry(msgspec.Struct, frozen=True):
    """A line of the navigation: a section's id and name, its count in words, and whether something failed in it."""

    id: str
    name: str
    count: str = ""
    failed: bool = False


class _Form(msgspec.Struct, frozen=True):
    """How a section stands in the navigation."""

    id: str
    name: str
    count: Callable[[Report], int | None] = lambda _: None
    failed: Callable[[Report], bool] = lambda _: False


def _has_bad(report: Report) -> bool:
    return _bad(report.tally)


def _fails(kind: Kind) -> Callable[[Report], bool]:
    """Return what tells whether a check of a kind failed."""
    return lambda report: any(verdict.kind is kind and _bad(verdict.tally) for verdict in report.verdict.kinds)


def _bad(tally: Tally) -> bool:
    return tally.failed + tally.errored > 0


_NAVIGATION = {
    "verdict": _Form("verdict", "Verdict"),
    "results": _Form("tally", "Results", lambda report: report.tally.total, _has_bad),
    "causes": _Form(
        "why", "Causes", lambda report: len(report.verdict.causes), lambda report: bool(report.verdict.causes)
    ),
    "changes_since": _Form(
        "since", "Changes", lambda report: len(report.new) or None, lambda report: bool(report.new)
    ),
    "quarantine": _Form("quarantine", "Quarantine", lambda report: len(report.verdict.quarantine)),
    "api": _Form("api", "API", lambda report: report.api.whole.calls if report.api else None, _fails(Kind.API)),
    "load": _Form("load", "Load", lambda report: report.load.run.rows if report.load else None, _fails(Kind.LOAD)),
    "load_as_reported": _Form("reported", "Load, as reported", failed=_fails(Kind.LOAD)),
    "custom_metrics": _Form("metrics", "Custom metrics", lambda report: len(report.run.metrics)),
    "compliance": _Form(
        "compliance",
        "Compliance",
        lambda report: report.compliance.rules if report.compliance else None,
        _fails(Kind.COMPLIANCE),
    ),
    "requirements": _Form(
        "asked", "Requirements", lambda report: report.requirements.number if report.requirements else None
    ),
    "all_checks": _Form("every", "All checks", lambda report: report.tally.total, _has_bad),
    "suite_list": _Form("every", "All checks", lambda report: report.tally.total, _has_bad),
    "variants": _Form("by-1", "Variants"),
    "timeline": _Form("time", "Timeline"),
    "pictures": _Form("pictures", "Pictures", lambda report: len(report.evidence.pictures)),
    "other_evidence": _Form("others", "Other evidence"),
    "inputs": _Form(
        "reading", "Inputs", lambda report: len(report.files), lambda report: bool(report.run.not_whole)
    ),
}


def navigation_of(sections: Sequence[tuple[PageSection, object]], report: Report) -> list[NavigationEntry]:
    """Return the lines for the sections that a page has, in their order."""
    return [entry for section, content in sections if (entry := _entry_of(section, content, report))]


def _entry_of(section: PageSection, content: object, report: Report) -> NavigationEntry | None:
    if isinstance(content, ShownSection):
        return NavigationEntry(content.id, content.title)
    return _entry(_NAVIGATION[section.name], report) if section.name in _NAVIGATION else None


def _entry(form: _Form, report: Report) -> NavigationEntry:
    number = form.count(report)
    return NavigationEntry(form.id, form.name, "" if number is None else f"{number:,}", form.failed(report))
