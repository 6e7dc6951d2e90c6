"""Chooses the items of a file that are its checks: those that look most like checks, and agree with its numbers."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.announced import Announced, Sort
from plain_verdict.readers.mapping.draft.choice import Choice, Inner, inherits_name, known_share, tally_of
from plain_verdict.readers.mapping.draft.exchanges import exchange_fields
from plain_verdict.readers.mapping.draft.fields import Candidate
from plain_verdict.readers.mapping.draft.guess import Guess, Legend, guess, meanings_of, score_of
from plain_verdict.readers.mapping.draft.inner_lists import (
    are_findings,
    error_of,
    is_attempts,
    is_compliance,
    is_evidence,
    is_expectations,
    is_problems,
    is_steps,
    lists_of,
)
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of, is_called
from plain_verdict.readers.mapping.outcome_words import outcome_of_list

_OUTCOME_SCORE = 6.0
_LIKE_STEPS = 4.0
_LIKE_GROUPS = 2.0
_NAME_SCORE = 3.0
_BY_ERROR_SCORE = 3.0  # less than a word for an outcome, more than none
_ONLY_SOME = 6.0  # a list that is named for an outcome has not all checks
_IN_AGREEMENT = 5.0  # the file itself gives their numbers
_ATTEMPTS_SCORE, _EXCHANGE_SCORE, _EVENTS_SCORE = 1.5, 1.0, 1.0
_DEEPER = 0.1
_CALLED_OUTCOME = 0.9  # from which fit on a field is the outcome by its name


def choose(candidates: Sequence[Candidate], announced: Iterable[Announced], legend: Legend) -> Choice | None:
    """Return the items that look most like checks; None where there are none."""
    given = list(announced)
    choices = [_scored(_choice(candidate, candidates, legend), given, legend) for candidate in candidates]
    best = max(choices, key=lambda choice: choice.score, default=None)
    return best and best._replace(rivals=tuple(_rivals(best, choices, legend)))


def _rivals(best: Choice, choices: Sequence[Choice], legend: Legend) -> Iterator[str]:
    """Yield where other lists stand, neither around nor in the best, that have names and known outcomes."""
    for other in () if best.candidate.events else choices:
        if _is_rival(other.candidate, best.candidate) and _has_known_outcomes(other, legend):
            yield other.candidate.items.each or other.candidate.items.members


def _is_rival(other: Candidate, best: Candidate) -> bool:
    """Return whether items are neither around others nor in them, nor branches of their tree."""
    steps, best_steps = ([level.each for level in candidate.levels] for candidate in (other, best))
    if other.items.holding and other.items.each in [level.inside for level in best.levels]:
        return False
    is_listed = any(other.levels[0].each == found.each for found in best.lists)
    return not is_listed and steps[: len(best_steps)] != best_steps and best_steps[: len(steps)] != steps


def _has_known_outcomes(choice: Choice, legend: Legend) -> bool:
    field = choice.roles.get(Role.OUTCOME)
    if field is None or Role.NAME not in choice.roles or choice.candidate.events:
        return False
    return known_share(field, legend) == 1 and not meanings_of(field, legend).number


def _choice(candidate: Candidate, others: Sequence[Candidate], legend: Legend) -> Choice:
    """Return items with the roles of their fields, and what the lists in them are."""
    inside = list(lists_of(candidate, others, legend))
    exchange = exchange_fields(candidate.items, [level for level, _ in inside])
    made = guess(candidate.items, legend, exchange.holds if exchange else None)
    attempts = _attempts(made, inside, legend)
    choice = Choice(candidate, made, attempts, exchange=exchange)
    inner = inside
    if attempts:
        inner = list(lists_of(Candidate((*candidate.levels, attempts[0])), others, legend))
    return _with_kind(_with_inner(choice, inside, inner))


def _attempts(made: Guess, inside: Sequence[Inner], legend: Legend) -> Inner | None:
    """Return the list of attempts, where items do not say themselves how they ended."""
    field = made.roles.get(Role.OUTCOME)
    if field and known_share(field, legend) == 1 and fit_of(Role.OUTCOME, field.path) >= _CALLED_OUTCOME:
        return None
    return next(filter(is_attempts, inside), None)


def _with_inner(choice: Choice, inside: Sequence[Inner], inner: Sequence[Inner]) -> Choice:
    """Return items with the lists in them; ``inner`` stand in their attempts."""
    return choice._replace(
        steps=next(filter(is_steps, inner), None),
        expectations=next(filter(is_expectations, inside), None),
        problems=next((found for found in inner if is_problems(found, choice)), None),
        evidence=None if Role.EVIDENCE in choice.roles else next(filter(is_evidence, inner), None),
    )


def _with_kind(choice: Choice) -> Choice:
    findings = are_findings(choice)
    choice = choice._replace(is_compliance=findings or is_compliance(choice), are_findings=findings)
    is_untold = Role.OUTCOME not in choice.roles and not choice.candidate.lists and not choice.steps
    return choice._replace(error=error_of(choice) if is_untold else None)


def _scored(choice: Choice, announced: Sequence[Announced], legend: Legend) -> Choice:
    """Return items with how much they look like checks."""
    candidate = choice.candidate
    parts = (
        (True, score_of(choice.roles, candidate.items.number) - _DEEPER * len(candidate.levels)),
        (True, _outcome_score(choice)),
        (inherits_name(choice), _NAME_SCORE),
        (choice.attempts, _ATTEMPTS_SCORE),
        (candidate.events, _EVENTS_SCORE),
        (choice.exchange, _EXCHANGE_SCORE),
        (not candidate.lists and outcome_of_list(last_key(candidate.items.each)), -_ONLY_SOME),
        (_are_steps_of_checks(choice, legend), -_LIKE_STEPS),
        (is_called("groups", candidate.items.each), -_LIKE_GROUPS),
        (in_agreement(tally_of(choice, legend), announced), _IN_AGREEMENT),
    )
    return choice._replace(score=sum(score for holds, score in parts if holds))


def _outcome_score(choice: Choice) -> float:
    """Return how much it counts that items without an outcome of their own tell how they ended."""
    if Role.OUTCOME in choice.roles:
        return 0.0
    if choice.candidate.lists or choice.steps:
        return _OUTCOME_SCORE
    return _BY_ERROR_SCORE if choice.error or choice.expectations or choice.are_findings else 0.0


def last_key(each: str) -> str:
    """Return the key at the end of a path."""
    return each.removesuffix("[*]").rpartition(".")[2].rpartition("/")[2]


def _are_steps_of_checks(choice: Choice, legend: Legend) -> bool:
    """Return whether items stand in others that are checks, so that they are steps of these."""
    *around, items = choice.candidate.levels
    if around and is_called("steps", items.each):
        return True
    if not is_called("expectations", items.each) and not any(is_called("checks", level.each) for level in around):
        return False
    if choice.attempts and inherits_name(choice):
        return False
    return any(Role.OUTCOME in guess(level, legend).roles for level in around)


def in_agreement(tally: Counter[Outcome], announced: Sequence[Announced]) -> bool:
    """Return whether the numbers of passes and failures that a file gives are those of its items."""
    given = {sort: {number.number for number in announced if number.sort is sort} for sort in Sort}
    failed = {tally[Outcome.FAILED], tally[Outcome.FAILED] + tally[Outcome.ERRORED]}
    passed = tally[Outcome.PASSED] in given[Sort.PASSED] or tally.total() in given[Sort.TOTAL]
    return bool(tally) and passed and bool(failed & given[Sort.FAILED])
