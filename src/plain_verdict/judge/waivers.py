"""Applies waivers: a dated, reasoned permission to fail. The outcome stays what it was."""

from collections.abc import Sequence
from datetime import date, timedelta

from plain_verdict.judge.matching import Matcher, TooSlow
from plain_verdict.model import BAD, Check, Outcome, Run, Waived
from plain_verdict.rules import WaiverRule
from plain_verdict.words import plural, spelled

_WARN = timedelta(days=7)


def apply_waivers(
    run: Run, rules: Sequence[WaiverRule], today: date
) -> tuple[dict[str, Waived], tuple[str, ...], tuple[str, ...]]:
    """Return (what is waived, by check id; remarks for the reader of the verdict; notes for the team)."""
    waived: dict[str, Waived] = {}
    remarks: list[str] = []
    notes: list[str] = []
    for rule in rules:
        try:
            covered, partly = _covered(run, rule)
        except TooSlow:
            notes.append(f"Waiver “{rule.reason}” takes too long to match and was switched off.")
            continue
        if partly:
            remarks.append(
                f"The waiver “{rule.reason}” knows only a part of what failed in {spelled(partly, 'check')},"
                f" so {'it counts' if partly == 1 else 'they count'}."
            )
        bad = [check for check in covered if check.outcome in BAD]
        until = f"{rule.until.day} {rule.until:%B %Y}"
        if not bad and partly:
            continue
        if not bad:
            passes = any(check.outcome is Outcome.PASSED for check in covered) and not _by_problem(rule)
            why = "what it covers passes now" if passes else "it covers nothing"
            notes.append(f"Waiver “{rule.reason}” is not needed: {why}.")
        elif today > rule.until:
            verb = "counts" if len(bad) == 1 else "count"
            remarks.append(
                f"The waiver “{rule.reason}” ended on {until}, and {spelled(len(bad), 'check')} {verb} again."
            )
        else:
            fresh = [check for check in bad if check.id not in waived]
            if len(fresh) < len(bad):
                notes.append(f"{plural(len(bad) - len(fresh), 'check')} covered by two waivers; the first counts.")
            allowed = fresh if rule.most is None else fresh[: rule.most]
            if len(allowed) < len(fresh):
                over = spelled(len(fresh) - len(allowed), "check")
                remarks.append(f"The waiver “{rule.reason}” covers {rule.most} at most; {over} more failed.")
            waived |= {check.id: Waived(rule.reason, rule.until, rule.who, rule.link) for check in allowed}
            if rule.until - today <= _WARN:
                remarks.append(f"The waiver “{rule.reason}” ends on {until}.")
    return waived, tuple(remarks), tuple(notes)


def _covered(run: Run, rule: WaiverRule) -> tuple[list[Check], int]:
    """Return the checks that a rule covers, and how many more have a problem besides the one it knows."""
    matcher = Matcher(rule.match)
    fitting = [check for file in run.files for check in file.checks if matcher.covers(check, file.path)]
    covered = [check for check in fitting if matcher.knows_all(check)]
    return sorted(covered, key=lambda check: (check.suite, check.title, check.id)), len(fitting) - len(covered)


def _by_problem(rule: WaiverRule) -> bool:
    """Return whether the waiver looks at problems, which a check that passes has none of."""
    return bool(rule.match.message or rule.match.type or rule.match.detail or rule.match.step or rule.match.outcome)
