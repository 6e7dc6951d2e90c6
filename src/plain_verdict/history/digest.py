"""The digest of a run as JSON, in its page or in its own file: described in docs/history.md.

A page carries its own run and a chain of its forerunners, whose outcomes are one letter a check and whose times are
rounded, so that one page is enough to go on from.
"""

import re
import zlib
from array import array
from base64 import b64decode, b64encode
from collections.abc import Iterator, Sequence
from typing import overload

import msgspec
from zlib_ng import zlib_ng

from plain_verdict.history.alignment import FINE_UP_TO
from plain_verdict.history.interface import CHAIN, NAME_CHARS
from plain_verdict.history.time_quantization import COARSE, FINE, Levels, pack_times, unpack_times
from plain_verdict.model import (
    AlignedHistory,
    Attempt,
    Build,
    Check,
    CheckIndex,
    KeptRun,
    Outcome,
    Past,
    Run,
    RunDetail,
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
_RETRIED = re.compile(Past.PASSED_ON_RETRY)


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
    """What checks are called, made when somebody asks: in most runs for a few of them."""

    def __init__(self, checks: Sequence[Check]) -> None:
        self._checks = checks

    def __len__(self) -> int:
        return len(self._checks)

    def __iter__(self) -> Iterator[str]:
        suites: dict[tuple[str, ...], str] = {}
        for check in self._checks:
            if check.suite not in suites:
                suites[check.suite] = "".join(f"{part} › " for part in check.suite)
            is_plain = not (check.parameters or check.variant or check.disambiguator)
            yield f"{suites[check.suite]}{check.name if is_plain else check.bare_title}"[:NAME_CHARS]

    @overload
    def __getitem__(self, position: int) -> str: ...
    @overload
    def __getitem__(self, position: slice) -> "CheckNames": ...
    def __getitem__(self, position: int | slice) -> "str | CheckNames":
        """Return the suite and name of a check in one line."""
        if isinstance(position, slice):
            return CheckNames(self._checks[position])
        check = self._checks[position]
        return check.whole_name[:NAME_CHARS]


def keep_run(run: Run, build: Build) -> KeptRun:
    """Return what is kept of a run."""
    checks = run.checks
    ids = [check.id for check in checks]
    last = [check.attempts[-1] for check in checks]
    letters: list[str] = [LETTERS[attempt.outcome] for attempt in last]
    for position, check in enumerate(checks):
        if len(check.attempts) > 1 and check.flaky:
            letters[position] = Past.PASSED_ON_RETRY
    times = _times_ms(last)
    # Going through the checks themselves in an order that is not theirs would take twice as long.
    order = sorted(range(len(ids)), key=ids.__getitem__)
    index = CheckIndex(tuple([ids[at] for at in order]), CheckNames([checks[at] for at in order]))
    return KeptRun(build, index, "".join([letters[at] for at in order]), array("I", [times[at] for at in order]))


def _times_ms(attempts: Sequence[Attempt]) -> list[int]:
    """Return what each attempt took, in milliseconds: 0 where nobody knows, at least 1 where it took time."""
    times = [round(1000 * s) or 1 if (s := attempt.took_s) and s > 0 else 0 for attempt in attempts]
    if max(times, default=0) > _MOST_MS:
        times = [min(time, _MOST_MS) for time in times]
    return times


def make_digest(run: KeptRun, traces: AlignedHistory, *, in_columns: bool = False) -> Digest:
    """Return the digest of a run with its forerunners; ``in_columns``: the page holds its checks."""
    index, checks = run.check_index, None
    if not in_columns:
        checks = DigestChecks(list(index.ids), list(index.names), run.outcomes, list(run.times))
    retried = [index.ids[found.start()] for found in _RETRIED.finditer(run.outcomes)] if in_columns else []
    return Digest(
        schema=SCHEMA,
        run=run.build,
        checks=checks,
        retried=retried,
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
    return KeptRun(
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
        yield KeptRun(build, index, letters[position :: len(chain)], column, coarse=True)


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
