"""Folds a large run: what failed stays plain HTML, the rest goes into compressed columns and blocks.

The columns hold what rows and search need of every check. A check that has something to open is rendered by the
same template as everywhere, into a block of many. All is gzip (RFC 1952) in Base64, in script elements of no script
type, which a browser keeps and does not run; the page's script opens them.
"""

import gzip
from base64 import b64encode
from collections import Counter, deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import chain, islice, zip_longest

import msgspec

from plain_verdict.model import Check, Outcome, Verdict
from plain_verdict.page.rows import is_simple, name_html, took_text
from plain_verdict.page.view import Page, SuiteGroup

FOLD_AFTER = 3_000
"""Checks from which a page is folded."""
PLAIN_FAILURES = 2_000
"""Failures up to which all stay plain HTML; past them, the first of each cause, and so many in all."""
PLAIN_OF_A_CAUSE, PLAIN_OF_ALL_CAUSES = 50, 300
OPEN_AT_MOST = 1_000
"""Folded checks up to which their suites are open from the start."""
_ID_CHARS = 14  # of an id that no other check shares: c- and 12 hexadecimal digits
_BLOCK_CHARS = 400_000
_LEVEL = 6
_PLAIN, _SIMPLE, _WHOLE = "p", "s", "w"
_OUTCOMES = {outcome: outcome.value[0] for outcome in Outcome}

Render = Callable[[Check], str]


class Columns(msgspec.Struct):
    """What the script knows of every check, in the order of the page; texts of many lines, one a check.

    ``outcome`` has each outcome's first letter, ``kind`` p (plain HTML), s (simple: its row is filled) or w (whole,
    in a block). ``tail`` is
    what stands after an id's usual 14 characters; those are packed by themselves. ``blocks`` has for each block the number of the first whole check in it. ``more`` is what search
    looks through besides names, of those checks that have it.
    """

    suites: list[tuple[str, int]]
    outcome: str
    kind: str
    tail: dict[str, str]
    seconds: str
    took: str
    name: str
    more: dict[str, str]
    blocks: list[int]
    row: str


class Folding:
    """The folded part of a page."""

    def __init__(self, page: Page, verdict: Verdict, render: Render, row: str) -> None:
        self._page = page
        self._render = render
        self._row = row
        self._plain = plain_failures(page, verdict)
        self._starts: dict[tuple[str, ...], int] = {}
        at = 0
        for group in page.suites:
            self._starts[group.path] = at
            at += len(group.checks)
        self.plain_count = len(self._plain)
        self.count = at - self.plain_count
        self.open = self.count <= OPEN_AT_MOST

    def plain(self, group: SuiteGroup) -> list[Check]:
        """Return those of a suite's checks that stay plain HTML."""
        return [check for check in group.checks if check.id in self._plain]

    def first(self, group: SuiteGroup) -> int:
        """Return the number of a suite's first check in the order of the page."""
        return self._starts[group.path]

    def counts(self, group: SuiteGroup) -> list[tuple[str, int]]:
        """Return how many of a suite's folded checks ended in each outcome that occurs."""
        counts = Counter(check.outcome for check in group.checks if check.id not in self._plain)
        return [(outcome.value, counts[outcome]) for outcome in Outcome if counts[outcome]]

    def parts(self) -> Iterator[tuple[str, str]]:
        """Yield (name, compressed content): the blocks as they are rendered, and the columns last."""
        blocks: list[int] = []
        waiting: deque[Future[str]] = deque()
        # zlib lets go of the interpreter, so that compressing goes on while the next block is rendered.
        with ThreadPoolExecutor(1) as pool:
            number = 0
            for first, text in self._blocks():
                blocks.append(first)
                waiting.append(pool.submit(_packed, text.encode("utf-8", "replace")))
                while len(waiting) > 2:
                    yield f"block-{number}", waiting.popleft().result()
                    number += 1
            columns = pool.submit(_packed, msgspec.json.encode(self._columns(blocks)))
            for done in waiting:
                yield f"block-{number}", done.result()
                number += 1
            yield "columns", columns.result()
        yield "ids", b64encode(self._ids()).decode()

    def _ids(self) -> bytes:
        """Return the ids' random parts; they can't be compressed, so they stand apart from what can."""
        ids = (check.id[2:_ID_CHARS] for group in self._page.suites for check in group.checks)
        return bytes.fromhex("".join(ids))

    def _blocks(self) -> Iterator[tuple[int, str]]:
        """Yield blocks of rendered checks, each with the number of its first check among all whole ones."""
        first = number = chars = 0
        rendered: list[str] = []
        for group in self._page.suites:
            for check in group.checks:
                if check.id in self._plain or is_simple(check):
                    continue
                rendered.append(self._render(check).strip())
                chars += len(rendered[-1])
                number += 1
                if chars > _BLOCK_CHARS:
                    yield first, "\0".join(rendered)  # no text of a page has a NUL in it
                    first, chars, rendered = number, 0, []
        if rendered:
            yield first, "\0".join(rendered)

    def _columns(self, blocks: list[int]) -> Columns:
        outcomes: list[str] = []
        kinds: list[str] = []
        tails: dict[str, str] = {}
        seconds: list[str] = []
        tooks: list[str] = []
        names: list[str] = []
        more: dict[str, str] = {}
        for group in self._page.suites:
            for check in group.checks:
                last = check.attempts[-1]
                kind = _PLAIN if check.id in self._plain else _SIMPLE if is_simple(check) else _WHOLE
                if kind is not _SIMPLE:
                    found = " ".join((last.reason, *(one.message for one in last.problems)))[:400]
                    if found.strip():
                        more[str(len(kinds))] = found
                outcomes.append(_OUTCOMES[last.outcome])
                kinds.append(kind)
                if len(check.id) > _ID_CHARS:
                    tails[str(len(kinds) - 1)] = check.id[_ID_CHARS:]
                seconds.append(f"{last.took_s:.3f}".rstrip("0") if last.took_s else "0")
                tooks.append(took_text(check))
                html = name_html(check)
                names.append(html if check.parameters else html[5:-6])
        return Columns(
            suites=[(" › ".join(group.path), len(group.checks)) for group in self._page.suites],
            outcome="".join(outcomes),
            kind="".join(kinds),
            tail=tails,
            seconds="\n".join(seconds),
            took="\n".join(tooks),
            name="\n".join(names),
            more=more,
            blocks=blocks,
            row=self._row,
        )


def plain_failures(page: Page, verdict: Verdict) -> frozenset[str]:
    """Return the ids of the failures that stay plain: all, or the first of each cause where they are very many."""
    bad = frozenset(check.id for check in page.bad)
    if len(bad) <= PLAIN_FAILURES:
        return bad
    first = [[check.id for check in cause.checks[:PLAIN_OF_A_CAUSE]] for cause in verdict.causes]
    # In turn, so that many causes share the room alike.
    in_turn = chain.from_iterable(zip_longest(*first))
    return frozenset(islice((id_ for id_ in in_turn if id_ in bad), PLAIN_OF_ALL_CAUSES))


def _packed(data: bytes) -> str:
    return b64encode(gzip.compress(data, _LEVEL, mtime=0)).decode()
