"""What the tests share: the built program run in a temporary folder, its page parsed, and a real browser."""

import csv
import io
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import HealthCheck, settings
from lxml import html
from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webdriver import WebDriver
from selenium.webdriver.support.ui import WebDriverWait

from nights import cluster, database, night, postgresql, store  # noqa: F401  fixtures
from plain_verdict import writers
from plain_verdict.cli import main
from plain_verdict.cli.demo.files import EARLIER, REQUIREMENTS, RESULTS, RULES, SHOTS
from plain_verdict.inputs.facts import PIPELINE_VARIABLES
from plain_verdict.writers.html.writer import PageWriter

# A loaded machine is slow, not wrong.
settings.register_profile("patient", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("patient")

ROOT = Path(__file__).parent.parent
EXAMPLES = ROOT / "tests" / "examples"
DEMO = (str(RESULTS), str(RULES), "--evidence", str(SHOTS), "--previous", str(EARLIER / "builds.json.gz"))
DEMO += (
    "--title",
    "Booking desk and fares, nightly",
    "--requirements",
    str(REQUIREMENTS),
    "--fact",
    "branch=summer-timetable",
)
DEMO += ("--no-git",)
"""Arguments that make the demo run with its builds before, and all that it has."""
MADE = "1795312800"  # a fixed moment, so that pages can be compared

Tool = Callable[..., SimpleNamespace]


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what opens a page in the browser."""
    for item in items:
        if "browser" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(autouse=True, scope="session")
def _outside_any_pipeline() -> None:
    """Tests give facts of a pipeline where they are about them."""
    for name in PIPELINE_VARIABLES:
        os.environ.pop(name, None)


@pytest.fixture
def tool(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]) -> Tool:
    """Run the command line in the temporary folder: ``tool("report", "a.xml")`` gives code, out, err."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("SOURCE_DATE_EPOCH", MADE)
    monkeypatch.setenv("COLUMNS", "100")

    def run(*arguments: str) -> SimpleNamespace:
        capfd.readouterr()
        try:
            code = main(list(arguments))
        except SystemExit as stop:
            code = stop.code
        out, err = capfd.readouterr()
        return SimpleNamespace(code=code, out=out, err=err)

    return run


@pytest.fixture
def trusted(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let settings that are found reach as far as those that are named."""
    monkeypatch.setenv("PLAIN_VERDICT_TRUST", "1")


@pytest.fixture
def run_python(tmp_path: Path) -> Tool:
    """Run Python as its own process in the temporary folder."""

    def run(*arguments: str, stdin: bytes = b"", env: dict[str, str] | None = None) -> SimpleNamespace:
        done = subprocess.run(
            [sys.executable, *arguments],
            cwd=tmp_path,
            input=stdin,
            capture_output=True,
            env={**os.environ, "SOURCE_DATE_EPOCH": MADE, **(env or {})},
            timeout=900,
            check=False,
        )
        return SimpleNamespace(code=done.returncode, out=done.stdout.decode(), err=done.stderr.decode())

    return run


@pytest.fixture
def program(run_python: Tool) -> Tool:
    """Run the program as its own process in the temporary folder."""
    return partial(run_python, "-W", "error", "-m", "plain_verdict")


@pytest.fixture
def checks_of(tool: Tool, tmp_path: Path) -> Callable[..., list[SimpleNamespace]]:
    """Report on results and give the checks that stand on the page, and the summary as ``.summary``."""

    def report(*results: str) -> SimpleNamespace:
        done = tool("report", *results, "--json", "--out", "page.html", "--overwrite")
        summary = json.loads(done.out)
        page = html.fromstring((tmp_path / "page.html").read_text("utf-8"))
        checks = [
            SimpleNamespace(
                suite=single_line(box.cssselect("h3")[0].text_content().rsplit(" check", 1)[0].rsplit(" ", 1)[0]),
                name=single_line(
                    " ".join(part.text_content() for part in node.cssselect(".name > bdi, .name > .param"))
                ),
                outcome=node.get("class").split()[1],
                text=node.text_content(),
                id=node.get("id"),
            )
            for box in page.cssselect(".every .suite")
            for node in box.cssselect(".check")
        ]
        return SimpleNamespace(checks=checks, summary=summary, page=page, err=done.err, code=done.code)

    return report


def fold_after(monkeypatch: pytest.MonkeyPatch, checks: int, **more: bool) -> None:
    """Fold pages past so many checks."""
    page = PageWriter(checks, **more)
    others = tuple(page if writer.name == page.name else writer for writer in writers.LAYOUTS)
    monkeypatch.setattr(writers, "LAYOUTS", others)


def take_along(browser: WebDriver, button: str) -> tuple[str, list[list[str]]]:
    """Press a button that gives a table, and return the name of its file and its rows."""
    browser.execute_script(
        "window.taken = []; URL.createObjectURL = blob => { blob.text().then(text => taken.push(text)); return 'data:,'; };"
        "HTMLAnchorElement.prototype.click = function () { taken.push(this.download); };"
    )
    browser.find_element(By.CSS_SELECTOR, button).click()
    taken = WebDriverWait(browser, 180).until(
        lambda driver: (found := driver.execute_script("return window.taken")) and len(found) == 2 and found
    )
    name, text = sorted(taken, key=len)
    return name, list(csv.reader(io.StringIO(text)))


def single_line(text: str) -> str:
    return " ".join(text.split())


@pytest.fixture(scope="session")
def browser() -> Iterator[WebDriver]:
    """A headless browser with its console and network logs. Never skipped: a page unseen is a page untested."""
    for program in ("chromium", "chromedriver"):
        assert shutil.which(program), f"{program} is missing; scripts/check installs it"
    options = Options()
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--window-size=1280,900",
    ):
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    # For hangs only: a loaded machine is slow, not wrong.
    driver.command_executor.client_config.timeout = 900
    driver.set_script_timeout(600)
    driver.set_page_load_timeout(600)
    yield driver
    driver.quit()


@pytest.fixture(autouse=True)
def _whole_window(request: pytest.FixtureRequest) -> Iterator[None]:
    """Give the browser its own window back after a test that made it a phone's."""
    yield
    if "browser" in request.fixturenames:
        request.getfixturevalue("browser").execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
