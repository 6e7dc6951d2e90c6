"""Every page at every width: nothing is cut off, nothing is one letter wide, and its HTML is valid."""

import subprocess
import sys
from pathlib import Path

import pytest

# What no width can hold stands in a region that scrolls by itself. Source: WCAG 2.2, success criterion 1.4.10
TOO_WIDE = """return [...document.querySelectorAll('body *')].filter(node => {
  if (node.closest('.wide, pre, svg, .unseen, dialog, [hidden]')) return false;
  const box = node.getBoundingClientRect();
  return box.width && box.right > innerWidth + 1 && getComputedStyle(node).position !== 'absolute';
}).map(node => node.outerHTML.slice(0, 90))"""
# A word of several letters in a box that holds less than two of them.
ONE_LETTER = """return [...document.querySelectorAll('main p, main li, main td, main th, main h3, main dd, main dt, main bdi, main small')].filter(node => {
  if (!node.checkVisibility() || node.closest('.unseen, thead, pre, svg, .past')) return false;
  const words = node.textContent.trim().split(/\\s+/), box = node.getBoundingClientRect();
  return words.some(word => word.length > 3) && box.width > 0 && box.width < 24 && box.height > 3 * box.width;
}).map(node => node.outerHTML.slice(0, 90))"""
PAGES = ("demo/verdict.html", "folder/index.html", "folder/suites/0001-booking-desk-changes-and-refunds.html", "index/index.html", "few/verdict.html")  # fmt: skip


@pytest.fixture(scope="module")
def pages(tmp_path_factory):
    """The demo as a page and as a folder, an index of reports, and a page of five checks."""
    folder = tmp_path_factory.mktemp("pages")
    cases = "".join(f'<testcase name="Sailing {number}"/>' for number in range(4))
    cases += '<testcase name="Fare"><failure message="none"/></testcase>'
    (folder / "r.xml").write_text(f"<testsuite>{cases}</testsuite>")
    evidence = ("--config", "demo/plain-verdict.toml", "--evidence", "demo/shots")
    for arguments in (
        ("demo", "demo"),
        ("report", "demo/results", *evidence, "--layout", "folder", "--out", "folder"),
        ("report", "r.xml", "--out", "few/verdict.html"),
        ("report", "r.xml", "--out", "index/1.html"),
        ("index", "index"),
    ):
        subprocess.run(
            [sys.executable, "-m", "plain_verdict", *arguments], cwd=folder, check=True, capture_output=True
        )
    return folder


@pytest.mark.parametrize("width", [320, 360, 390, 700])
@pytest.mark.parametrize("name", PAGES)
def test_nothing_is_cut_off_or_one_letter_wide_with_everything_open(pages, browser, name, width):
    size = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    browser.get((pages / name).as_uri())
    browser.execute_script("document.querySelectorAll('main details').forEach(fold => { fold.open = true; })")
    assert browser.execute_script("return document.documentElement.scrollWidth") <= width
    assert browser.execute_script(TOO_WIDE) == []
    assert browser.execute_script(ONE_LETTER) == []


def test_a_validator_finds_nothing(pages):
    script = Path(__file__).with_name("validate.mjs")
    done = subprocess.run(
        ["node", script, *(pages / name for name in PAGES)], capture_output=True, text=True, check=True
    )
    assert done.stdout == ""
