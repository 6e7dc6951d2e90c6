"""The documentation as a site: what people look for is found, and nothing is asked of any other address."""

import re
import threading
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
import yaml
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

ROOT = Path(__file__).parents[1]
SITE = Path(__file__).parents[1] / "build" / "site"


def test_each_guide_begins_with_what_is_there_at_the_end():
    """A picture, or the program's real output, which another test compares."""
    navigation = yaml.safe_load(re.sub(r"!!python\S+", "", (ROOT / "mkdocs.yml").read_text("utf-8")))["nav"]
    pages = [
        page
        for part in navigation
        for title in ("Start", "Guides")
        for entry in part.get(title, ())
        for page in entry.values()
    ]
    assert len(pages) > 15
    without = []
    for page in pages:
        beginning = "\n".join((ROOT / page).read_text("utf-8").splitlines()[:14])
        if page != "docs/install.md" and not re.search(r"screenshots/[\w-]+\.png|<!-- \$ ", beginning):
            without.append(page)
    assert without == []


@pytest.fixture(scope="module")
def site():
    assert (SITE / "index.html").is_file(), "build it first: scripts/docs"

    class Quiet(SimpleHTTPRequestHandler):
        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=str(SITE)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}/"
    server.shutdown()
    server.server_close()


@pytest.mark.browser
@pytest.mark.parametrize(
    ("looked_for", "page"),
    [
        ("merge-request comment", "docs/pipelines/"),
        ("merge request", "docs/pipelines/"),
        ("extension", "docs/extensions/"),
        ("my runner", "docs/from-your-runner/"),
        ("waiver", "docs/judging/"),
        ("scheduler", "docs/scale/"),
    ],
)
def test_what_people_look_for_is_among_the_first_pages_found(looked_for, page, site, browser):
    browser.get(site)
    browser.execute_script("document.querySelector('label[for=__search]').click()")
    entry = browser.find_element(By.CSS_SELECTOR, "input.md-search__input")
    wait = WebDriverWait(browser, 20)
    wait.until(lambda _: entry.is_displayed())
    entry.send_keys(looked_for)

    def found(_):
        links = browser.find_elements(By.CSS_SELECTOR, ".md-search-result__item > a")
        return [link.get_attribute("href").removeprefix(site).partition("?")[0] for link in links[:5]]

    assert page in [path.partition("#")[0] for path in wait.until(found)]
    asked = browser.execute_script("return performance.getEntriesByType('resource').map(entry => entry.name)")
    assert [address for address in asked if not address.startswith((site, "data:", "blob:"))] == []
