"""The index over many builds: charts, lists and folded series, from pages or a store; also with hundreds of branches."""

import re
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import msgspec
import pytest
from lxml import html
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from nights import write_build
from plain_verdict.history.pages import read_kept
from plain_verdict.history.stores import open_store
from plain_verdict.model import BuildNumbers, LostTime, Past, VerdictWord, kept_run

LETTERS = ["pppppp", "ppfppp", "rpfppp", "ppfprp", "fpppsp", "fpppfe"]


def series_in(page):
    return html.fromstring(page).cssselect("section")


def read(folder):
    return (folder / "index.html").read_bytes()


@pytest.fixture
def nights(night):
    """Pages and a store of six nights; the third night has no results."""
    for number, outcomes in zip((1, 2, 4, 5, 6, 7), LETTERS, strict=True):
        night(
            number, outcomes, "--out", f"pages/{number}.html", "--history", "h.db", "--index", took_s=float(number)
        )


def test_the_index_of_pages_and_that_of_their_store_show_the_same_trend_and_lead_to_the_same_pages(
    nights, tool, tmp_path
):
    assert tool("index", "--history", "h.db", "--out", "stored").code == 0
    shown = {}
    for folder in ("pages", "stored"):
        (section,) = series_in(read(tmp_path / folder))
        links = [link.get("href") for link in section.cssselect(".lists a")]
        shown[folder] = (
            section.cssselect(".now")[0].text,
            [part.text_content() for part in section.cssselect(".numbers, .charts, .lists")],
        )
        assert [link.removeprefix("../pages/") for link in links if "#c-" in link][-1].startswith("7.html#c-")
        assert {link.partition("#")[0].rpartition("/")[0] for link in links} == {
            "" if folder == "pages" else "../pages"
        }
    for one, other in zip(*(shown[folder][1] for folder in shown), strict=True):
        # Pages round the times of the builds before.
        assert re.sub(r"[\d.]+ s lost", "lost", one) == re.sub(r"[\d.]+ s lost", "lost", other)
    sentence, (numbers, charts, lists) = shown["pages"]
    assert sentence == "Not fit since 4202: 2 new failures, 1 still failing and 2 flaky."
    assert "of 7 builds had results" in numbers
    assert charts.count("Data of this chart") == 4
    assert "since 4206, 2 builds, 24 h" in lists


def test_charts_have_their_data_and_builds_without_results_leave_room(nights, tmp_path):
    (section,) = series_in(read(tmp_path / "pages"))
    charts = {figure.cssselect("figcaption b")[0].text: figure for figure in section.cssselect("figure")}
    rows = [[cell.text_content() for cell in row] for row in charts["Results"].cssselect("tbody tr")]
    assert rows == [
        ["4207", "3", "", "1", "2", "0"], ["4206", "5", "", "0", "1", "0"],
        ["4205", "4", "", "1", "0", "1"], ["4204", "4", "", "1", "0", "1"], ["4202", "5", "", "0", "1", "0"],
        ["4201", "6", "0", "", "", "0"],
    ]  # fmt: skip
    # Seven columns of one width; the third is empty.
    bars = [float(x) for x in re.findall(r"M([\d.]+) ", charts["Results"].cssselect("path.good")[0].get("d"))]
    steps = [round(right - left) for left, right in pairwise(bars)]
    assert (len(bars), steps) == (6, [126, 252, 126, 126, 126])
    # A line is interrupted there.
    assert len(charts["Duration"].cssselect("polyline.median")) == 2
    assert [row[1].text for row in charts["Duration"].cssselect("tbody tr")][-1] == "6.0 s"


def test_hundreds_of_branches_stay_small_and_scripts_open_what_is_folded(nights, tool, tmp_path, browser):
    kept = read_kept(tmp_path / "pages" / "7.html")[-1]
    start = datetime(2026, 11, 8, tzinfo=UTC)
    with open_store(str(tmp_path / "many.db")) as store:
        for branch in range(300):
            for build in range(8):
                bad = build % 3 == branch % 3
                about = msgspec.structs.replace(
                    kept.build,
                    id=f"r-{branch:04}{build:02}",
                    series=f"Desk b{branch}",
                    branch=f"b{branch}",
                    build=str(5000 + build * 300 + branch),
                    started=start + timedelta(minutes=build * 300 + branch),
                    verdict=VerdictWord.NOT_FIT if bad else VerdictWord.FIT,
                    numbers=BuildNumbers(took_s=60 + build, load_p95_s=0.3, error_share=0.01, failed_rules=(0, 1, 2, 1, 0), requirements=(3, 4)),
                    lost=(LostTime(kept.check_index.ids[0], 3.0),),
                )  # fmt: skip
                letters = "".join(Past.FAILED if bad else Past.PASSED for _ in kept.outcomes)
                store.add(kept_run(about, kept.check_index, letters, kept.times))
    done = tool("index", "--history", "many.db", "--out", "many")
    assert done.code == 0, done.err
    page = read(tmp_path / "many")
    assert len(page) < 2_000_000
    sections = series_in(page)
    assert len(sections) == 300
    # The keys of one branch lie 300 apart: builds of other branches are no gaps.
    assert b"had results" not in page
    assert [section.cssselect(".strip i, .strip a") != [] for section in sections] == [True] * 300
    folded = [section for section in sections if section.cssselect(".folded-series")]
    assert len(folded) > 50
    browser.get((tmp_path / "many" / "index.html").as_uri())
    section = next(
        one
        for one in browser.find_elements(By.TAG_NAME, "section")
        if one.find_elements(By.CSS_SELECTOR, ".folded-series")
    )
    section.find_element(By.TAG_NAME, "summary").click()
    WebDriverWait(browser, 60).until(lambda _: len(section.find_elements(By.TAG_NAME, "figure")) == 8)
    browser.find_element(By.CSS_SELECTOR, ".find input").send_keys(str(5000 + 7 * 300))
    state = browser.find_element(By.CSS_SELECTOR, ".find .state")
    WebDriverWait(browser, 60).until(lambda _: state.text.endswith("found"))
    assert state.text == "1 found"
    assert [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"] == []


def test_thousands_of_reports_of_one_series_stay_small_and_each_can_be_found(nights, tool, tmp_path, browser):
    kept = read_kept(tmp_path / "pages" / "7.html")[-1]
    with open_store(str(tmp_path / "long.db")) as store:
        for build in range(1_500):
            started = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(hours=build)
            about = msgspec.structs.replace(kept.build, id=f"r-{build:04}", build=f"b{build}x", started=started)
            store.add(msgspec.structs.replace(kept, build=about))
    tool("index", "--history", "long.db", "--out", "long")
    assert len(read(tmp_path / "long")) < 500_000
    browser.get((tmp_path / "long" / "index.html").as_uri())
    assert len(browser.find_elements(By.CSS_SELECTOR, ".row")) == 300
    older = browser.find_element(By.XPATH, "//summary[.='1,470 older reports']")
    older.click()
    WebDriverWait(browser, 60).until(lambda _: len(browser.find_elements(By.CSS_SELECTOR, ".row")) == 1_500)
    browser.refresh()
    browser.find_element(By.CSS_SELECTOR, ".find input").send_keys("b0x")
    state = browser.find_element(By.CSS_SELECTOR, ".find .state")
    WebDriverWait(browser, 60).until(lambda _: state.text == "1 found")


def test_builds_of_other_branches_are_no_gaps_on_an_index_of_pages(night, tool, tmp_path):
    for number in range(1, 11):
        branch = "branch=main" if number % 2 else "branch=side"
        night(number, "pf", "--out", f"pages/{number}.html", "--fact", branch)
    # A number that no branch has is a gap of both.
    for number in (12, 14):
        night(number, "pf", "--out", f"pages/{number}.html", "--fact", "branch=main")
    assert tool("index", "pages").code == 0
    main, side = series_in(read(tmp_path / "pages"))
    assert "had results" not in side.text_content()
    assert "77.7 % of 9 builds had results" in main.text_content()


def test_pages_that_can_not_be_read_are_named_and_the_rest_counts(nights, tool, tmp_path):
    pages = tmp_path / "pages"
    (pages / "index.html").unlink()
    text = (pages / "7.html").read_text("utf-8")
    (pages / "7.html").write_text(re.sub(r'(id="digest">[^<]{200})[^<]*', r"\1", text), "utf-8")
    done = tool("index", "pages")
    note = "note: 7.html holds a digest that is truncated, so its checks are not in the trends; "
    assert (done.code, done.err) == (0, f"{note}write the report again from its results.\n")
    (section,) = series_in(read(pages))
    assert [row.cssselect(".what a")[0].text for row in section.cssselect(".row")] == [
        "4207",
        "4206",
        "4205",
        "4204",
        "4202",
        "4201",
    ]
    # What is known of it by its head still stands in the charts.
    cells = [[cell.text_content() for cell in row] for row in section.cssselect("figure tbody tr")[:2]]
    assert cells[0][0] == "4207"
    assert cells[1] == ["4206", "5", "", "0", "1", "0"]


def test_names_of_checks_run_nothing_and_their_secrets_are_masked(tool, tmp_path):
    for number in (1, 2):
        write_build(tmp_path / "r.xml", number, "f")
        evil = (
            (tmp_path / "r.xml")
            .read_text()
            .replace("check 0", "&lt;script&gt;alert(1)&lt;/script&gt; token=abcdefgh12345678")
        )
        (tmp_path / "r.xml").write_text(evil)
        tool("report", "r.xml", "--out", f"pages/{number}.html", "--no-masking", "--no-git")
    assert tool("index", "pages").code == 0
    page = read(tmp_path / "pages")
    assert "abcdefgh12345678" not in html.fromstring(page).cssselect(".lists")[0].text_content()
    assert not html.fromstring(page).xpath("//script[contains(., 'alert')]")


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        ((), "index needs a folder with reports, or a store"),
        (("pages", "--history", "h.db"), "index needs a folder with reports, or a store"),
        (("--history", "h.db"), "--history needs a folder for the index"),
        (("pages", "--series", "Desk"), "--series is for --history only"),
        (("--history", "h.db", "--out", "pages/1.html"), "can't be made"),
        (("--history", "h.db", "--out", "mine"), "was not written by this program"),
        (("--history", "gone.db", "--out", "new"), "gone.db: is not there"),
    ],
)
def test_what_can_not_be_indexed_is_said_in_a_line(arguments, said, nights, tool, tmp_path):
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "index.html").write_text("<p>mine</p>")
    done = tool("index", *arguments)
    assert (done.code, said in done.err) == (2, True), done.err
