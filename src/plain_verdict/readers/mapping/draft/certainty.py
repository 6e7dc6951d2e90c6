"""What is uncertain about a drafted mapping: guessed words, numbers that do not agree, parts that are left out."""

import tomllib
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from itertools import chain
from typing import NamedTuple

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Outcome
from plain_verdict.readers.mapping.announced import Announced, Sort
from plain_verdict.readers.mapping.checking import check_mapping
from plain_verdict.readers.mapping.draft.choice import ERRORS, Choice, inherits_name, known_share
from plain_verdict.readers.mapping.draft.drafting import Draft, draft_mapping
from plain_verdict.readers.mapping.draft.fields import Field, Level
from plain_verdict.readers.mapping.draft.guess import Guess, Legend, meanings_of
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of, is_called
from plain_verdict.readers.mapping.draft.toml import as_toml
from plain_verdict.readers.mapping.draft.toml_values import UNIT_IS_GUESS
from plain_verdict.readers.mapping.outcome_words import names_failure
from plain_verdict.readers.mapping.reader import MappingReader, MappingReading
from plain_verdict.runtime.errors import PlainVerdictError, ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import MappingFile, ResultMapping
from plain_verdict.text.formatting import join_list, plural

FILL_IN = "FILL IN"
_LEAST_WORD_CHARS = 2  # a letter is a code
DISAGREES = "the file reports"
_WORDS_SHOWN = 5
_RESULT_SCORE = 6.0
"""From which likeness on a file that is not read looks like results."""


class Drafted(NamedTuple):
    """A drafted mapping: its text, the mapping itself, what is uncertain about it, and the checks that it finds."""

    text: str
    mapping: ResultMapping
    doubts: tuple[str, ...]
    checks: tuple[Check, ...] = ()
    looks_like_results: bool = False
    unit_is_guess: bool = False
    """Whether nothing tells the unit of its durations."""


def drafted_mapping(source: Source, limits: Limits) -> Drafted:
    """Return the draft of a file, checked against the whole file. Raises ReadError where nothing can be drafted."""
    draft = draft_mapping(source, limits)
    text = as_toml(draft)
    try:
        (mapping,) = msgspec.convert(tomllib.loads(text), MappingFile).mapping
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise ReadError(f"has keys of which no mapping can be made: {error}", path=source.path) from error
    drafted = Drafted(
        text,
        mapping,
        (*(["some keys must be filled in by hand"] if FILL_IN in text else []), *_doubts_of_choice(draft)),
        looks_like_results=_looks_like_results(draft),
        unit_is_guess=UNIT_IS_GUESS in text,
    )
    try:
        check_mapping(mapping, "mapping[0]")
        return _tried_sums(drafted, source, limits) if draft.sums else _tried(drafted, draft, source, limits)
    except PlainVerdictError as error:
        return drafted._replace(doubts=(*drafted.doubts, error.what))


def _tried_sums(drafted: Drafted, source: Source, limits: Limits) -> Drafted:
    """Return a draft of a load summary with what is odd when it is read. Raises ReadError."""
    notes = MappingReader(drafted.mapping, is_ours=True).read(source, limits).notes
    odd = [f"it {note.what}" for note in notes if not note.quiet and "holds nothing" not in note.what]
    return drafted._replace(doubts=(*drafted.doubts, *odd))


def _tried(drafted: Drafted, draft: Draft, source: Source, limits: Limits) -> Drafted:
    """Return a draft with the checks that it finds in the whole file, and what is odd. Raises ReadError."""
    reading = MappingReading(drafted.mapping, source, limits, is_ours=True)
    checks = reading.checks()
    announced = reading.announced()
    counted = [check for check in checks if check.id not in reading.making.of_levels]
    odd = [
        f"it {note.what}{f' ({note.where})' if note.where else ''}" for note in reading.notes() if not note.quiet
    ]
    doubts = [
        *drafted.doubts,
        *odd,
        *_passed_with_error(draft.choice, reading),
        *_disagreements(counted, announced),
        *([] if checks else ["it finds no check"]),
    ]
    return drafted._replace(doubts=tuple(_without_confirmed(doubts, draft.choice, announced)), checks=checks)


def _passed_with_error(choice: Choice, reading: MappingReading) -> Iterator[str]:
    """Yield that checks passed which have an error, by the name of its place."""
    roles = choice.problems[1].roles if choice.problems else choice.roles
    around = choice.problems[0].each if choice.problems else ""
    paths = [around, *(roles[role].path for role in ERRORS if role in roles)]
    named = next(filter(names_failure, paths), None)
    # Lists that are named for outcomes leave no doubt.
    if named and reading.making.counts.passed_with_problem and not choice.candidate.lists:
        yield f"{plural(reading.making.counts.passed_with_problem, 'check')} passed with something at “{named}”"


def _looks_like_results(draft: Draft) -> bool:
    """Return whether items have words for outcomes that are known, or numbers of requests."""
    choice = draft.choice
    if any((draft.sums, choice.candidate.lists, choice.exchange, choice.are_findings)):
        return True
    field = choice.roles.get(Role.OUTCOME)
    if field is None:
        return any((choice.expectations, choice.steps))
    has_words = not meanings_of(field, draft.legend).number and known_share(field, draft.legend) > 0.5
    has_name = Role.NAME in choice.roles or inherits_name(choice)
    return all((has_words, has_name, choice.score >= _RESULT_SCORE))


_BY_ERROR = "only an error tells which checks failed; all others are taken for passed"


def _doubts_of_choice(draft: Draft) -> Iterator[str]:
    """Yield what is a guess about the items and their outcomes."""
    choice, field, name = draft.choice, draft.choice.roles.get(Role.OUTCOME), draft.choice.roles.get(Role.NAME)
    if draft.sums:
        yield from ["nothing tells the unit of its times"] if draft.sums.unit_is_guess else []
        return
    if draft.rows_above > 1:  # one is a title, with a date beside it
        yield f"{plural(draft.rows_above, 'row')} above the header are not read"
    yield from _doubts_of_lists(choice)
    if field is not None and not choice.candidate.lists:
        yield from _doubts_of_outcome(field, draft.legend)
    if name is not None and not _is_called_name(name, choice):
        yield f"“{name.path}” is taken for the name"
    yield from (f"“{path}” looks like checks, too" for path in choice.rivals)


def _doubts_of_lists(choice: Choice) -> Iterator[str]:
    """Yield what the lists of items, and those in them, are taken for."""
    if choice.are_findings:
        yield "each item is taken for something that breaks a rule"
    if choice.attempts and not _are_surely_attempts(choice, *choice.attempts):
        yield f"the last of several at “{choice.attempts[0].each}” is taken for how a check ended"
    if choice.error or _met_by_error(choice):
        yield _BY_ERROR


def _are_surely_attempts(choice: Choice, attempts: Level, made: Guess) -> bool:
    """Return whether a list holds attempts, not results of several browsers: by its name, or by their numbers."""
    has_single = attempts.number <= choice.candidate.items.number
    return has_single or Role.ATTEMPT in made.roles or not is_called("results", attempts.each)


def _is_called_name(name: Field, choice: Choice) -> bool:
    return bool(fit_of(Role.NAME, name.path) or choice.candidate.items.columns)


def _met_by_error(choice: Choice) -> bool:
    """Return whether only an error tells that an expectation is not met."""
    return choice.expectations is not None and Role.OUTCOME not in choice.expectations[1].roles


def _doubts_of_outcome(field: Field, legend: Legend) -> Iterator[str]:
    """Yield which values at the place of an outcome are codes, counts, or words for what nobody knows."""
    found = meanings_of(field, legend)
    if found.number:
        yield f"0 at “{field.path}” is taken for a pass"
    letters = sorted({value for value in field.values if len(value.strip()) < _LEAST_WORD_CHARS})
    if letters and not legend:
        yield f"the codes {_quoted(letters)} at “{field.path}” are taken for outcomes"
    if unclear := found.known.get(Outcome.UNDECIDED):
        yield f"{_quoted(list(unclear))} at “{field.path}” is taken for undecided"


def _quoted(words: Sequence[str]) -> str:
    return join_list([f"“{word}”" for word in words[:_WORDS_SHOWN]])


def _disagreements(checks: Sequence[Check], announced: Iterable[Announced]) -> Iterator[str]:
    """Yield each number that the file gives, and that is not what was read."""
    attempts = chain.from_iterable(check.attempts for check in checks)
    tallies = (Counter(check.outcome for check in checks), Counter(attempt.outcome for attempt in attempts))
    for sort, numbers in _by_sort(announced).items():
        allowed = set.union(*(_allowed(sort, tally) for tally in tallies))
        if sum(number.number for number in numbers) not in allowed:
            yield from (_disagreement(number, allowed) for number in numbers if number.number not in allowed)


def _by_sort(announced: Iterable[Announced]) -> dict[Sort, list[Announced]]:
    by_sort: dict[Sort, list[Announced]] = {}
    for number in announced:
        by_sort.setdefault(number.sort, []).append(number)
    return by_sort


def _disagreement(number: Announced, allowed: set[int]) -> str:
    if number.sort is Sort.RUN:
        return f"{DISAGREES} at {number.path} that it failed, the draft finds no check that did"
    found = f"the draft finds {max(allowed):,} {number.sort.value}"
    return f"{DISAGREES} {number.number:,} at {number.path}, {found}"


def _allowed(sort: Sort, tally: Counter[Outcome]) -> set[int]:
    """Return the numbers that a file may give of such checks: some count errors as failures, or leave out skips."""
    failed, errored = tally[Outcome.FAILED], tally[Outcome.ERRORED]
    skipped, undecided, passed = tally[Outcome.SKIPPED], tally[Outcome.UNDECIDED], tally[Outcome.PASSED]
    match sort:
        case Sort.TOTAL:
            return {tally.total(), tally.total() - skipped}
        case Sort.PASSED:
            return {passed}
        case Sort.FAILED:
            return {failed, failed + errored}
        case Sort.ERRORED:
            return {errored, failed + errored}
        case Sort.SKIPPED:
            return {skipped, skipped + undecided}
        case Sort.RUN:
            return {1} if failed + errored else {0}


def _without_confirmed(doubts: Sequence[str], choice: Choice, announced: Iterable[Announced]) -> Iterator[str]:
    """Yield the doubts that the file's own numbers do not take away: where they confirm passes and failures."""
    sorts = {number.sort for number in announced}
    confirmed = Sort.FAILED in sorts and (Sort.PASSED in sorts or Sort.TOTAL in sorts)
    agrees = not any(doubt.startswith(DISAGREES) for doubt in doubts)
    for doubt in doubts:
        if doubt == _BY_ERROR and confirmed and agrees and not choice.expectations:
            continue
        yield doubt


def doubts_in_words(drafted: Drafted) -> str:
    """Return in one sentence how sure a draft is."""
    if not drafted.doubts:
        return "this draft is certain: all outcomes are known words, and nothing of the same form is left out."
    return f"this draft is a guess in {plural(len(drafted.doubts), 'point')}: check it."
