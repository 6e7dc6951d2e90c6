"""Quarantine: unsteady checks come in and leave by themselves, for so many checks and days."""

import json
from datetime import date, timedelta

import pytest
from lxml import html

from nights import write_build

RULE = '[[quarantine]]\nmatch = { check = "check *" }\nlimit = 2\ndays = 5\nrelease_after = 3\n'
FIRST = date(2026, 11, 1)
INSIDE, PAST, ENDED, RELEASED = "in quarantine", "past the limit", "ended", "released"


class Nights:
    """Nights of one series, a day after another, with rules in a file."""

    def __init__(self, folder, tool):
        self.folder, self.tool = folder, tool
        self.number = 0

    def report(self, day, outcomes, rules=RULE, *options):
        self.number += 1
        write_build(self.folder / "r.xml", day, outcomes)
        results = (self.folder / "r.xml").read_text()
        (self.folder / "r.xml").write_text(results.replace("T02:00:00", f"T02:{self.number:02}:00"))
        (self.folder / "plain-verdict.toml").write_text(rules)
        facts = ["--title", "Desk", "--no-git", "--build", str(4200 + self.number)]
        arguments = [
            "report",
            "r.xml",
            *facts,
            "--fact",
            "branch=main",
            "--overwrite",
            "--json",
            "--markdown",
            "v.md",
        ]
        done = self.tool(*arguments, *(options or ("--history", "h.db", "--no-find-previous")))
        assert done.code == 0, done.err
        return json.loads(done.out)


@pytest.fixture
def nights(tmp_path, tool):
    return Nights(tmp_path, tool)


def members(summary):
    return {
        int(entry["name"][-1]): (entry["state"], (date.fromisoformat(entry["since"]) - FIRST).days)
        for entry in summary["quarantine"]
    }


# Outcomes of three checks a night; the state of each check in quarantine, with the day on which it came in; how many
# failures count; and whether the limit of two checks is kept.
WEEK = [
    (0, "pfp", {1: (INSIDE, 0)}, 0, True),
    (1, "ppp", {1: (INSIDE, 0)}, 0, True),
    (2, "fpp", {0: (INSIDE, 2), 1: (INSIDE, 0)}, 0, True),
    (2, "fpf", {0: (INSIDE, 2), 1: (RELEASED, 0), 2: (INSIDE, 2)}, 0, True),
    (3, "ffr", {0: (INSIDE, 2), 1: (PAST, 3), 2: (INSIDE, 2)}, 1, False),
    (7, "ffp", {0: (INSIDE, 2), 1: (PAST, 3), 2: (INSIDE, 2)}, 1, False),
    (8, "ffp", {0: (ENDED, 2), 1: (INSIDE, 3), 2: (ENDED, 2)}, 1, True),
    (8, "psp", {0: (ENDED, 2), 1: (INSIDE, 3), 2: (RELEASED, 2)}, 0, True),
    (8, "p-p", {0: (ENDED, 2), 1: ("not in this run", 3)}, 0, True),
    (8, "-fp", {0: ("not in this run", 2), 1: (INSIDE, 3)}, 0, True),  # ended, and left out once
    (8, "fpp", {0: (ENDED, 2), 1: (INSIDE, 3)}, 1, True),  # its days don't begin anew
    (8, "ppp", {0: (ENDED, 2), 1: (INSIDE, 3)}, 0, True),
    (9, "ppp", {0: (ENDED, 2), 1: (RELEASED, 3)}, 0, True),
    (9, "ppp", {0: (RELEASED, 2)}, 0, True),
    (9, "fpp", {0: (INSIDE, 9)}, 0, True),
]


@pytest.mark.parametrize("way", [("--history", "h.db", "--no-find-previous"), ()])
def test_checks_come_in_and_leave_by_themselves(way, nights, tmp_path):
    for build, (day, outcomes, wanted, counting, is_kept) in enumerate(WEEK):
        summary = nights.report(day, outcomes, RULE, *way)
        assert members(summary) == wanted, build
        assert summary["counts"]["failed"] - summary["waived"] == counting, build
        broken = (
            "Quarantine: at most 2 checks | not met | 3 checks in quarantine" in (tmp_path / "v.md").read_text()
        )
        assert broken is not is_kept, build
        assert (summary["verdict"] == "fit") is (not counting and is_kept), build


def test_flaky_checks_come_in_once_history_finds_them(nights):
    rule = '[[quarantine]]\nflaky = true\nreason = "Flaky until Desk 5"\n'
    for day in range(20):
        summary = nights.report(day, ("f" if day % 4 == 3 else "p") + ("f" if day > 18 else "p"), rule)
    assert members(summary) == {0: (INSIDE, members(summary)[0][1])}
    assert summary["sentence"].startswith("Not fit")  # the other check only broke
    (entry,) = summary["quarantine"]
    assert (entry["reason"], entry["passed"]) == ("Flaky until Desk 5", 0)
    assert date.fromisoformat(entry["until"]) - date.fromisoformat(entry["since"]) == timedelta(days=14)


def test_a_waived_check_needs_no_quarantine_and_every_output_lists_the_others(nights, tmp_path):
    waiver = '[[waiver]]\nmatch = { check = "check 0" }\nreason = "known"\nuntil = 2027-01-01\n'
    owner = '[[owner]]\nname = "@desk"\nmatch = { check = "check 1" }\n'
    nights.report(0, "ppp", RULE + waiver + owner)
    outputs = ("--mail", "v.eml", "--tables", "t", "--history", "h.db", "--no-find-previous")
    summary = nights.report(1, "ffp", RULE + waiver + owner, *outputs)
    assert summary["sentence"] == "Fit: 1 of 3 checks passed; 2 failed and are not counted."
    line = "Desk › desk.Book › check 1: in quarantine, since 2 November 2026, last day 7 November 2026, @desk"
    text = (tmp_path / "v.md").read_text().replace("\\", "").replace("\u200b", "")
    assert f"- {line}" in text
    assert "last day 7" in (tmp_path / "v.eml").read_text().replace("=\n", "")
    assert (tmp_path / "t/quarantine.csv").read_text().count(",in quarantine,2026-11-02,2026-11-07,") == 1
    page = html.fromstring((tmp_path / "verdict.html").read_bytes())
    (row,) = page.xpath("//section[@aria-labelledby='quarantine']//tbody/tr")
    assert [cell.text_content().strip() for cell in row.xpath("td")] == [
        "in quarantine",
        "2 November 2026",
        "7 November 2026",
        "0 builds",
        "@desk",
    ]


@pytest.mark.parametrize(
    ("rule", "error"),
    [
        ("[[quarantine]]\nlimit = 3", "needs match or flaky"),
        ("[[quarantine]]\nflaky = true\nlimit = 0", "quarantine[0].limit: must be 1 to 10,000"),
        ("[[quarantine]]\nflaky = true\nrelease_after = 31", "must be 1 to 30"),
        ('[[quarantine]]\nmatch = { check = "*" }', "matches everything"),
        ('[[quarantine]]\nmatch = { check = "/(/" }', "quarantine[0].match.check"),
        ('[[quarantine]]\nflaky = "yes"', "quarantine"),
    ],
)
def test_a_rule_that_makes_no_sense_is_refused_in_a_line(rule, error, tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text(rule)
    write_build(tmp_path / "r.xml", 1, "p")
    done = tool("report", "r.xml")
    assert done.code == 2
    assert error in done.err
    assert "Traceback" not in done.err
