"""Measures: each is one object, and a new one is one object more."""

from datetime import date

import pytest

from plain_verdict import judge
from plain_verdict.judging.conditions import check_condition
from plain_verdict.judging.measures import MEASURES
from plain_verdict.judging.measures.interface import COUNT, Measure
from plain_verdict.model import Attempt, Check, Kind, Outcome, ResultFile, Run, State
from plain_verdict.settings.rules import ConditionRule, Rules, Scope

LONGEST = Measure(
    "longest name",
    COUNT,
    lambda scope: max((len(check.name) for check in scope.checks), default=None),
    lambda _, number: f"{number:.0f} letters",
    scope_keys=frozenset({"suite"}),
)


@pytest.fixture
def with_longest(monkeypatch):
    monkeypatch.setattr("plain_verdict.judging.measures.MEASURES", (*MEASURES, LONGEST))


def rule(**given: object) -> ConditionRule:
    return ConditionRule(measure="longest name", at_most=5, **given)


@pytest.mark.parametrize(
    ("scope", "state", "met"),
    [
        (Scope(), State.NOT_MET, "7 letters"),
        (Scope(suite="Quay"), State.MET, "5 letters"),
        (Scope(suite="Sea"), State.OPEN, "no results to measure"),
    ],
)
@pytest.mark.usefixtures("with_longest")
def test_a_new_measure_needs_its_row_only(scope, state, met):
    checks = tuple(
        Check(f"c-{name}", Kind.FUNCTIONAL, (suite,), name, (Attempt(Outcome.PASSED),))
        for suite, name in (("Quay", "sails"), ("Desk", "payment"))
    )
    run = Run((ResultFile("r.xml", "junit-xml", 1, checks),))
    conditions = judge(run, Rules(conditions=(rule(scope=scope),)), date(2026, 11, 22)).conditions
    assert [
        (one.state, one.met)
        for one in conditions
        if one.words.startswith("Longest name") and one.words.endswith(": at most 5")
    ] == [(state, met)]


@pytest.mark.usefixtures("with_longest")
def test_a_scope_that_a_measure_does_not_know_is_refused():
    check_condition(rule(scope=Scope(suite="Quay")))
    with pytest.raises(ValueError, match="scope: the measure 'longest name' has no scope 'tag'"):
        check_condition(rule(scope=Scope(tag="smoke")))
