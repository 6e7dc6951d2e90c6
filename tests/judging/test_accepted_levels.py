"""Levels of durations and metrics that a team accepts as of a build."""

import json
from datetime import UTC, datetime, timedelta

import pytest

from plain_verdict.judging.accepted_levels import with_accepted_levels
from plain_verdict.model import AlignedHistory, Build, ChangesSince, HistoryContext, KeptRun, LevelChange, Run
from plain_verdict.settings.rules import LevelRule

FIRST = datetime(2026, 11, 1, 2, tzinfo=UTC)
BUILDS = [Build(str(key), "s", FIRST + timedelta(days=key - 4201), build=str(key)) for key in range(4201, 4211)]


def level(name, since):
    return LevelChange("", name, 2.0, 1.0, since, 3, 1.0, 0.8, 1.2, 7)


CHANGES = (level("95 % of Pay", "4206"), level("queue depth", "4208"))
# A rule, what is left, and what its note says.
RULES = [
    (LevelRule(as_of="4208", metric="*"), [], "leaves out 2 changes of level"),
    (LevelRule(as_of="4207", metric="*"), ["queue depth"], "leaves out 1 change of level"),
    (
        LevelRule(as_of="4210", metric="95 % of *", reason="a new bank"),
        ["queue depth"],
        "1 (“a new bank”) leaves out",
    ),
    (LevelRule(as_of="4205", metric="*"), ["95 % of Pay", "queue depth"], ""),
    (LevelRule(as_of="4100", metric="*"), ["95 % of Pay", "queue depth"], "build 4100 is not among the builds"),
]


@pytest.mark.parametrize(("rule", "left", "note"), RULES)
def test_changes_up_to_a_build_are_accepted_and_later_ones_count(rule, left, note):
    since = ChangesSince("s", "4210", BUILDS[-2], AlignedHistory(tuple(BUILDS[:-1])), metrics=CHANGES)
    run = with_accepted_levels(Run(files=(), in_series=HistoryContext(KeptRun(BUILDS[-1]), since=since)), [rule])
    assert [change.name for change in run.in_series.since.metrics] == left
    notes = " ".join(run.in_series.notes)
    assert note in notes
    assert bool(notes) is bool(note)


def test_a_check_that_is_slower_is_accepted_by_its_name(tool, tmp_path):
    found = {}
    for build in range(1, 15):
        times = {"sums up": 9.0 if build > 11 else 3.0, "searches": 4.0, "pays": 2.0, "prints": 1.5}
        cases = "".join(
            f'<testcase classname="desk" name="{name}" time="{took * (1 + 0.01 * (build % 3))}"/>'
            for name, took in times.items()
        )
        when = (FIRST + timedelta(days=build)).isoformat()
        (tmp_path / "r.xml").write_text(
            f'<testsuites><testsuite timestamp="{when}">{cases}</testsuite></testsuites>'
        )
        for rule in ("", "sums*", "pays") if build == 14 else ("",):
            (tmp_path / "plain-verdict.toml").write_text(
                f'[[accepted_level]]\nas_of = "13"\nmatch = {{ check = "{rule}" }}\n' if rule else ""
            )
            done = tool(
                "report", "r.xml", "--title", "Desk", "--no-git", "--build", str(build), "--overwrite", "--json"
            )
            summary = json.loads(done.out)
            found[rule] = [change["name"] for change in (summary["history"] or {"slower": []})["slower"]]
    assert found == {"": ["desk › sums up"], "sums*": [], "pays": ["desk › sums up"]}
    (tmp_path / "plain-verdict.toml").write_text('[[accepted_level]]\nas_of = "13"\n')
    done = tool("report", "r.xml")
    assert (done.code, "accepted_level[0]: needs match or metric" in done.err) == (2, True)
