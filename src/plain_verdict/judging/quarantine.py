"""Keeps unsteady checks in quarantine: their failures do not count, for so many checks and days.

A check comes in by itself and leaves by itself; earlier builds keep the days, so that no file has to be edited.
Today is the day of the run, so that its report tells the same whenever it is made.
"""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date, timedelta

import msgspec

from plain_verdict.judging.matching import Matcher
from plain_verdict.model import (
    BAD,
    AlignedHistory,
    Check,
    ConditionResult,
    NotCounted,
    Past,
    Quarantined,
    QuarantineState,
    Remark,
    Run,
    State,
    Topic,
    Waived,
    as_columns,
    detailed_of,
)
from plain_verdict.settings.rules import QuarantineRule
from plain_verdict.text.expressions import TooSlow
from plain_verdict.text.formatting import join_list, plural, spelled

_NOT_RUN = Past.SKIPPED + Past.UNDECIDED + Past.ABSENT
_IN_REMARK = 3  # checks in a remark


class Quarantine:
    """What the rules keep in quarantine: its checks, what is waived by it, conditions, remarks and notes."""

    def __init__(self, run: Run, waived: Mapping[str, Waived], today: date) -> None:
        self.checks: list[Quarantined] = []
        self.waived: dict[str, Waived] = {}
        self.conditions: list[ConditionResult] = []
        self.notes: list[str] = []
        self._waived_before = waived
        build = run.in_series.now.build if run.in_series else None
        self._today = build.started.date() if build and build.started else today
        self._traces = run.in_series.traces if run.in_series else AlignedHistory()
        earlier = [entry for build in self._traces.builds[-1:] for entry in build.quarantine]
        self._earlier = {entry.id: entry for entry in earlier}
        flaky = run.since.flaky if run.since else ()
        self._flaky = {flakiness.id: flakiness for flakiness in flaky}
        self._candidates = dict(self._unsteady(run))

    def apply(self, number: int, rule: QuarantineRule) -> None:
        """Keep the checks of a rule that no rule before it keeps."""
        try:
            members = [self._member(rule, check) for check in self._covered(rule)]
        except TooSlow:
            self.notes.append(f"Quarantine rule {number} takes too long to match and was switched off.")
            return
        inside = [member for member in members if member.state is QuarantineState.INSIDE]
        inside.sort(key=lambda member: (member.since, member.name, member.id))
        # Those that came first stay: the order of a file's checks must not decide whose failure counts.
        past = {member.id for member in inside[rule.limit :]}
        for member in members:
            state = QuarantineState.PAST_LIMIT if member.id in past else member.state
            self._keep(msgspec.structs.replace(member, state=state), rule)
        self._weigh(rule, len(inside))
        if members and not self._traces.builds:
            self.notes.append("No earlier build is known, so each quarantine begins today.")

    def _unsteady(self, run: Run) -> Iterator[tuple[str, tuple[Check, str]]]:
        """Yield by id what was in quarantine before, and what failed or needed a retry now, with its file."""
        for file in run.files:
            unsteady = {check.id for check in detailed_of(file.checks) if check.outcome in BAD or check.flaky}
            for check in as_columns(file.checks).named(unsteady | self._earlier.keys()):
                yield check.id, (check, file.path)

    def _covered(self, rule: QuarantineRule) -> Iterator[Check]:
        """Yield the checks that a rule keeps: those that came in before, and those that are unsteady now."""
        matcher = Matcher(rule.match) if rule.match else None
        for check, source in self._candidates.values():
            comes_in = (not rule.flaky or check.id in self._flaky) and check.id not in self._waived_before
            if (check.id in self._earlier or comes_in) and (matcher is None or matcher.covers(check, source)):
                yield check

    def _member(self, rule: QuarantineRule, check: Check) -> Quarantined:
        entry = self._earlier.get(check.id)
        since = entry.since if entry else self._today
        until = since + timedelta(days=rule.days)
        passed = self._passed_in_a_row(check)
        state = QuarantineState.INSIDE
        # A check that is steady leaves, also where its days are over: the next failure begins anew.
        if passed >= rule.release_after:
            state = QuarantineState.RELEASED
        elif self._today > until:
            state = QuarantineState.ENDED
        flaky = self._flaky.get(check.id)
        reason = rule.reason or (flaky.why if flaky else "")
        owner = join_list(check.owners)
        return Quarantined(check.id, check.whole_name, state, since, until, reason, owner, passed)

    def _passed_in_a_row(self, check: Check) -> int:
        """Return in how many builds in a row a check passed at once; those that left it out don't count."""
        if check.outcome in BAD or check.flaky:
            return 0
        past = "".join(past for _, past, _ in self._traces.of(check.id))
        now = Past.PASSED if check.outcome.value == Past.PASSED.words else ""
        ran = "".join(letter for letter in past + now if letter not in _NOT_RUN)
        return len(ran) - len(ran.rstrip(Past.PASSED))

    def _keep(self, member: Quarantined, rule: QuarantineRule) -> None:
        check, _ = self._candidates.pop(member.id)
        self.checks.append(member)
        is_free = check.outcome in BAD and check.id not in self._waived_before
        if member.state is QuarantineState.INSIDE and is_free:
            reason = member.reason or "unsteady"
            self.waived[check.id] = Waived(
                reason, member.until, member.owner, rule.link, by=NotCounted.IN_QUARANTINE
            )

    def _weigh(self, rule: QuarantineRule, inside: int) -> None:
        name = f"Quarantine “{rule.reason}”" if rule.reason else "Quarantine"
        words = f"{name}: at most {plural(rule.limit, 'check')}"
        state = State.NOT_MET if inside > rule.limit else State.MET
        self.conditions.append(ConditionResult(words, state, f"{plural(inside, 'check')} in quarantine"))

    def keep_absent(self, rules: Sequence[QuarantineRule]) -> None:
        """Keep the days of checks that this run does not have, as long as a known build has them.

        A run of some checks must not begin the days of the others anew.
        """
        days = timedelta(days=max(rule.days for rule in rules))
        for entry in self._earlier.values():
            if entry.id in self._traces.others:
                state = QuarantineState.ABSENT
                self.checks.append(Quarantined(entry.id, entry.name, state, entry.since, entry.since + days))

    @property
    def remarks(self) -> Iterator[Remark]:
        """Yield what changed: checks that left, and those whose days are over."""
        released = [member.name for member in self.checks if member.state is QuarantineState.RELEASED]
        if released:
            verb = "was" if len(released) == 1 else "were"
            lead = f"{spelled(len(released), 'check').capitalize()} {verb} released from quarantine"
            yield Remark(Topic.CHANGES, lead, f": {join_list(released, most=_IN_REMARK)}.")
        ended = [member.name for member in self.checks if member.state is QuarantineState.ENDED]
        if ended:
            verb = "counts" if len(ended) == 1 else "count"
            lead = f"The quarantine of {spelled(len(ended), 'check')}"
            yield Remark(
                Topic.NOT_COUNTED,
                lead,
                f" is over, and what fails {verb} again: {join_list(ended, most=_IN_REMARK)}.",
            )


def apply_quarantine(
    run: Run, rules: Sequence[QuarantineRule], waived: Mapping[str, Waived], today: date
) -> Quarantine:
    """Return what the rules keep in quarantine; what is waived already needs none.

    ``today`` is the day of a run that does not say when it was.
    """
    quarantine = Quarantine(run, waived, today)
    for number, rule in enumerate(rules, 1):
        quarantine.apply(number, rule)
    if rules:
        quarantine.keep_absent(rules)
    return quarantine
