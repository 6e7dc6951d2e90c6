"""Folds a large run: what failed stays plain HTML, the rest goes into compressed columns and blocks.

The columns hold what rows and search need of all checks. A check that has something to open is written as
everywhere, into a block of many. All is gzip (RFC 1952) in Base64, in script elements of no script
type, which a browser keeps and does not run; the page's script opens them.
"""

from base64 import b64encode
from collections.abc import Callable, Iterable, Iterator, Sequence
from enum import StrEnum
from itertools import accumulate, chain, islice, repeat, zip_longest
from math import isnan

import msgspec

from plain_verdict.history.digest import pack
from plain_verdict.http.building import path_of
from plain_verdict.model import (
    Attempt,
    Check,
    Checks,
    Exchange,
    Kind,
    Outcome,
    PlainChecks,
    Step,
    detailed_of,
    exchanges_of,
    tally_of,
)
from plain_verdict.report import Report
from plain_verdict.report.shown_check import describe_time, is_simple
from plain_verdict.report.suites import QUIET, SuiteGroup
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.runtime.processes import SharedWork
from plain_verdict.text.formatting import capital, plural
from plain_verdict.writers.html.blocks import CHUNK, Block, Render, Shortening, blocks_on_cluster, make_blocks
from plain_verdict.writers.html.checks.rows import name_text

PLAIN_FAILURES = 2_000
"""Failures up to which all stay plain HTML; past them, the first of each cause, and so many in all."""
PLAIN_OF_A_CAUSE, PLAIN_OF_ALL_CAUSES = 50, 300  # failures that are written out; others are unfolded by the script
OPEN_AT_MOST = 1_000
"""Folded checks up to which their suites are open from the start."""
_ID_CHARS, _ID_BYTES = 14, 6  # of an id that no other check shares: c- and 12 hexadecimal digits
_MORE_CALLS = 20  # of a check, that search finds
_MORE_CHARS = 400  # of a check's messages that search looks through
_MANY_RULES = 1_000
"""Rules that need no reader, from which on their texts are left out: their source has them."""
_RULE_CHARS, _HEAVY_CHARS = 1_000, 120_000  # what else a rule takes, about; what makes a page heavy
_MANY_CHECKS = 1_000  # whole checks whose rendering takes longer than starting a process


class RowKind(StrEnum):
    """How a check stands in a folded page."""

    PLAIN = "p"
    """As plain HTML, since it failed."""
    SIMPLE = "s"
    """As a row that the script fills."""
    WHOLE = "w"
    """In a block, as it has something to open."""


_KIND_CODES = {kind: str(number) for number, kind in enumerate(Kind)}
OUTCOME_CODES = {outcome: str(number) for number, outcome in enumerate(Outcome)}
"""A digit for each outcome: its place in ``Columns.outcomes``."""


class Columns(msgspec.Struct):
    """What the script knows of all checks, in the order of the page; texts of many lines, one a check.

    ``outcome`` has for each its place in ``outcomes``, ``of_kind`` that in ``kinds`` ("" where there is one kind),
    ``kind`` its RowKind. ``tail`` is what stands after an id's
    usual 14 characters; those are packed by themselves. ``more`` is what search looks through besides
    names, ``new_failures`` are numbers of checks.
    ``html`` is the name of a check with parameters. All three are by check number.
    """

    suites: list[tuple[str, int]]
    outcomes: list[str]
    outcome: str
    kinds: list[str]
    of_kind: str
    kind: str
    tail: dict[str, str]
    seconds: str
    took: str
    name: str
    html: dict[str, str]
    more: dict[str, str]
    new_failures: list[int]
    row: str


class Folding:
    """The folded part of a page."""

    def __init__(self, report: Report, render: Render, row: str, engine: EngineOptions) -> None:
        self._engine = engine
        self._report = report
        self._render = render
        self._row = row
        self._plain = plain_failures(report)
        self._many_kinds = len(report.verdict.kinds) > 1
        self.checks = Checks.joined(group.checks for group in report.suites)
        self._kinds = self._find_kinds()
        sizes = [len(group.checks) for group in report.suites]
        starts = accumulate(sizes, initial=0)
        self._starts = {group.path: start for group, start in zip(report.suites, starts, strict=False)}
        self.plain_count = len(self._plain)
        self.count = sum(sizes) - self.plain_count
        self.open = self.count <= OPEN_AT_MOST
        self.cuts = len(report.bad) > PLAIN_FAILURES
        self._shortening = Shortening(self.cuts, _count_quiet_rules(self.checks) > _MANY_RULES)
        self._folds_failures = len(report.bad) > self.plain_count
        self._whole = self._find_whole()
        self._made_blocks = SharedWork(self._make_blocks, -(-len(self._whole) // CHUNK))

    @property
    def note(self) -> str:
        """Return a sentence on what is folded, for readers whose browser does not run the script."""
        verb = "is" if self.count == 1 else "are"
        of_failures = ", and failures past the first of each cause" if self._folds_failures else ""
        return (
            f"{capital(plural(self.count, 'check'))} {verb} folded to keep this page fast: all that did not fail"
            f"{of_failures}. The suites’ numbers count them. A browser with scripts shows them here; this one does"
            " not run them. The layout “folder” has them all as plain pages."
        )

    def start(self, *, in_background: bool) -> None:
        """Begin to make blocks, in other processes if asked for and if they are many."""
        if in_background and not self._engine.name and len(self._whole) > _MANY_CHECKS:
            self._made_blocks.start()

    def _find_kinds(self) -> list[RowKind]:
        plain, traced = self._plain, self._report.traced

        def of_plain(part: PlainChecks) -> list[RowKind]:
            if not traced:
                return [RowKind.SIMPLE] * part.number
            return [RowKind.WHOLE if id_ in traced else RowKind.SIMPLE for id_ in part.each_id()]

        def of_detailed(check: Check) -> RowKind:
            if is_simple(check):
                return RowKind.WHOLE if check.id in traced else RowKind.SIMPLE
            return RowKind.PLAIN if check.id in plain else RowKind.WHOLE

        return self.checks.column(of_plain, of_detailed)

    def _find_whole(self) -> list[Check]:
        """Return the checks that are written into blocks."""
        detailed = {check.id: self._kinds[position] for position, check in self.checks.numbered()}
        wanted = {id_ for id_, kind in detailed.items() if kind is RowKind.WHOLE}
        return list(self.checks.named(wanted | (self._report.traced - detailed.keys())))

    def plain(self, group: SuiteGroup) -> list[Check]:
        """Return those of a suite's checks that stay plain HTML."""
        return [check for check in detailed_of(group.checks)[: group.bad] if check.id in self._plain]

    def first(self, group: SuiteGroup) -> int:
        """Return the number of a suite's first check in the order of the page."""
        return self._starts[group.path]

    def counts(self, group: SuiteGroup) -> list[tuple[str, int]]:
        """Return how many of a suite's folded checks ended in each outcome that occurs."""
        plain = tally_of(self.plain(group))
        counts = [(outcome.value, group.tally.of(outcome) - plain.of(outcome)) for outcome in Outcome]
        return [(outcome, number) for outcome, number in counts if number]

    def parts(self) -> Iterator[tuple[str, str]]:
        """Yield (name, compressed content): columns, ids and blocks."""
        columns = pack(msgspec.json.encode(self._columns()))
        yield "ids", b64encode(self._ids()).decode()
        blocks = list(self._blocks())
        for number, (_, text) in enumerate(blocks):
            yield f"block-{number}", text
        yield "blocks", " ".join(str(first) for first, _ in blocks)
        yield "columns", columns

    def _blocks(self) -> Iterator[Block]:
        if self._engine.name and len(self._whole) > _MANY_CHECKS:
            yield from blocks_on_cluster(self._report, self._whole, self._shortening, self._engine)
            return
        yield from chain.from_iterable(self._made_blocks.results())

    def _ids(self) -> bytes:
        """Return the ids' random parts; they can't be compressed, so they stand apart from what can."""
        plain = b"".join(map(_packed_ids, self.checks.plain))
        pieces: list[bytes] = []
        number = 0
        for check, standing in zip(self.checks.detailed, self.checks.before, strict=True):
            pieces += (plain[_ID_BYTES * number : _ID_BYTES * standing], bytes.fromhex(check.id[2:_ID_CHARS]))
            number = standing
        return b"".join((*pieces, plain[_ID_BYTES * number :]))

    def _make_blocks(self, chunk: int) -> list[Block]:
        """Return a chunk of whole checks in compressed blocks, each with the number of its first check."""
        first = chunk * CHUNK
        return list(make_blocks(self._whole[first : first + CHUNK], first, self._render, self._shortening))

    def _columns(self) -> Columns:
        checks, new = self.checks, self._report.new
        ids = checks.ids()
        return Columns(
            suites=[(" › ".join(group.path), len(group.checks)) for group in self._report.suites],
            outcomes=list(map(str, Outcome)),
            outcome="".join(checks.column(_passed, lambda check: OUTCOME_CODES[check.attempts[-1].outcome])),
            kinds=list(map(str, Kind)),
            of_kind="".join(checks.column(_kinds_of, lambda check: _KIND_CODES[check.kind]))
            if self._many_kinds
            else "",
            kind="".join(self._kinds),
            tail=_tails_of(checks, ids),
            seconds=_of_attempts(checks, _seconds),
            took=_of_attempts(checks, describe_time),
            name=checks.lines(lambda part: part.names, _plain_name),
            html=_by_number((position, _name_with_parameters(check)) for position, check in checks.numbered()),
            more=dict(self._more()),
            new_failures=[n for n, id_ in enumerate(ids) if id_ in new] if new else [],
            row=self._row,
        )

    def _more(self) -> Iterator[tuple[str, str]]:
        """Yield what search looks through besides names, by the numbers of the checks that have it."""
        for number, check in self.checks.numbered():
            if self._kinds[number] is not RowKind.SIMPLE and (text := _found_by_search(check)):
                yield str(number), text


def _are_short(part: PlainChecks) -> bool:
    """Return whether no id has more than the usual characters; none has fewer."""
    return len(part.ids) == (_ID_CHARS + 1) * part.number - 1


def _packed_ids(part: PlainChecks) -> bytes:
    """Return the ids' random parts."""
    if _are_short(part):
        return bytes.fromhex(part.ids.replace("c-", ""))  # white space between them is passed over
    return bytes.fromhex("".join([id_[2:_ID_CHARS] for id_ in part.each_id()]))


def _tails_of(checks: Checks, ids: Sequence[str]) -> dict[str, str]:
    """Return what stands after the usual characters of ids."""
    if all(map(_are_short, checks.plain)):
        return _by_number((position, check.id[_ID_CHARS:]) for position, check in checks.numbered())
    return _by_number((position, id_[_ID_CHARS:]) for position, id_ in enumerate(ids))


def _passed(part: PlainChecks) -> Iterable[str]:
    return repeat(OUTCOME_CODES[Outcome.PASSED], part.number)


def _kinds_of(part: PlainChecks) -> Iterable[str]:
    return repeat(_KIND_CODES[part.kind], part.number)


def _of_attempts(checks: Checks, describe: Callable[[Attempt], str]) -> str:
    """Return what is written of each check's attempt that counts; many plain ones take the same time."""

    def of_plain(part: PlainChecks) -> str:
        times = part.each_time_s()
        for took_s in set(times).difference(known):
            known[took_s] = describe(Attempt(Outcome.PASSED, None if isnan(took_s) else took_s))
        return "\n".join(map(known.__getitem__, times))

    known: dict[float, str] = {}
    return checks.lines(of_plain, lambda check: describe(check.attempts[-1]))


def is_heavy(checks: Sequence[Check]) -> bool:
    """Return whether what checks tell that need no reader makes a page heavy."""
    chars = 0
    for check in detailed_of(checks):
        if check.rule and check.outcome in QUIET:
            chars += len(check.description) + len(check.rule.why) + len(check.rule.remediation) + _RULE_CHARS
            if chars > _HEAVY_CHARS:
                return True
    return False


def _count_quiet_rules(checks: Checks) -> int:
    return sum(1 for check in checks.detailed if check.rule and check.outcome in QUIET)


def _seconds(attempt: Attempt) -> str:
    return f"{attempt.took_s:.3f}" if attempt.took_s else "0"


def _plain_name(check: Check) -> str:
    return check.title if check.parameters else check.name


def _name_with_parameters(check: Check) -> str:
    return name_text(check) if check.parameters else ""


def _by_number(texts: Iterable[tuple[int, str]]) -> dict[str, str]:
    """Return those of the checks' texts that are not empty, by the check's number."""
    return {str(number): text for number, text in texts if text}


def _found_by_search(check: Check) -> str:
    """Return what search looks through in a check besides its name."""
    last = check.attempts[-1]
    parts = [last.reason, *(problem.message for problem in last.problems)]
    text = " ".join(parts)[:_MORE_CHARS]
    if last.exchanges or last.steps:
        text = f"{text} {' '.join(map(_call_in_words, islice(exchanges_of(last), _MORE_CALLS)))}"
    return text if text.strip() else ""


def _call_in_words(found: tuple[Exchange, Attempt | Step, int]) -> str:
    """Return what search finds a call by: method, path and status."""
    request, response = found[0].request, found[0].response
    status = f"{response.status} {response.reason}" if response else "no answer"
    return f"{request.method} {path_of(request.url)} {status}"


def plain_failures(report: Report) -> frozenset[str]:
    """Return the ids of the failures that stay plain: all, or the first of each cause where they are very many."""
    bad = frozenset(check.id for check in report.bad)
    if len(bad) <= PLAIN_FAILURES:
        return bad
    first = [[check.id for check in cause.checks[:PLAIN_OF_A_CAUSE]] for cause in report.verdict.causes]
    # In turn, so that many causes share the room alike.
    in_turn = chain.from_iterable(zip_longest(*first))
    return frozenset(islice((id_ for id_ in in_turn if id_ in bad), PLAIN_OF_ALL_CAUSES))
