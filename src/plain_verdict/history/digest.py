"""The digest of a run as JSON, in its page or in its own file: described in docs/history.md.

A page carries its own run and a chain of its forerunners, whose outcomes are one letter a check and whose times are
rounded, so that one page is enough to go on from.
"""

import zlib
from array import array
from base64 import b64decode, b64encode
from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import overload

import msgspec
from zlib_ng import zlib_ng

from plain_verdict.history.alignment import FINE_UP_TO
from plain_verdict.history.interface import CHAIN, NAME_CHARS
from plain_verdict.history.time_quantization import COARSE, FINE, Levels, pack_times, unpack_times
from plain_verdict.model import (
    AlignedHistory,
    Build,
    Check,
    CheckIndex,
    Checks,
    KeptRun,
    Outcome,
    Past,
    PlainChecks,
    Run,
    RunDetail,
    kept_run,
)
from plain_verdict.runtime.errors import ReadError

SCHEMA = "plain-verdict/digest/1"
_FAMILY = SCHEMA.rpartition("/")[0]
_ROOM_A_CHECK, _LEAST_ROOM = 1.6, 60_000
"""Bytes of times in the chain, compressed; what does not fit is left to a store."""
_TRIED = 4_000
_MOST_DIGEST_BYTES = 400_000_000  # unpacked: a bomb must not fill the memory
_DIGEST_LEVEL = 6  # of zlib: higher ones cost time and win little
LETTERS = {
    Outcome.PASSED: Past.PASSED,
    Outcome.FAILED: Past.FAILED,
    Outcome.ERRORED: Past.ERRORED,
    Outcome.SKIPPED: Past.SKIPPED,
    Outcome.UNDECIDED: Past.UNDECIDED,
}
_KNOWN_LETTERS = "".join(Past)


class DigestChecks(msgspec.Struct, frozen=True):
    """The checks of the run itself, in the order of their ids; times in milliseconds, 0 where none is known."""

    ids: list[str]
    names: list[str]
    outcomes: str
    took_ms: list[int]


class DigestTimes(msgspec.Struct, frozen=True):
    """The times of the newest forerunners: in levels that ``step_ms`` and ``growth`` make.

    ``took`` has a character for each of these builds, check after check: by how many levels it differs from the
    run's own time, from U+0400 on; a space means: no time known.
    """

    step_ms: int
    growth: float
    took: str


class Digest(msgspec.Struct, frozen=True):
    """A run as data. ``checks`` null: the columns of the page that it is in hold them; ``retried`` are ids."""

    schema: str
    run: Build
    checks: DigestChecks | None = None
    retried: list[str] = []
    earlier: list[Build] = []
    """The forerunners, the oldest first."""
    outcomes: str = ""
    """A letter for each of them, check after check: in the order of ``checks``, then of ``other_ids``."""
    times: DigestTimes | None = None
    other_ids: list[str] = []
    other_names: list[str] = []
    detail: RunDetail | None = None
    """Of the run itself."""


_MOST_MS = 2**32 - 1
"""The longest time that is kept, 50 days."""


class CheckNames(Sequence[str]):
    """What checks are called, in the order of their ids; made when somebody asks, in most runs for a few."""

    def __init__(self, checks: Checks, order: Sequence[int]) -> None:
        self._checks = checks
        self._order = order

    def __len__(self) -> int:
        return len(self._order)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    @overload
    def __getitem__(self, position: int) -> str: ...
    @overload
    def __getitem__(self, position: slice) -> Sequence[str]: ...
    def __getitem__(self, position: int | slice) -> str | Sequence[str]:
        """Return the suite and name of a check in one line, or of several."""
        if isinstance(position, slice):
            return self._names[position]
        detailed = self._detailed.get(self._order[position])
        return detailed.whole_name[:NAME_CHARS] if detailed else self._names[position]

    @cached_property
    def _detailed(self) -> dict[int, Check]:
        """Return the checks that are asked for most, those that failed among them, by their places."""
        return dict(self._checks.numbered())

    @cached_property
    def _names(self) -> list[str]:
        def of_plain(part: PlainChecks) -> list[str]:
            before = "".join(f"{suite} › " for suite in part.suite)
            return [f"{before}{name}"[:NAME_CHARS] for name in part.each_name()]

        names = self._checks.column(of_plain, lambda check: check.whole_name[:NAME_CHARS])
        return [names[position] for position in self._order]


class _LaterColumns:
    """The columns of a run, made when somebody asks: a run without earlier ones and without a store needs none."""

    def __init__(self, checks: Checks) -> None:
        self._checks = checks

    @cached_property
    def _ids(self) -> list[str]:
        return self._checks.ids()

    @cached_property
    def _order(self) -> list[int]:
        return sorted(range(len(self._ids)), key=self._ids.__getitem__)

    @cached_property
    def check_index(self) -> CheckIndex:
        """Return the checks in the order of their ids."""
        return CheckIndex(tuple([self._ids[at] for at in self._order]), CheckNames(self._checks, self._order))

    @cached_property
    def outcomes(self) -> str:
        """Return a letter for each check."""
        letters: list[str] = [Past.PASSED] * len(self._checks)
        for position, check in self._checks.numbered():
            flaky = len(check.attempts) > 1 and check.flaky
            letters[position] = Past.PASSED_ON_RETRY if flaky else LETTERS[check.attempts[-1].outcome]
        return "".join([letters[at] for at in self._order])

    @cached_property
    def times(self) -> Sequence[int]:
        """Return the milliseconds of each check."""
        times = _times_ms(self._checks.last_times_s())
        return array("I", [times[at] for at in self._order])

    @property
    def retried(self) -> list[str]:
        """Return the ids of those that passed on a retry."""
        return sorted(check.id for check in self._checks.detailed if len(check.attempts) > 1 and check.flaky)


def keep_run(run: Run, build: Build) -> KeptRun:
    """Return what is kept of a run."""
    return KeptRun(build, _LaterColumns(run.checks))


def _times_ms(times_s: Sequence[float]) -> list[int]:
    """Return what attempts took, in milliseconds: 0 where nobody knows, at least 1 where they took time."""
    # Many checks take the same time.
    known = {s: min(round(1000 * s) or 1, _MOST_MS) if s > 0 else 0 for s in set(times_s)}
    return list(map(known.__getitem__, times_s))


def make_digest(run: KeptRun, traces: AlignedHistory, *, in_columns: bool = False) -> Digest:
    """Return the digest of a run with its forerunners; ``in_columns``: the page holds its checks."""
    checks = None
    if not in_columns:
        index = run.check_index
        checks = DigestChecks(list(index.ids), list(index.names), run.outcomes, list(run.times))
    return Digest(
        schema=SCHEMA,
        run=run.build,
        checks=checks,
        retried=run.columns.retried if in_columns else [],
        earlier=list(traces.builds),
        outcomes=_check_after_check(traces),
        times=_packed_times(run, traces),
        other_ids=list(traces.others),
        other_names=list(traces.others.values()),
        detail=run.detail,
    )


def _check_after_check(traces: AlignedHistory) -> str:
    """Return a letter for each build, check after check: most checks end alike in all, which takes little room."""
    builds = len(traces.builds)
    letters = bytearray(builds * (len(traces.positions) + len(traces.others)))
    for build, (outcomes, others) in enumerate(zip(traces.outcomes, traces.other_outcomes, strict=True)):
        letters[build::builds] = (outcomes + others).encode("ascii")
    return letters.decode("ascii")


def _packed_times(run: KeptRun, traces: AlignedHistory) -> DigestTimes | None:
    """Return the times of as many of the newest forerunners as there is room for."""
    checks = len(traces.positions)
    newest = traces.times
    first = next((position for position, times in enumerate(newest) if times), len(newest))
    nothing = array("I", [0] * checks)  # of a build between that tells none
    columns = [times or nothing for times in newest[first:]]
    levels = FINE if checks <= FINE_UP_TO else COARSE
    room = max(_LEAST_ROOM, _ROOM_A_CHECK * checks)
    # How much a build takes is tried on some of the checks.
    step = max(1, checks // _TRIED)
    taken = (
        step * _size(pack_times(run.times[::step], [column[::step] for column in columns], levels))
        if columns
        else 0
    )
    if taken > room:
        columns = columns[-int(len(columns) * room / taken) :] if len(columns) * room > taken else []
    if not columns:
        return None
    return DigestTimes(levels.step_ms, levels.growth, pack_times(run.times, columns, levels))


def _size(text: str) -> int:
    """Return how much a text takes, compressed."""
    return len(zlib.compress(text.encode(), _DIGEST_LEVEL))


def runs_of(digest: Digest, run: KeptRun | None = None) -> list[KeptRun]:
    """Return the runs that a digest holds, the oldest first; ``own`` where its checks stand elsewhere.

    Raises ReadError for one that contradicts itself.
    """
    run = run or _run_of_digest(digest)
    ids, names = (*run.check_index.ids, *digest.other_ids), (*run.check_index.names, *digest.other_names)
    if len(ids) != len(names) or len(set(ids)) != len(ids):
        raise _contradiction("its checks and their names differ in number, or one stands twice")
    index = CheckIndex(ids, names, ordered=len(run.check_index.ids))
    if len(digest.earlier) > CHAIN:
        raise _contradiction(f"its chain is longer than {CHAIN} builds")
    return [*_forerunners(digest, run, index), run]


def _run_of_digest(digest: Digest) -> KeptRun:
    checks = digest.checks
    if checks is None:
        raise _contradiction("it has no checks")
    number = len(checks.ids)
    if not number == len(checks.names) == len(checks.outcomes) == len(checks.took_ms):
        raise _contradiction("its columns are not of one length")
    return kept_run(
        digest.run,
        CheckIndex(tuple(checks.ids), tuple(checks.names)),
        _letters(checks.outcomes),
        _array(checks.took_ms),
        detail=digest.detail,
    )


def _array(times: Sequence[int]) -> "array[int]":
    try:
        return array("I", times)
    except OverflowError as error:
        raise _contradiction("it has times of no sense") from error


def _forerunners(digest: Digest, run: KeptRun, index: CheckIndex) -> Iterator[KeptRun]:
    chain, times = digest.earlier, digest.times
    if len(digest.outcomes) != len(chain) * len(index.ids):
        raise _contradiction("its chain is not of one length with its checks")
    letters = _letters(digest.outcomes)
    columns: list[Sequence[int]] = []
    if times is not None:
        others = array("I", [0] * len(digest.other_ids))
        unpacked = unpack_times(run.times, times.took, Levels(times.step_ms, times.growth))
        columns = [column + others for column in unpacked]
    if len(columns) > len(chain):
        raise _contradiction("it has times of more builds than its chain")
    untimed: list[Sequence[int]] = [()] * (len(chain) - len(columns))
    for position, (build, column) in enumerate(zip(chain, [*untimed, *columns], strict=True)):
        yield kept_run(build, index, letters[position :: len(chain)], column, coarse=True)


def _letters(outcomes: str) -> str:
    if outcomes.strip(_KNOWN_LETTERS):
        raise _contradiction("it has outcomes in unknown letters")
    return outcomes


def _contradiction(what: str) -> ReadError:
    return ReadError(f"holds a digest that can't be used: {what}", hint="write the report again from its results")


def encode_digest(digest: Digest) -> bytes:
    """Return a digest as JSON."""
    return msgspec.json.encode(digest)


def decode_digest(data: bytes) -> Digest:
    """Return the digest in JSON. Raises ReadError."""
    try:
        schema = msgspec.json.decode(data, type=_Named).schema
        if schema != SCHEMA:
            newer = schema.startswith(_FAMILY)
            what = (
                f"holds a digest in another form ({schema[:60]!r})" if newer else "holds no digest of this program"
            )
            hint = (
                "read it with the newer version that made it" if newer else "name a report that this program wrote"
            )
            raise ReadError(what, hint=hint)
        return msgspec.json.decode(data, type=Digest)
    except msgspec.MsgspecError as error:
        raise ReadError(f"holds a digest that can't be read ({error})", hint="it may be truncated") from error


class _Named(msgspec.Struct):
    schema: str = ""


def pack(data: bytes) -> str:
    """Return data as gzip (RFC 1952) in Base64, as a page carries it."""
    return b64encode(zlib_ng.compress(data, _DIGEST_LEVEL, wbits=31)).decode()


def unpack(text: bytes) -> bytes:
    """Return what a page carries as gzip in Base64. Raises ReadError."""
    try:
        return unzip(b64decode(text, validate=True))
    except ValueError as error:
        raise ReadError("holds a digest that can't be read (no Base64)", hint="it may be truncated") from error


def unzip(data: bytes) -> bytes:
    """Return what gzip holds, within reason. Raises ReadError."""
    opened = zlib.decompressobj(wbits=31)
    try:
        plain = opened.decompress(data, _MOST_DIGEST_BYTES)
    except zlib.error as error:
        raise ReadError("holds a digest that can't be read (no gzip)", hint="it may be truncated") from error
    if not opened.eof:
        what = "is too large" if opened.unconsumed_tail else "is truncated"
        raise ReadError(f"holds a digest that {what}", hint="write the report again from its results")
    return plain
