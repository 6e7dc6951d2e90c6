"""What a pipeline sees, night by night: the same whether history is in the pages or in a store."""

import json
import subprocess
import sys

import pytest
from lxml import html
from selenium.webdriver.support.ui import WebDriverWait

from conftest import ROOT

# Outcomes of six checks a night, and what has changed since the night before, by check. Night 4 has no results.
NIGHTS = [
    (1, "pppppp", None),
    (2, "ppfppp", {"new": [2], "fixed": [], "still_failing": []}),
    (3, "ppffpp", {"new": [3], "fixed": [], "still_failing": [2]}),
    (5, "pppfp-", {"new": [], "fixed": [2], "still_failing": [3], "removed": [5]}),
    (6, "fppspp", {"new": [0], "fixed": [], "still_failing": [], "removed": [3], "added": [5]}),
    (7, "fppepp", {"new": [], "failing_again": [3], "fixed": [], "still_failing": [0], "removed": [], "added": []}),
]
WAYS = {
    "pages with a counter": (),
    "one page that is written over": ("--overwrite",),
    "the newest under a name": ("--out", "{time}-{verdict}.html", "--latest", "newest.html"),
    "a page in a folder": ("--layout", "folder", "--out", "page"),
    "a folder that is named": ("--out", "old/verdict.html", "--previous", "old", "--no-find-previous"),
    "digests": ("--digest", "kept/{n}.json", "--previous", "kept", "--no-find-previous"),
    "a file of SQLite": ("--history", "history.db", "--no-find-previous"),
    "PostgreSQL": ("--history", "DATABASE", "--no-find-previous"),
}


@pytest.mark.parametrize("way", WAYS)
def test_each_night_tells_what_is_new_and_what_is_fixed(way, night, tmp_path, request):
    (tmp_path / "old").mkdir()
    (tmp_path / "kept").mkdir()
    ids = {}
    for number, outcomes, wanted in NIGHTS:
        options = [option.replace("{n}", str(number)) for option in WAYS[way]]
        options = [request.getfixturevalue("database") if option == "DATABASE" else option for option in options]
        done = night(number, outcomes, "--detail", *options)
        assert done.code == 0, done.err
        ids |= {check["id"]: int(check["name"][-1]) for check in done.summary["checks"]}
        if wanted is None:
            assert done.history is None
            continue
        assert {key: sorted(ids[id_] for id_ in done.history[key]) for key in wanted} == wanted, number
        builds = [(build["build"], build["missing"]) for build in done.history["builds"]]
        before = [other for other, *_ in NIGHTS if other < number]
        assert [key for key, _ in builds] == [str(4200 + other) for other in before]
    # Most keys count up by one, so the night without results is known.
    assert dict(builds)["4205"] == ["4204"]
    assert done.history["against"] == "4206"


def test_one_page_carries_thirty_forerunners_and_no_more(night, tool, tmp_path):
    for number in range(35):
        done = night(
            number, "ppf" if number % 7 == 3 else "ppp", "--overwrite", "--out", "v.html", took_s=1 + number / 100
        )
    assert [build["build"] for build in done.history["builds"]] == [str(4204 + at) for at in range(30)]
    digest = json.loads(tool("inspect", "v.html", "--json").out)
    assert (len(digest["earlier"]), digest["run"]["build"], digest["outcomes"].count("f")) == (30, "4234", 4)
    told = tool("inspect", "v.html").out
    assert "holds 30 earlier builds (4204 to 4233), 30 with durations" in told


def test_a_run_is_kept_once_and_a_late_one_takes_its_place_in_time(night, tool, store):
    for number in (1, 3, 3, 5, 2):
        night(number, "pp" if number != 3 else "pf", "--history", store, "--no-find-previous", "--overwrite")
    listed = [line.split()[0] for line in tool("history", "list", "--history", store).out.splitlines()[1:]]
    assert listed == ["4201", "4202", "4203", "4205"]
    again = night(4, "pp", "--history", store, "--no-find-previous", "--overwrite")
    assert (again.history["against"], len(again.history["fixed"])) == ("4203", 1)


def test_branches_do_not_mix_and_can_be_compared(night, store):
    night(1, "ppp", "--history", store)
    other = night(2, "fff", "--history", store, "--fact", "branch=new-fares")
    assert other.history is None
    beside = night(3, "ffp", "--history", store, "--fact", "branch=new-fares", "--against", "main")
    assert (beside.history["against"], len(beside.history["new"]), len(beside.history["builds"])) == ("4201", 2, 1)
    named = night(4, "ffp", "--history", store, "--fact", "branch=new-fares", "--against", "4202")
    assert (named.history["against"], len(named.history["fixed"])) == ("4202", 1)
    nowhere = night(5, "fpp", "--history", store, "--against", "4199")
    assert "No earlier run is of build or branch “4199”, so there is no comparison." in nowhere.err
    assert nowhere.history is None


def test_builds_of_another_branch_are_missing_nowhere(night, tool, store):
    for number in (1, 2, 3, 4):
        night(number, "ppp", "--history", store)
    night(5, "ppp", "--history", store, "--fact", "branch=new-fares")
    done = night(7, "ppp", "--history", store)
    assert done.history["missing"] == ["4206"]
    listed = tool("history", "list", "--history", store).out
    assert (listed.count("4205 "), listed.count("no results"), "4206 " in listed) == (1, 1, True)


CONDITION = '[[condition]]\nmeasure = "{}"\nat_most = {}\n'


@pytest.mark.parametrize(
    ("measure", "bound", "verdicts"),
    [
        ("new failures", 0, ["not fit", "fit", "not fit", "fit", "fit", "fit"]),
        ("failures going on for builds", 2, ["not fit"] * 6),  # nothing may fail goes on next to it
        ("flaky in history", 0, ["not fit"] * 6),
    ],
)
def test_old_failures_may_go_on_and_new_ones_stop_the_line(measure, bound, verdicts, night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text(CONDITION.format(measure, bound))
    nights = ["fpp", "fpp", "ffp", "ffp", "ffp", "fpp"]
    found = [night(number, outcomes) for number, outcomes in enumerate(nights)]
    assert [one.summary["verdict"] for one in found] == verdicts
    if measure == "new failures":
        assert found[0].summary["reasons"][-1].endswith("(1 new failure: no earlier run to compare with).")
        assert (
            found[1].summary["sentence"]
            == "Fit: 2 of 3 checks passed; 1 failed, and it is not new; the conditions allow it."
        )


def test_how_long_failures_go_on_and_what_got_slower_are_conditions(night, tmp_path):
    text = CONDITION.format("new failures", 9) + CONDITION.format("failures going on for builds", 3)
    (tmp_path / "plain-verdict.toml").write_text(text + CONDITION.format("slower checks", 1))
    found = [night(number, "fpp", took_s=1 + number % 3 / 10) for number in range(12)]
    assert [one.summary["verdict"] for one in found] == ["fit"] * 3 + ["not fit"] * 9
    assert "the longest lasts 12 builds" in " ".join(found[-1].summary["reasons"])
    slow = night(12, "ppp", took_s=62)
    assert (slow.summary["verdict"], len(slow.history["slower"])) == ("not fit", 2)
    found = [(one["now"], one["since"], one["builds"]) for one in slow.history["slower"]]
    assert found == [(62, "4212", 12), (62, "4212", 12)]


def test_a_build_that_left_a_check_out_ends_no_row_of_failures(night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text(
        CONDITION.format("new failures", 9) + CONDITION.format("failures going on for builds", 2)
    )
    found = [night(number, f"{letter}pp").summary["verdict"] for number, letter in enumerate("pfsff", 1)]
    assert found == ["fit", "fit", "fit", "fit", "not fit"]


def test_a_shell_of_its_own_finds_nothing_where_it_may_not_look(night):
    night(1, "pp")
    assert night(2, "pf", "--no-find-previous").history is None
    assert len(night(3, "pf").history["still_failing"]) == 1


def test_a_report_that_is_made_again_over_its_page_keeps_what_wstill_failing(night, tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text(
        '[report]\ntitle = "Desk"\ngit = false\n[facts]\nbranch = "main"\nbuild = "4202"\n'
        + CONDITION.format("new failures", 0)
    )
    night(1, "fp", "--overwrite")
    for _ in range(3):
        done = night(2, "fp", "--overwrite")
        assert (done.summary["verdict"], len(done.history["still_failing"])) == ("fit", 1)
    # The step that stops the line finds the same, as the pages stand where the settings say.
    judged = tool("judge", "r.xml")
    assert (judged.code, judged.out.splitlines()[0]) == (
        0,
        "Fit: 1 of 2 checks passed; 1 failed, and it is not new; the conditions allow it.",
    )
    assert tool("judge", "r.xml", "--no-find-previous").code == 1


def test_runs_of_different_things_are_not_compared_though_they_have_one_title(night, tmp_path):
    night(1, "pppp------")
    other = night(2, "----ffffff")
    assert other.history is None
    assert "The earlier runs of this series (4201) have other checks, so there is no comparison" in other.err
    again = night(3, "pfpp------")
    assert (again.history["against"], len(again.history["new"]), again.history["removed"]) == ("4201", 1, [])


def test_running_a_build_once_more_makes_no_failure_an_old_one(night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text(CONDITION.format("new failures", 0))
    night(1, "ppp")
    assert night(2, "fpp").summary["verdict"] == "not fit"
    again = night(3, "fpp", "--build", "4202")
    assert (again.summary["verdict"], again.history["against"], len(again.history["new"])) == ("not fit", "4201", 1)


def test_an_earlier_run_of_another_series_is_named(night, tmp_path):
    night(1, "fp", "--out", "other.html", "--fact", "branch=fares")
    done = night(2, "fp", "--previous", "other.html", "--no-find-previous")
    assert "None of the given runs is of the series “Desk main”: they are of “Desk fares”." in done.err
    assert done.history is None


def test_two_reports_on_one_run_are_the_same_bytes(night, tmp_path):
    night(1, "pfp")
    for name in ("a.html", "b.html"):
        night(2, "ffp", "--out", name)
    assert (tmp_path / "a.html").read_bytes() == (tmp_path / "b.html").read_bytes()


def test_a_page_without_forerunners_has_no_section_and_no_strip(night, tmp_path):
    night(1, "pf")
    page = html.fromstring((tmp_path / "verdict.html").read_text("utf-8"))
    assert not page.cssselect("#since, .trace, .only-new")


def test_twenty_nights_tell_what_is_new_whose_it_is_and_since_which_commit(database, browser, tmp_path):
    folder = tmp_path / "desk"
    script = ROOT / "examples" / "nightly" / "twenty_nights.py"
    done = subprocess.run([sys.executable, script, folder, database], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.splitlines()[19] == "night 20: Not fit: 4 of 10 checks failed, 1 of them new."
    told = (folder / "reports" / "verdict.md").read_text().replace("\\", "")
    for words in (
        "test_the_first_free_seat_is_in_front: passed in the 19 builds before; 3 commits since it passed in 19, ",
        "none of them touches what it ran, 1 touches paths of its owner: ",
        "“Sort the seats from the back” (Jonas Vik)",
        "Flaky, 1: “test_the_map_can_be_used_with_the_keyboard”",
        "Incidents, 1: “the ticket printer of the quays is offline”, 3 checks together, in 4 builds: 4, 9, 10 and 16.",
        "Slower, 1: “test_sailings_of_a_day_are_found” (since 15, +",
        "keyboard: in quarantine, since 9 November 2026, last day 23 November 2026, @\u200bbrindle/seats",
    ):
        assert words in told
    page = (folder / "reports" / "night-20.html").as_uri()
    browser.get(page)
    commits = browser.execute_script(
        "return [...document.querySelectorAll('.check.new .commits li')].map(line => line.textContent)"
    )
    assert [line.split(maxsplit=1)[1] for line in commits] == [
        "Sort the seats from the back Jonas Vik, 20 November 2026",
        "Say when it closes Kari Nord, 20 November 2026",
        "Say when the desk opens Kari Nord, 20 November 2026",
    ]
    browser.get(f"{page}#order=owner")
    beside = "return [...document.querySelectorAll('.flat .place')].map(place => place.textContent.split(' · ')[0])"
    WebDriverWait(browser, 60).until(lambda _: browser.execute_script(beside))
    teams = {"@brindle/fares": 4, "@brindle/quays": 3, "@brindle/seats": 3}
    assert browser.execute_script(beside) == [team for team, number in teams.items() for _ in range(number)]
