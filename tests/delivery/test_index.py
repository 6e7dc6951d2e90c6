"""The index: a page over the pages of a folder, its feed, and the links between pages."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from lxml import etree, html
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from plain_verdict.cli.demo.files import BRAND

GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sails"><failure message="water &lt;b&gt;"/></testcase></testsuite>'
ATOM = {"a": "http://www.w3.org/2005/Atom"}


@pytest.fixture
def builds(tool, tmp_path, monkeypatch):
    """Make pages of a run: a letter each, g or b, of builds from a number on."""

    def make(letters: str, *arguments: str, first: int = 1, title: str = "Desk") -> None:
        for number, letter in enumerate(letters, first):
            monkeypatch.setenv("SOURCE_DATE_EPOCH", str(1795312800 + number * 3600))
            (tmp_path / "r.xml").write_text(GOOD if letter == "g" else BAD)
            out = ("--out", f"pages/{title}-{number}.html", "--overwrite") if "--out" not in arguments else ()
            told = ("--title", title, "--fact", f"build={number}", "--fact", "quay=north & <south>")
            done = tool("report", "r.xml", *told, *out, *arguments)
            assert (done.code, done.err) == (0, ""), done.err

    return make


def index_in(folder: Path) -> dict[str, list[list[str]]]:
    """Give each series' rows: link, word, label."""
    page = html.fromstring((folder / "index.html").read_bytes())
    return {
        section.cssselect("h2 bdi")[0].text: [
            [row.cssselect("a")[0].get("href"), row.cssselect(".word")[0].text, row.cssselect("a")[0].text]
            for row in section.cssselect(".row")
        ]
        for section in page.cssselect("section")
    }


def test_the_index_tells_series_newest_first_and_is_the_same_however_it_came_about(builds, tool, tmp_path):
    builds("gbg", "--index")
    builds("bb", "--index", title="Harbour")
    step_by_step = (tmp_path / "pages" / "index.html").read_bytes()
    assert index_in(tmp_path / "pages") == {
        "Desk": [["Desk-3.html", "fit", "3"], ["Desk-2.html", "not fit", "2"], ["Desk-1.html", "fit", "1"]],
        "Harbour": [["Harbour-2.html", "not fit", "2"], ["Harbour-1.html", "not fit", "1"]],
    }
    (tmp_path / "pages" / "index.html").unlink()
    done = tool("index", "pages")
    assert (done.code, done.out.splitlines()) == (
        0,
        ["5 pages in the index:", str(tmp_path / "pages" / "index.html")],
    )
    assert (tmp_path / "pages" / "index.html").read_bytes() == step_by_step
    # A page that is gone, or another now, is so on the index; what is not a page of ours is not there.
    (tmp_path / "pages" / "Desk-1.html").unlink()
    builds("g", first=2)
    (tmp_path / "pages" / "mine.html").write_text("<p>mine</p>")
    shutil.copy(tmp_path / "pages" / "Desk-3.html", tmp_path / "pages" / "a-copy.html")
    os.utime(tmp_path / "pages" / "a-copy.html", (4e9, 4e9))
    tool("index", "pages")
    assert index_in(tmp_path / "pages")["Desk"] == [["Desk-3.html", "fit", "3"], ["Desk-2.html", "fit", "2"]]
    text = html.fromstring((tmp_path / "pages" / "index.html").read_bytes()).text_content()
    assert "quay: north & <south>" in text
    assert "All checks" not in text


def test_pages_in_folders_below_and_in_folder_layout_are_found_and_not_looked_into(builds, tool, tmp_path):
    builds("b", "--layout", "folder", "--out", "pages/deep/er/f")
    builds("g", "--out", "pages/{fact:build}/verdict.html", "--index", first=2)
    assert index_in(tmp_path / "pages") == {
        "Desk": [["2/verdict.html", "fit", "2"], ["deep/er/f/index.html", "not fit", "1"]]
    }
    page = html.fromstring((tmp_path / "pages" / "2" / "verdict.html").read_bytes())
    assert page.cssselect(".index-links a")[0].get("href") == "../index.html"


def test_the_feed_is_atom_with_an_entry_for_each_page(builds, tool, tmp_path):
    builds("gb", "--index")
    tool("index", "pages", "--link", "https://ci.desk.test/reports/", "--title", "Desk & quay")
    feed = etree.parse(tmp_path / "pages" / "feed.xml").getroot()
    assert feed.get("{http://www.w3.org/XML/1998/namespace}base") == "https://ci.desk.test/reports/"
    # Source: RFC 4287, sections 4.1.1 and 4.1.2: what must be there, once.
    for node in (feed, *feed.findall("a:entry", ATOM)):
        for name in ("id", "title", "updated"):
            assert len(node.findall(f"a:{name}", ATOM)) == 1
    assert feed.find("a:author/a:name", ATOM).text
    told = [
        (entry.find("a:title", ATOM).text, entry.find("a:link", ATOM).get("href"))
        for entry in feed.findall("a:entry", ATOM)
    ]
    assert told == [("Not fit: Desk 2", "Desk-2.html"), ("Fit: Desk 1", "Desk-1.html")]
    ids = [node.text for node in feed.iterfind(".//a:id", ATOM)]
    assert len(set(ids)) == 3
    assert all(one.startswith("urn:uuid:") for one in ids)


def test_eight_reports_at_once_all_stand_on_the_index(tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    command = [sys.executable, "-m", "plain_verdict", "report", "r.xml", "--quiet", "--index", "--no-git"]
    jobs = [
        subprocess.Popen([*command, "--out", "p/", "--fact", f"build={number}"], cwd=tmp_path)
        for number in range(8)
    ]
    assert [job.wait() for job in jobs] == [0] * 8
    (rows,) = index_in(tmp_path / "p").values()
    assert {row[2] for row in rows} == {str(number) for number in range(8)}
    assert sorted(path.name for path in (tmp_path / "p").glob(".*")) == []


def test_the_index_has_the_brand_of_the_pages(builds, tool, tmp_path):
    shutil.copytree(BRAND, tmp_path / "brand")
    lines = '[report]\nindex_title = "Every run"\n[brand]\norganisation = "Brindle Quay"\nlogo = "brand/logo.svg"\n'
    (tmp_path / "plain-verdict.toml").write_text(lines + 'logo_dark = "brand/logo-dark.svg"\naccent = "#0b7285"\n')
    builds("g", "--index")
    page = html.fromstring((tmp_path / "pages" / "index.html").read_bytes())
    assert page.cssselect("h1")[0].text_content() == "Every run"
    assert len(page.cssselect(".band img[src^='data:image/']")) == 2
    assert "#0b7285" in page.cssselect("style")[1].text


@pytest.mark.parametrize(
    ("files", "folder", "said"),
    [
        ({}, "gone", "is not a folder"),
        ({"p/index.html": "<p>mine</p>"}, "p", "was not written by this program"),
        ({"p/feed.xml": "<feed/>"}, "p", "was not written by this program"),
        ({"p/a.html": ""}, "p", ""),
        (
            {
                "p/index.html": '<meta name="plain-verdict-index" content="index"><script type="text/plain" id="entries">x'
            },
            "p",
            "",
        ),
        (
            {
                "p/a.html": '<meta name="plain-verdict-page" content="made x"><meta name="plain-verdict-index" content="{">'
            },
            "p",
            "",
        ),
    ],
)
def test_what_others_made_is_left_alone_and_damage_costs_one_page(files, folder, said, tool, tmp_path):
    for name, text in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text(text)
    done = tool("index", folder)
    assert (done.code, said in done.err) == (2 if said else 0, True)
    if said:
        assert {name: (tmp_path / name).read_text() for name in files} == files
        assert not (tmp_path / folder / "feed.xml").exists() or "feed.xml" in str(files)
    else:
        assert "0 pages" in done.out
    (tmp_path / "r.xml").write_text(GOOD)
    assert tool("report", "r.xml", "--out", "index.html", "--index").code == 2
    if said and (tmp_path / folder).is_dir():
        # Said before any work: no page is written that the index would not have.
        assert tool("report", "r.xml", "--out", f"{folder}/new.html", "--index").code == 2
        assert not (tmp_path / folder / "new.html").exists()


def test_links_lead_to_the_index_and_on_and_back_and_search_narrows(builds, tmp_path, browser):
    builds("gbg", "--index")
    folder = tmp_path / "pages"
    browser.get((folder / "Desk-2.html").as_uri())
    for rel, there in (("next", "Desk-3.html"), ("prev", "Desk-2.html"), ("prev", "Desk-1.html")):
        browser.find_element(By.CSS_SELECTOR, f".index-links a[rel={rel}]").click()
        WebDriverWait(browser, 180).until(lambda driver, name=there: driver.current_url == (folder / name).as_uri())
    browser.get((folder / "Desk-3.html").as_uri())
    browser.find_element(By.CSS_SELECTOR, ".index-links a[rel=next]").click()
    WebDriverWait(browser, 180).until(lambda driver: "index.html#after" in driver.current_url)
    assert "newest report of its series" in browser.find_element(By.CSS_SELECTOR, ".find .state").text
    browser.find_element(By.CSS_SELECTOR, ".find input").send_keys("not fit water")
    assert browser.find_element(By.CSS_SELECTOR, ".find .state").text == "0 found"
    browser.execute_script("document.querySelector('.find input').value = ''")
    browser.find_element(By.CSS_SELECTOR, ".find input").send_keys("desk not fit")
    shown = [row.text for row in browser.find_elements(By.CSS_SELECTOR, ".row") if row.is_displayed()]
    assert len(shown) == 1
    # Nothing is wider than a phone, and without scripts all rows are there.
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": True}
    )
    assert browser.execute_script("return document.documentElement.scrollWidth") <= 390
    browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
    assert [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"] == []


def test_the_summary_names_the_index(builds, tool, tmp_path):
    builds("b")
    assert json.loads(tool("report", "r.xml", "--index", "--json").out)["index"] == str(tmp_path / "index.html")


def test_what_a_page_says_of_itself_can_do_nothing_on_the_index_or_in_the_feed(builds, tool, tmp_path):
    builds("b")
    page = tmp_path / "pages" / "Desk-1.html"
    text = page.read_text()
    evil = "</script><script>alert(1)</script><img src=x onerror=alert(1)>\\u0001&amp;#1;"
    hostile = text.replace("&#34;title&#34;:&#34;Desk", f"&#34;title&#34;:&#34;{evil.replace('<', '&lt;')}")
    assert hostile != text
    (tmp_path / "pages" / "javascript:alert(1).html").write_text(hostile)
    page.unlink()
    done = tool("index", "pages")
    assert (done.code, done.err) == (0, "")
    index = html.fromstring((tmp_path / "pages" / "index.html").read_bytes())
    assert index.cssselect(".row a")[0].get("href") == "javascript%3Aalert%281%29.html"
    assert [script.get("id") for script in index.cssselect("script")] == ["entries", "trends", None]
    assert not index.cssselect("img[onerror]")
    assert (
        etree.parse(tmp_path / "pages" / "feed.xml")
        .find(".//a:entry/a:title", ATOM)
        .text.startswith("Not fit: </script>")
    )
