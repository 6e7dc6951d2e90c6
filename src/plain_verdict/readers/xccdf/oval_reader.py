"""Reads OVAL results that stand in a file of their own: a check for each definition.

Source: OVAL 5.11, oval-results-schema (ResultEnumeration); what results mean for each class of definitions: NIST SP
800-126r2, section 4.5.2 (deriving XCCDF check results from OVAL definition results).
"""

from collections.abc import Iterator

from plain_verdict.http.building import read_url
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    BAD,
    NO_WORDS,
    NOT_EVALUATED,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Problem,
    ResultFile,
    Rule,
    Severity,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import Head
from plain_verdict.readers.xccdf.oval import FINDS_FAULTS, DefinitionResult, OvalSystem, oval_systems
from plain_verdict.readers.xccdf.parts import Element, local
from plain_verdict.readers.xccdf.reader import DEFINITION, HOST, damage_notes
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.runtime.errors import UnknownFormat
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line

_ROOT, _DEFINITIONS = "oval_results", "oval_definitions"
OUTCOMES = {
    "error": (Outcome.ERRORED, "the checking system could not evaluate it"),
    "unknown": (Outcome.UNDECIDED, "undecided: the checking system could not tell"),
    "not evaluated": (Outcome.UNDECIDED, NOT_EVALUATED),
    "not applicable": (Outcome.SKIPPED, "does not apply to this machine"),
}
"""Of results that are neither true nor false."""
_INVENTORY = "inventory"
_SUITES = {
    "compliance": "Configuration",
    "vulnerability": "Vulnerabilities",
    "patch": "Patches",
    _INVENTORY: "Inventory",
}


class OvalReader:
    """Reads one file."""

    format = "oval"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the root is that of OVAL results, or of definitions, which are refused."""
        return head.xml.root in (_ROOT, _DEFINITIONS) and "oval" in head.xml.namespace.lower()

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the definitions as checks. Raises UnknownFormat for a file without results."""
        reading = _Reading(source, limits)
        root: Element | None = None
        with source.open() as stream:
            file = XmlFile(stream)
            for _, element in file.events((_ROOT, _DEFINITIONS)):
                if local(element) == _ROOT:
                    root = element  # from its beginning on: of a file that is cut, what there is counts
        checks = (
            [check for system in oval_systems(root) for check in reading.checks(system)] if root is not None else []
        )
        notes = (
            *reading.unknown_notes("definition", "the standard does not know"),
            *damage_notes(source.path, file),
        )
        if not checks and not notes:
            # Definitions stand beside results: a file of them that is found there is skipped.
            what = "holds OVAL definitions without results"
            raise UnknownFormat(what, path=source.path, hint="give the result file that the scanner wrote")
        return ResultFile(checks=tuple(checks), notes=tuple(notes), cases=len(checks))


class _Reading(FileReading):
    """What came of reading one file."""

    def checks(self, system: OvalSystem) -> Iterator[Check]:
        """Yield a check for each definition with a result."""
        host = single_line(system.host, 200)
        for result in system.results():
            yield self._check(result, host)

    def _check(self, result: DefinitionResult, host: str) -> Check:
        kind = self.source.kind or Kind.COMPLIANCE
        suite = (_SUITES.get(result.sort, "Definitions"),)
        name = self.name(result.title or result.id) or "Nameless definition"
        outcome, reason = self._outcome(result)
        return Check(
            id=check_id(kind, suite, result.id or name),
            kind=kind,
            suite=suite,
            name=name,
            attempts=(self._attempt(result, outcome, reason, name),),
            facts=(Fact(DEFINITION, single_line(result.id, 300)),),
            description=self.text(result.description),
            links=tuple(
                Fact(single_line(words, 200), read_url(address)) for words, address in result.references if address
            ),
            variant=(Fact(HOST, host),) if host else (),
            # OVAL knows no severity: nothing says that one definition matters more than another.
            rule=Rule(Severity.MEDIUM, findings=int(outcome is Outcome.FAILED)),
        )

    def _outcome(self, result: DefinitionResult) -> tuple[Outcome, str]:
        if result.result in OUTCOMES:
            return OUTCOMES[result.result]
        if result.result not in ("true", "false"):
            self.unknown[single_line(result.result, 40) or "none at all"] += 1
            return Outcome.UNDECIDED, "undecided: its result is none of the standard's"
        if result.sort == _INVENTORY:
            there = "it is there" if result.result == "true" else "it is not there"
            return Outcome.SKIPPED, f"is for information only: {there}"
        # A definition of a fault is true where the fault is there.
        is_well = (result.result == "true") != (result.sort in FINDS_FAULTS)
        return (Outcome.PASSED if is_well else Outcome.FAILED), ""

    def _attempt(self, result: DefinitionResult, outcome: Outcome, reason: str, name: str) -> Attempt:
        if outcome not in BAD:
            return Attempt(outcome, reason=reason)
        message = reason or next(iter(result.whys), "") or NO_WORDS
        problem = Problem(outcome, message=self.text(message), detail=self.text("\n".join(result.whys)))
        return Attempt(outcome, problems=(problem,), cause=name)
