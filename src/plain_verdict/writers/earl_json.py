"""Writes the rules of a run as EARL 1.0 in JSON-LD, so that other tools can read them."""

from collections.abc import Iterator
from datetime import datetime

import msgspec

from plain_verdict.model import Check, Outcome
from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile

_CONTEXT = {
    "earl": "http://www.w3.org/ns/earl#",
    "dct": "http://purl.org/dc/terms/",
    "ptr": "http://www.w3.org/2009/pointers#",
    "xsd": "http://www.w3.org/2001/XMLSchema#",
}
# EARL 1.0 Schema, 2.7; what could not be evaluated is given as nobody can tell it.
_EARL_OUTCOMES = {
    Outcome.PASSED: "earl:passed",
    Outcome.FAILED: "earl:failed",
    Outcome.ERRORED: "earl:cantTell",
    Outcome.UNDECIDED: "earl:cantTell",
    Outcome.SKIPPED: "earl:inapplicable",
}
_TEST = "What it asks"
_MODES = frozenset(("automatic", "manual", "semiAuto", "undisclosed", "unknownMode"))


class EarlWriter:
    """Writes an assertion for each rule; for a broken one, one for each place."""

    name = "earl"
    suffix = ".jsonld"
    about = "the rules of the run as EARL 1.0 in JSON-LD"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the report."""
        graph = [assertion for check in report.run.checks if check.rule for assertion in _assertions(check)]
        value = {"@context": _CONTEXT, "@graph": graph}
        yield OutputFile("report.jsonld", msgspec.json.format(msgspec.json.encode(value), indent=1) + b"\n")


def _criterion(check: Check) -> dict[str, object]:
    """Return what was asked. Source: EARL 1.0 Schema, TestCriterion."""
    test: dict[str, object] = {"@type": "earl:TestCriterion", "dct:title": check.name}
    address = next((link.value for link in check.links if link.key == _TEST), "")
    if address:
        test["@id"] = address
    if check.suite:
        test["dct:isPartOf"] = {"dct:title": " › ".join(check.suite)}
    if check.description:
        test["dct:description"] = check.description
    return test


def _assertions(check: Check) -> Iterator[dict[str, object]]:
    facts = {fact.key: fact.value for fact in check.facts}
    shared: dict[str, object] = {"@type": "earl:Assertion", "earl:test": _criterion(check)}
    subject = ", ".join(fact.value for fact in check.variant)
    if subject:
        shared["earl:subject"] = {"@id": subject} if ":" in subject else {"dct:title": subject}
    if "asserted by" in facts:
        shared["earl:assertedBy"] = {"@type": "earl:Assertor", "dct:title": facts["asserted by"]}
    if facts.get("mode") in _MODES:
        shared["earl:mode"] = {"@id": f"earl:{facts['mode']}"}
    last = check.last
    results = [(problem.message, problem.place) for problem in last.problems] or [(last.reason, "")]
    for message, pointer in results:
        yield {**shared, "earl:result": _result(check.outcome, message, pointer, last.started)}


def _result(outcome: Outcome, message: str, pointer: str, started: datetime | None) -> dict[str, object]:
    result: dict[str, object] = {"@type": "earl:TestResult", "earl:outcome": {"@id": _EARL_OUTCOMES[outcome]}}
    if message:
        result["earl:info"] = message
    if pointer:
        result["earl:pointer"] = {"@type": "ptr:Pointer", "ptr:expression": pointer}
    if started:
        result["dct:date"] = {"@value": started.isoformat(), "@type": "xsd:dateTime"}
    return result
