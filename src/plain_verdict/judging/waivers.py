"""Applies waivers: a dated, reasoned permission to fail. The outcome stays what it was."""

from collections.abc import Sequence
from datetime import date, timedelta

from plain_verdict.judging.matching import Matcher
from plain_verdict.model import BAD, Check, Outcome, Remark, Run, Topic, Waived
from plain_verdict.settings.rules import WaiverRule
from plain_verdict.text.expressions import TooSlow
from plain_verdict.text.formatting import format_date, plural, spelled

_WARN = timedelta(days=7)


class Waivers:
    """What is waived, by check id; remarks for the reader of the verdict; notes for the team with the rules."""

    def __init__(self) -> None:
        self.waived: dict[str, Waived] = {}
        self.remarks: list[Remark] = []
        self.notes: list[str] = []
        self._ending: list[WaiverRule] = []

    def apply(self, rule: WaiverRule, covered: Sequence[Check], partly: int, today: date) -> None:
        """Apply a rule that covers these checks, and of so many more only a part of what failed."""
        if partly:
            counts = "it counts" if partly == 1 else "they count"
            rest = f" covers only a part of the problems of {spelled(partly, 'check')}, so {counts}."
            self._remark(rule, rest)
        bad = [check for check in covered if check.outcome in BAD]
        if bad and today > rule.until:
            self._end(rule, len(bad))
        elif bad:
            self._allow(rule, bad, today)
        elif not partly:
            self._note_unneeded(rule, covered)

    def _end(self, rule: WaiverRule, failures: int) -> None:
        verb = "counts" if failures == 1 else "count"
        until = format_date(rule.until)
        self._remark(rule, f" ended on {until}, and {spelled(failures, 'check')} {verb} again.")

    def _remark(self, rule: WaiverRule, rest: str) -> None:
        self.remarks.append(Remark(Topic.NOT_COUNTED, f"The waiver “{rule.reason}”", rest))

    def _note_unneeded(self, rule: WaiverRule, covered: Sequence[Check]) -> None:
        passes = any(check.outcome is Outcome.PASSED for check in covered) and not _by_problem(rule)
        why = "the checks that it matches pass now" if passes else "it matches no failure"
        self.notes.append(f"Waiver “{rule.reason}” is not needed: {why}.")

    def _allow(self, rule: WaiverRule, bad: Sequence[Check], today: date) -> None:
        """Waive the failures that no other rule waives, as many as the rule allows."""
        fresh = [check for check in bad if check.id not in self.waived]
        if len(fresh) < len(bad):
            twice = plural(len(bad) - len(fresh), "check")
            self.notes.append(f"{twice} matched by two waivers; the first counts.")
        allowed = fresh if rule.most is None else fresh[: rule.most]
        if len(allowed) < len(fresh):
            over = spelled(len(fresh) - len(allowed), "check")
            self._remark(rule, f" covers at most {rule.most}; {over} more failed.")
        self.waived |= {check.id: Waived(rule.reason, rule.until, rule.who, rule.link) for check in allowed}
        if rule.until - today <= _WARN:
            self._ending.append(rule)

    def note_ending(self) -> None:
        """Add what ends soon. Where all end on one day, what is not counted names it already."""
        if len({waived.until for waived in self.waived.values()}) > 1:
            for rule in self._ending:
                self._remark(rule, f" ends on {format_date(rule.until)}.")


def apply_waivers(run: Run, rules: Sequence[WaiverRule], today: date) -> Waivers:
    """Return what the rules waive on that day."""
    waivers = Waivers()
    for rule in rules:
        try:
            covered, partly = _covered(run, rule)
        except TooSlow:
            waivers.notes.append(f"Waiver “{rule.reason}” takes too long to match and was switched off.")
            continue
        waivers.apply(rule, covered, partly, today)
    waivers.note_ending()
    return waivers


def _covered(run: Run, rule: WaiverRule) -> tuple[list[Check], int]:
    """Return the checks that a rule covers, and how many more have a problem besides the one it knows."""
    matcher = Matcher(rule.match)
    fitting = [check for file in run.files for check in file.checks if matcher.covers(check, file.path)]
    covered = [check for check in fitting if matcher.knows_all(check)]
    return sorted(covered, key=lambda check: (check.suite, check.title, check.id)), len(fitting) - len(covered)


def _by_problem(rule: WaiverRule) -> bool:
    """Return whether the waiver looks at problems, which a check that passes has none of."""
    match = rule.match
    return any((match.message, match.type, match.detail, match.step, match.outcome))
