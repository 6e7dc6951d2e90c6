"""Writes the judged run as JUnit XML, for servers that draw trends of their own from it.

There is no standard of the form; it keeps to the elements that all readers know: one ``testsuite`` a suite, the
attempt that counts, no output. Read by this tool it gives the same numbers, waived failures aside; but where no
case says that the run is not fit, as for a file that is truncated, one more does.
"""

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import datetime
from io import BytesIO
from typing import TYPE_CHECKING

from lxml import etree

from plain_verdict.model import BAD, Attempt, Check, Outcome, SourceLocation, Verdict, VerdictWord, Waived, in_order
from plain_verdict.report import Report
from plain_verdict.report.shown_check import describe_waiver
from plain_verdict.report.suites import SuiteGroup, sum_s
from plain_verdict.text.cleaning import headline
from plain_verdict.writers.interface import OutputFile

if TYPE_CHECKING:
    from lxml.etree import _IncrementalFileWriter

_VERDICT = "The verdict"
_ELEMENTS = {Outcome.FAILED: "failure", Outcome.ERRORED: "error"}


class JUnitWriter:
    """Writes each check as a case with its last attempt; waived failures are skipped, with the reason."""

    name = "junit"
    suffix = ".xml"
    about = "the judged run as JUnit XML, for servers that draw trends from it"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the file."""
        target = BytesIO()
        verdict = report.verdict
        with etree.xmlfile(target, encoding="utf-8") as file:
            file.write_declaration()
            silent = _is_silent(report.run.checks, verdict)
            counts = _counts(report.run.checks, verdict)
            if silent:
                counts |= {"tests": str(len(report.run.checks) + 1), "errors": "1"}
            whole = {"name": report.title, **counts, **_when(report.started)}
            with file.element("testsuites", _given(whole)):
                if silent:
                    file.write("\n", _verdict_suite(verdict))
                for position, group in enumerate(report.whole_suites):
                    _write_suite(file, group, report, first=position == 0)
        yield OutputFile("junit.xml", target.getvalue() + b"\n")


def _is_silent(checks: Sequence[Check], verdict: Verdict) -> bool:
    """Return whether the run is not fit and no case would show it."""
    bad = any(check.outcome in BAD and check.id not in verdict.waived for check in checks)
    return verdict.word is not VerdictWord.FIT and not bad


def _verdict_suite(verdict: Verdict) -> "etree._Element":
    """Return a suite with one case, which says why the run is not fit."""
    suite = etree.Element("testsuite", name=_VERDICT, tests="1", failures="0", errors="1", skipped="0")
    case = etree.SubElement(suite, "testcase", classname=_VERDICT, name=f"The run is {verdict.word.value}")
    error = etree.SubElement(case, "error", message=verdict.sentence)
    error.text = "\n".join(verdict.all_remarks)
    return suite


def _write_suite(file: "_IncrementalFileWriter", group: SuiteGroup, report: Report, *, first: bool) -> None:
    name = " › ".join(group.path) or report.title
    starts = [in_order(check.last.started) for check in group.checks if check.last.started]
    attributes = {"name": name, **_counts(group.checks, report.verdict), **_when(min(starts, default=None))}
    file.write("\n")
    with file.element("testsuite", _given(attributes)):
        if first:
            file.write(_properties(report))
        names: Counter[str] = Counter()
        for check in group.checks:
            title = check.bare_title
            names[title] += 1
            # Two cases of one name would be one case, retried, to many readers.
            title = title if names[title] == 1 else f"{title} ({names[title]})"
            file.write("\n", _case(check, name, title, report.verdict.waived.get(check.id)))


def _properties(report: Report) -> "etree._Element":
    """Return what is known of the run; with the first suite, as not every reader knows those of all."""
    element = etree.Element("properties")
    properties = (("verdict", report.verdict.word.value), ("verdict sentence", report.verdict.sentence))
    for key, value in (*properties, *((fact.key, fact.value) for fact in report.info.facts)):
        etree.SubElement(element, "property", name=key, value=value)
    return element


def _set_location(case: "etree._Element", location: SourceLocation | None) -> None:
    if location:
        case.set("file", location.file)
        if location.line is not None:
            case.set("line", str(location.line))


def _case(check: Check, suite: str, title: str, waived: Waived | None) -> "etree._Element":
    last = check.last
    case = etree.Element("testcase", classname=suite, name=title)
    if last.took_s is not None:
        case.set("time", f"{last.took_s:.6f}".rstrip("0").rstrip("."))
    _set_location(case, check.location)
    if last.outcome in BAD and waived is not None:
        reason = f"{describe_waiver(waived)}: {waived.reason}"
        etree.SubElement(case, "skipped", message=reason)
    elif last.outcome in BAD:
        _add_problem(case, last)
    elif last.outcome is Outcome.UNDECIDED:
        # No element reports it; a reader that knows no such status must not take it for passed.
        case.set("status", "undecided")
        etree.SubElement(case, "skipped", message=last.reason or "its outcome is unknown")
    elif last.outcome is Outcome.SKIPPED:
        etree.SubElement(case, "skipped", {"message": last.reason} if last.reason else None)
    return case


def _add_problem(case: "etree._Element", last: Attempt) -> None:
    """Add the one problem that decides; many readers know one a case."""
    problem = next(
        (problem_found for problem_found in last.problems if problem_found.outcome is last.outcome), None
    )
    element = etree.SubElement(case, _ELEMENTS[last.outcome])
    if problem is None:
        element.set("message", last.reason or "no reason given")
        return
    element.set("message", headline(problem.message))
    if problem.type:
        element.set("type", problem.type)
    pair = [
        f"{word}: {value}" for word, value in (("expected", problem.expected), ("actual", problem.actual)) if value
    ]
    element.text = "\n".join(part for part in (problem.message, *pair, problem.place, problem.detail) if part)


def _counts(checks: Sequence[Check], verdict: Verdict) -> dict[str, str]:
    numbers = Counter(
        Outcome.SKIPPED if check.outcome in BAD and check.id in verdict.waived else check.outcome
        for check in checks
    )
    took = sum_s(checks)
    return {
        "tests": str(len(checks)),
        "failures": str(numbers[Outcome.FAILED]),
        "errors": str(numbers[Outcome.ERRORED]),
        "skipped": str(numbers[Outcome.SKIPPED] + numbers[Outcome.UNDECIDED]),
        "time": "" if took is None else f"{took:.3f}",
    }


def _when(moment: datetime | None) -> dict[str, str]:
    return {"timestamp": moment.isoformat(timespec="seconds") if moment else ""}


def _given(attributes: dict[str, str]) -> dict[str, str]:
    return {key: value for key, value in attributes.items() if value}
