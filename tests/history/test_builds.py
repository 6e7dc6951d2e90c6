"""What the page and the command tell of earlier builds: looked at in a browser, on paper, and on the terminal."""

import csv
import io
import json

import pyarrow.parquet as pq
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from conftest import fold_after, take_along
from nights import write_build

LETTERS = ["pppppp", "ppfppp", "rpfppp", "ppfprp", "fpppsp"]
"""Five nights; in the last, one check fails that passed in all before, and one is fixed."""


@pytest.fixture
def nights(night, tmp_path):
    """Pages of five nights, each with its own name; the third has no results."""
    for number, outcomes in zip((1, 2, 4, 5, 6), LETTERS, strict=True):
        done = night(number, outcomes, "--out", f"{number}.html", took_s=number)
    return done


def section_of(browser, page):
    browser.get(page.as_uri())
    return browser.find_element(By.ID, "since").find_element(By.XPATH, "ancestor::section")


def test_the_section_tells_what_changed_and_links_to_each_page(nights, tmp_path, browser):
    section = section_of(browser, tmp_path / "6.html")
    assert section.find_element(By.TAG_NAME, "h2").text.split() == ["Changes", "since", "4205", "5", "builds"]
    assert section.find_element(By.CSS_SELECTOR, ".lead-line").text == (
        "One failure is new, one is fixed; “check 0: expected 418.00, got 209.00” has failed in the last four builds."
    )
    posts = section.find_elements(By.CSS_SELECTOR, ".posts a, .posts g")
    assert [post.get_attribute("aria-label") for post in posts] == [
        "4201: fit, 0 of 6 checks failed",
        "4202: not fit, 1 of 6 checks failed",
        "4203: no results",
        "4204: not fit, 1 of 6 checks failed",
        "4205: not fit, 1 of 6 checks failed",
        "4206: not fit, 1 of 6 checks failed",
    ]
    assert [bool(post.find_elements(By.CSS_SELECTOR, ".post-none")) for post in posts] == [
        False,
        False,
        True,
        False,
        False,
        False,
    ]
    lists = {
        part.find_element(By.TAG_NAME, "h3").text: part.text
        for part in section.find_elements(By.CSS_SELECTOR, ".changes > div")
    }
    assert "check 0\npassed in the 4 builds before" in lists["New"]
    assert "check 2\nfailed in 4202 to 4205" in lists["Fixed"]
    links = [link.get_dom_attribute("href") for link in section.find_elements(By.CSS_SELECTOR, ".posts a")]
    assert links == ["1.html", "2.html", "4.html", "5.html"]
    assert nights.summary["sentence"] == "Not fit: 1 of 6 checks failed, and it is new."


def test_new_failures_are_a_filter_and_every_strip_is_told_in_words(nights, tmp_path, browser):
    section_of(browser, tmp_path / "6.html")
    button = browser.find_element(By.CSS_SELECTOR, ".only-new")
    button.click()
    assert browser.find_element(By.CSS_SELECTOR, ".state").text == "1 of 6 checks shown"
    assert browser.execute_script("return location.hash") == "#show=new"
    shown = [node for node in browser.find_elements(By.CSS_SELECTOR, ".every .check") if node.is_displayed()]
    assert [node.find_element(By.CSS_SELECTOR, ".name").text.split("\n")[0] for node in shown] == ["check 0"]
    browser.execute_script("document.querySelectorAll('.every details').forEach(d => d.open = true)")
    words = browser.execute_script(
        "return [...document.querySelectorAll('.every .trace span')].map(s => s.textContent)"
    )
    assert words[0] == "Passed in 3 of 4 builds, passed on retry in 4204; 1.0 s to 5.0 s when it passed"
    # One that passed each time has no strip, as it has nothing else to open.
    assert len(words) == 3


def test_the_table_can_be_taken_along(nights, tmp_path, browser):
    section_of(browser, tmp_path / "6.html")
    browser.execute_script("document.querySelector('.past-grid').open = true")
    name, rows = take_along(browser, "details button.take")
    assert name == "changes.csv"
    assert rows[0] == ["Check", "4201", "4202", "4204", "4205", "4206"]
    assert rows[1] == ["check 0 Desk › desk.Book", "passed", "passed", "passed on retry", "passed", "failed"]


def test_a_folded_page_knows_what_is_new_and_is_read_as_an_earlier_one(night, tmp_path, browser, monkeypatch):
    fold_after(monkeypatch, 3)
    night(1, "ppppp" + "-" * 2, "--out", "1.html")
    done = night(2, "fprpp-p", "--out", "2.html")
    assert [len(done.history[key]) for key in ("new", "added", "still_failing")] == [1, 1, 0]
    again = night(3, "fpppf-p", "--out", "3.html")
    assert [len(again.history[key]) for key in ("new", "still_failing", "removed", "flaky")] == [1, 1, 0, 0]
    browser.get((tmp_path / "3.html").as_uri() + "#show=new")
    WebDriverWait(browser, 180).until(lambda _: browser.find_element(By.CSS_SELECTOR, ".state").text)
    assert browser.find_element(By.CSS_SELECTOR, ".state").text == "1 of 6 checks shown"


def test_a_folder_links_to_the_folders_before(night, tmp_path, browser):
    night(1, "pp", "--layout", "folder", "--out", "one")
    night(2, "pf", "--layout", "folder", "--out", "two")
    section = section_of(browser, tmp_path / "two" / "index.html")
    link = section.find_element(By.CSS_SELECTOR, ".posts a")
    assert link.get_dom_attribute("href") == "../one/index.html"
    browser.get((tmp_path / "two" / "index.html").as_uri())
    browser.execute_script("location.href = document.querySelector('.posts a').href.baseVal")
    assert "fit" in browser.title.lower()


def test_a_page_of_a_build_can_stand_anywhere(night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[history]\npages = "https://results.test/{build}/verdict.html"')
    night(1, "pp", "--build", "a b/1")
    night(2, "pf")
    assert 'href="https://results.test/a%20b%2F1/verdict.html"' in (tmp_path / "verdict-2.html").read_text("utf-8")


def test_a_schedule_tells_what_is_missing_where_keys_do_not(night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[history]\nevery = "1d"')
    for number in (1, 2, 5):
        done = night(number, "pp", "--build", f"nightly-{number * 7}")
    assert done.history["missing"] == ["4 Nov", "5 Nov"]


SETTINGS = [
    ('every = "soon"', "'soon' is not a step"),
    ('every = "0h"', "is not a step"),
    ('series = "{titel}"', "{titel} is not a placeholder"),
    ('pages = "results/{build}"', "is not an address"),
    ('store = "postgresql://a:b@h/d"', "holds a password"),
]


def test_the_settings_are_checked_with_their_store(night, tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[history]\nstore = "kept.db"')
    assert "history" not in tool("check").out
    night(1, "pp")
    assert "history: 1 build" in tool("check").out
    (tmp_path / "kept.db").write_text("sailings" * 100)
    done = tool("check")
    assert "kept.db: is not a history: it is a file of another kind\nhint: name another file" in done.err
    assert done.code == 5


@pytest.mark.parametrize(("setting", "told"), SETTINGS)
def test_settings_of_no_sense_are_told_before_any_work(setting, told, night, tmp_path, trusted):
    (tmp_path / "plain-verdict.toml").write_text(f"[history]\n{setting}")
    done = night(1, "pp")
    assert (done.code, told in done.err) == (2, True)


def test_the_series_is_what_the_settings_say(night, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[history]\nseries = "nightly {fact:region}"')
    night(1, "pp", "--fact", "branch=a", "--fact", "region=north")
    assert night(2, "pf", "--fact", "branch=b", "--fact", "region=south").history is None
    done = night(3, "pf", "--fact", "branch=b", "--fact", "region=north")
    assert (done.history["series"], done.history["against"]) == ("nightly north", "4201")


def test_the_command_tells_of_builds_and_what_changed_between_two(nights, tool, tmp_path, store):
    pages = [f"{number}.html" for number in (1, 2, 4, 5, 6)]
    added = tool("history", "add", *pages, "--history", store)
    assert added.out.count(": kept") == 5
    assert tool("history", "add", "2.html", "--history", store).out.endswith("already stored\n")
    for where in (("--previous", "."), ("--history", store)):
        listed = tool("history", "list", *where).out.splitlines()
        assert listed[0] == "Desk main: 5 builds"
        assert [line.split()[0] for line in listed[1:]] == ["4201", "4202", "4203", "4204", "4205", "4206"]
        assert "no results" in listed[3]
        shown = tool("history", "show", "4202", *where).out
        assert "Not fit: 1 of 6 checks failed, and it is new." in shown
        assert "failed: Desk › desk.Book › check 2" in shown
        compared = tool("history", "compare", "4202", "4206", *where).out
        assert "1 new\n         Desk › desk.Book › check 0\n           passed in the 4 builds before" in compared
        assert tool("history", "export", "all.csv", *where).code == 0
        rows = list(csv.DictReader(io.StringIO((tmp_path / "all.csv").read_text("utf-8"))))
        assert len(rows) == 30
        assert [row["outcome"] for row in rows if row["check"].endswith("check 0")] == [
            "passed",
            "passed",
            "passed on retry",
            "passed",
            "failed",
        ]
    assert tool("history", "export", "all.parquet", "--history", store).code == 0
    table = pq.read_table(tmp_path / "all.parquet").to_pylist()
    assert [row["took_s"] for row in table[::6]] == [1.0, 2.0, 4.0, 5.0, 6.0]


def test_results_that_were_never_reported_are_added(tool, tmp_path, store):
    for number in (1, 2):
        write_build(tmp_path / "r.xml", number, "pf" if number == 2 else "pp")
        done = tool("history", "add", "r.xml", "--title", "Desk", "--build", str(number), "--history", store)
        assert (done.code, "kept" in done.out) == (0, True)
    listed = tool("history", "list", "--history", store, "--series", "desk").out
    assert [line.split()[:2] for line in listed.splitlines()[1:]] == [["1", "fit"], ["2", "not"]]


WRONG = [
    (("show", "7"), "'7' is not a known build\nhint: the last are 4206, 4205, 4204, 4202 and 4201"),
    (("forget", "--older-than", "1d"), "no store is given"),
    (("forget", "--older-than", "soon", "--history", "x.db"), "'soon' is not an age"),
    (("list", "--history", "nowhere.db"), "nowhere.db: is not there"),
    (("export", "all.xls"), "is not a table"),
    (("lst",), "lst"),
    (("compare", "4201"), "B is missing"),
]


@pytest.mark.parametrize(("arguments", "told"), WRONG)
def test_what_the_command_can_not_do_is_told_in_a_line(arguments, told, nights, tool, tmp_path):
    done = tool("history", *arguments)
    assert done.code in (2, 3)
    assert told in done.err
    assert "Traceback" not in done.err


def test_the_summary_of_a_run_is_an_earlier_run_too(night, tmp_path):
    first = night(1, "prf", "--detail", "--no-find-previous")
    (tmp_path / "before.json").write_text(json.dumps(first.summary))
    done = night(2, "fpf", "--previous", "before.json", "--no-find-previous")
    assert [len(done.history[key]) for key in ("new", "still_failing")] == [1, 1]
    # Without its checks a run is one of the builds, and nothing can be compared with it.
    (tmp_path / "before.json").write_text(json.dumps(first.summary | {"checks": []}))
    assert night(2, "fpf", "--previous", "before.json", "--no-find-previous").history is None
