"""Large runs: what failed is plain, the rest is folded, and nothing is lost, with scripts or without."""

import base64
import gzip
import json
import os
import signal
import struct

import pytest
from lxml import html
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from conftest import fold_after, take_along
from plain_verdict.runtime import processes
from plain_verdict.writers.html.folding import Folding

SUITES, A_SUITE = 60, 70  # 4,200 checks, enough to be folded


def results(failing_every: int = 50) -> str:
    """Suites of checks: some fail, some are skipped, some have output; names and times tell them apart."""
    parts = []
    for suite in range(SUITES):
        cases = []
        for one in range(A_SUITE):
            number = suite * A_SUITE + one
            inside = f"<system-out>quay {number}</system-out>" if number % 7 == 3 else ""
            if number % failing_every == 0:
                cause = "the fare service is down again" if number % 3 else "a ferry lost its way completely"
                inside = (
                    f'<failure type="T" message="{cause}: {number}">{"stack line of many words " * 30}</failure>'
                )
            elif number % 11 == 5:
                inside = '<skipped message="no ferry in winter"/>'
            cases.append(
                f'<testcase name="Sailing {number} &amp; &lt;b&gt;" time="{(number * 37 % 9001) / 1000}">{inside}</testcase>'
            )
        parts.append(f'<testsuite name="Quay {suite}">{"".join(cases)}</testsuite>')
    return f"<testsuites>{''.join(parts)}</testsuites>"


@pytest.fixture
def page(tool, tmp_path):
    def make(xml: str, *arguments: str):
        (tmp_path / "r.xml").write_text(xml)
        done = tool("report", "r.xml", "--overwrite", "--out", "page.html", *arguments)
        assert done.code == 0, done.err
        return tmp_path / "page.html"

    return make


@pytest.fixture
def folded(page, browser):
    """Make a folded page and open it."""

    def open_page(xml: str = "", fragment: str = ""):
        url = page(xml or results()).as_uri()
        browser.get("about:blank")
        browser.get_log("browser")
        browser.get(url + fragment)
        wait(browser, "document.documentElement.dataset.ready")
        return browser

    return open_page


def wait(browser, script: str) -> None:
    WebDriverWait(browser, 180).until(lambda _: browser.execute_script(f"return {script}"))


def rows(browser) -> list[str]:
    wait(browser, "!document.querySelector('[aria-busy=true]')")
    return browser.execute_script(
        "return [...document.querySelectorAll('.every .check')].filter(c => c.offsetParent).map(c => c.querySelector('.name bdi').textContent)"
    )


def unfolded(text: str) -> tuple[dict, list[str]]:
    """The columns of a folded page, and the HTML of every whole check."""
    parts = {
        node.get("id"): node.text or "" for node in html.fromstring(text).cssselect("script[type='text/plain']")
    }

    def content(name: str) -> str:
        return gzip.decompress(base64.b64decode(parts[name])).decode()

    whole = [check for name in parts if name.startswith("block-") for check in content(name).split("\0")]
    columns = {**json.loads(content("columns")), "ids": base64.b64decode(parts["ids"])}
    ids = [f"c-{columns['ids'][at : at + 6].hex()}" for at in range(0, len(columns["ids"]), 6)]
    of_whole = [id_ for id_, kind in zip(ids, columns["kind"], strict=True) if kind == "w"]
    return columns, [text.replace("\ue000", id_) for id_, text in zip(of_whole, whole, strict=True)]


def test_a_folded_page_holds_every_check_once_and_each_as_the_template_renders_it(page, tmp_path, monkeypatch):
    small = page(results()).read_text("utf-8")
    columns, whole = unfolded(small)
    fold_after(monkeypatch, 1_000_000)
    large = page(results()).read_text("utf-8")
    assert len(small) < 0.35 * len(large)
    plain = html.fromstring(large)
    checks = plain.cssselect(".every .check")
    assert len(checks) == SUITES * A_SUITE == len(columns["outcome"])
    outcomes = [columns["outcomes"][int(code)] for code in columns["outcome"]]
    assert [check.get("class").split()[1] for check in checks] == outcomes
    assert columns["name"].split("\n") == [check.cssselect(".name bdi")[0].text for check in checks]
    assert [check.get("id") for check in checks] == [
        f"c-{columns['ids'][at : at + 6].hex()}" for at in range(0, len(columns["ids"]), 6)
    ]
    kept = {check.get("id"): html.tostring(check) for check in checks}
    for one in whole:
        check = html.fromstring(one)
        assert html.tostring(check).strip() == kept[check.get("id")].strip()
    still = html.fromstring(small).cssselect(".every .check")
    assert {check.get("id") for check in still} == {
        check.get("id") for check in checks if check.get("class") == "check failed"
    }
    # A simple check's row is the template's, too.
    fixed = columns["row"].replace("\ue000", "{").replace("\ue001", "}")
    at = columns["kind"].index("s")
    name = (
        "<bdi>"
        + columns["name"].split("\n")[at].replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        + "</bdi>"
    )
    values = {"seconds": columns["seconds"].split("\n")[at], "took": columns["took"].split("\n")[at]}
    filled = fixed.format(id=checks[at].get("id"), outcome="passed", name=name, kind="", **values)
    made, kept_row = html.fromstring(filled), checks[at]
    assert (made.text_content(), made.get("class"), made.get("id")) == (
        kept_row.text_content(),
        "check passed",
        kept_row.get("id"),
    )


@pytest.mark.filterwarnings(
    "ignore:.*fork.*:DeprecationWarning"
)  # the test's own process has threads, the tool's has not
def test_the_same_bytes_whether_another_process_helps_or_not(page, monkeypatch):
    monkeypatch.setattr("plain_verdict.writers.html.folding._MANY_CHECKS", 10)
    fold_after(monkeypatch, 100, in_background=False)
    alone = page(results()).read_bytes()
    fold_after(monkeypatch, 100, in_background=True)
    assert page(results()).read_bytes() == alone
    make_blocks, tests = Folding._make_blocks, os.getpid()

    def die_elsewhere(folding, which):
        if os.getpid() != tests:
            os.kill(os.getpid(), signal.SIGKILL)
        return make_blocks(folding, which)

    monkeypatch.setattr(Folding, "_make_blocks", die_elsewhere)
    assert page(results()).read_bytes() == alone
    monkeypatch.undo()

    def send_half(_work, send, _parent):
        os.write(send.fileno(), struct.pack("!i", 1000) + b"half")
        os._exit(1)

    monkeypatch.setattr(processes, "_send", send_half)
    task = processes.BackgroundTask(lambda: "done here")
    task.start()
    assert task.result() == "done here"


def test_suites_tell_their_numbers_and_open_and_rows_tell_their_places(folded):
    browser = folded()
    suite = browser.find_element(By.XPATH, "//*[@class='suite'][.//h3[contains(., 'Quay 1 ')]]")
    assert "70 checks · 1 failed" in suite.find_element(By.TAG_NAME, "h3").text
    fold = suite.find_element(By.CSS_SELECTOR, ".folded summary")
    assert fold.text == "69 checks folded: 7 skipped, 62 passed"
    assert not suite.find_elements(By.CSS_SELECTOR, ".item")
    browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", fold)
    fold.click()
    wait(browser, "document.querySelectorAll('.item').length === 69")
    items = suite.find_elements(By.CSS_SELECTOR, ".item")
    assert [items[0].get_attribute("aria-posinset"), items[68].get_attribute("aria-posinset")] == ["1", "69"]
    assert items[5].get_attribute("aria-setsize") == "69"
    assert items[5].get_attribute("role") == "listitem"
    whole = suite.find_element(By.CSS_SELECTOR, ".item details.passed")
    whole.find_element(By.TAG_NAME, "summary").click()
    whole.find_element(By.CSS_SELECTOR, ".fold summary").click()
    assert "quay 73" in whole.find_element(By.TAG_NAME, "pre").text
    assert browser.get_log("browser") == []


def test_search_filters_orders_and_keys_reach_every_folded_check(folded):
    browser = folded()
    box = browser.find_element(By.CSS_SELECTOR, ".tools input")
    state = browser.find_element(By.CSS_SELECTOR, ".state")
    box.send_keys("sailing 3999")
    WebDriverWait(browser, 180).until(lambda _: "1 of 4,200 checks shown" in state.text)
    assert rows(browser) == ["Sailing 3999 & <b>"]
    box.clear()
    box.send_keys("winter")
    WebDriverWait(browser, 180).until(lambda _: "checks shown" in state.text and "1 of" not in state.text)
    skipped = int(state.text.split()[0].replace(",", ""))
    browser.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    browser.find_element(By.CSS_SELECTOR, ".show [value=skipped]").click()
    assert state.text == f"{skipped:,} of 4,200 checks shown"
    browser.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    browser.find_element(By.CSS_SELECTOR, "select [value=slowest]").click()
    numbers = [int(name.split()[1]) for name in rows(browser)[:100]]
    times = [number * 37 % 9001 for number in numbers]
    assert times == sorted(times, reverse=True)
    assert times[0] == max(number * 37 % 9001 for number in range(4200))
    first = browser.find_element(By.CSS_SELECTOR, ".flat .item .check")
    browser.execute_script("(arguments[0].querySelector('summary') ?? arguments[0]).focus()", first)
    ActionChains(browser).send_keys(Keys.ARROW_DOWN).perform()
    focus = "document.activeElement.closest('.item')?.ariaPosInSet"
    wait(browser, f"{focus} === '2'")
    ActionChains(browser).send_keys(Keys.END).perform()
    wait(browser, f"{focus} === '4200'")
    in_view = "(r => r.top >= -1 && r.bottom <= innerHeight + 1)(document.activeElement.getBoundingClientRect())"
    wait(browser, in_view)
    for key, place in ((Keys.PAGE_UP, 4185), (Keys.HOME, 1), (Keys.PAGE_DOWN, 16), (Keys.PAGE_UP, 1)):
        ActionChains(browser).send_keys(key).perform()
        wait(browser, f"{focus} === '{place}'")
    browser.find_element(By.CSS_SELECTOR, "select [value=name]").click()
    assert rows(browser)[:3] == ["Sailing 0 & <b>", "Sailing 1 & <b>", "Sailing 2 & <b>"]


def test_a_link_to_a_folded_check_opens_the_right_one(folded, page):
    columns, _ = unfolded(page(results()).read_text("utf-8"))
    names = columns["name"].split("\n")
    for at in (columns["kind"].index("s") + 900, columns["kind"].rindex("w")):
        id_ = "c-" + columns["ids"][6 * at : 6 * at + 6].hex()
        browser = folded(fragment=f"#{id_}")
        wait(browser, f"document.getElementById('{id_}')?.contains(document.activeElement)")
        check = browser.find_element(By.ID, id_)
        assert check.find_element(By.CSS_SELECTOR, ".name bdi").text == names[at]
        assert bool(check.get_attribute("open")) == (columns["kind"][at] == "w")
        wait(
            browser,
            f"(top => -5 <= top && top < 500)(document.getElementById('{id_}').getBoundingClientRect().top)",
        )


def test_past_two_thousand_failures_the_first_of_each_cause_are_plain_and_the_rest_is_counted(folded):
    browser = folded(results(failing_every=2))
    text = browser.find_element(By.TAG_NAME, "main").text
    assert "2,100 of 4,200 checks failed" in text
    assert "2 causes" in text
    assert browser.execute_script("return document.querySelectorAll('.every .check.failed').length") == 100
    assert "4,100 checks are compressed" in text
    assert "cut to 8,000 characters" in text
    browser.find_element(By.CSS_SELECTOR, ".show [value=failed]").click()
    assert "2,100 of 4,200 checks shown" in browser.find_element(By.CSS_SELECTOR, ".state").text
    seen, last = set(), ""
    for key in "nnnp":
        browser.find_element(By.TAG_NAME, "body").send_keys(key)
        wait(browser, f"(id => id && id !== '{last}')(document.activeElement.closest('.check.failed')?.id)")
        last = browser.execute_script("return document.activeElement.closest('.check').id")
        seen.add(last)
    assert len(seen) == 3


@pytest.mark.parametrize("without", ["scripts", "DecompressionStream"])
def test_a_browser_that_can_not_open_folds_says_so_and_has_everything_else(without, page, browser):
    url = page(results()).as_uri()
    browser.get("about:blank")
    script = None
    if without == "scripts":
        browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
    else:
        source = {"source": "delete window.DecompressionStream"}
        script = browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", source)
    try:
        browser.get(url)
        text = browser.find_element(By.TAG_NAME, "main").text
    finally:
        browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": False})
        if script:
            browser.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", script)
    assert "84 of 4,200 checks failed" in text
    assert "4,116 checks are compressed" in text
    assert "has no DecompressionStream" in text if without != "scripts" else "does not run them" in text
    assert "69 checks folded: 6 skipped, 63 passed" in text
    assert text.count("failed") >= 84 + 60
    assert not browser.find_element(By.CSS_SELECTOR, ".tools").is_displayed()


def test_on_paper_a_large_run_is_what_failed(folded):
    browser = folded()
    browser.find_element(By.CSS_SELECTOR, ".folded summary").click()
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    try:
        visible = "return [...document.querySelectorAll(arguments[0])].filter(e => e.getBoundingClientRect().height > 0).length"
        assert browser.execute_script(visible, ".every .check.failed .problem") == 84
        assert browser.execute_script(visible, ".every .check.passed") == 0
        assert browser.execute_script(visible, ".folded summary") == 60
    finally:
        browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "", "features": []})


def test_a_folder_has_every_check_on_plain_pages_at_any_size(tool, tmp_path):
    cases = "".join(f'<testcase name="Sailing {number}"/>' for number in range(2500))
    (tmp_path / "r.xml").write_text(
        f'<testsuite name="Quay">{cases}<testcase name="Sinks"><failure message="w"/></testcase></testsuite>'
    )
    assert tool("report", "r.xml", "--layout", "folder", "--out", "f").code == 0
    index = html.fromstring((tmp_path / "f" / "index.html").read_text("utf-8"))
    pages = [link.get("href") for link in index.cssselect(".files a")]
    assert pages == [f"suites/0001-quay{part}.html" for part in ("", "-2", "-3")]
    names = []
    for name in pages:
        part = html.fromstring((tmp_path / "f" / name).read_text("utf-8"))
        names += [node.text for node in part.cssselect(".check .name > bdi")]
        assert not part.cssselect(".folded")
    assert len(names) == len(set(names)) == 2501
    link = index.cssselect(".failures a")[0].get("href")
    assert link.startswith("suites/0001-quay.html#c-")


def test_a_search_in_the_address_is_decoded(folded):
    browser = folded(fragment="#find=sailing%203999%20%26")
    wait(browser, "document.querySelector('.state').textContent.startsWith('1 of')")
    assert rows(browser) == ["Sailing 3999 & <b>"]


@pytest.mark.parametrize("fold", [50, 10**6], ids=["folded", "plain"])
def test_the_rows_that_are_shown_are_taken_along(fold, page, tool, browser, monkeypatch):
    fold_after(monkeypatch, fold)
    browser.get("about:blank")
    browser.get(page(results(), "--json").as_uri() + "#order=slowest&show=failed,skipped")
    WebDriverWait(browser, 180).until(lambda driver: driver.find_element(By.CSS_SELECTOR, ".tools .state").text)
    name, rows = take_along(browser, ".tools .take")
    checks = json.loads(tool("inspect", "r.xml", "--json", "--detail").out)["checks"]
    wanted = [one for one in checks if one["outcome"] in ("failed", "skipped")]
    wanted.sort(key=lambda one: -one["took_s"])
    assert (name, rows[0][:4]) == ("checks.csv", ["check_id", "kind", "suite", "check"])
    assert [(row[0], row[2], row[3], row[4]) for row in rows[1:]] == [
        (one["id"], one["suite"][0], one["name"], one["outcome"]) for one in wanted
    ]
    assert all(row[7].startswith(("the fare service", "a ferry lost")) for row in rows[1:] if row[4] == "failed")


def test_rules_that_need_no_reader_are_folded_with_short_texts_and_those_that_failed_stay(page):
    why = "The service sends what it holds in clear text over the network. " * 20
    rules, results = [], []
    for number in range(300):
        texts = f"<description>{why}</description><rationale>{why}</rationale><fixtext>{why}</fixtext>"
        rules.append(f'<Rule id="r{number}" severity="medium"><title>Service {number} is off</title>{texts}</Rule>')
        word = "fail" if number < 3 else "notselected"
        results.append(f'<rule-result idref="r{number}"><result>{word}</result></rule-result>')
    text = page(
        '<Benchmark xmlns="http://checklists.nist.gov/xccdf/1.2" id="b">'
        f'{"".join(rules)}<TestResult id="t">{"".join(results)}</TestResult></Benchmark>'
    ).read_text("utf-8")
    assert len(text) < 250_000
    tree = html.fromstring(text)
    assert len(list(tree.iter())) < 2_000
    failed = tree.cssselect(".every .check.failed")
    assert len(failed) == 3
    assert all(why.strip() in check.text_content() for check in failed)
    _, whole = unfolded(text)
    assert len(whole) == 297
    assert all("How to fix it" not in one and why[:200] in one for one in whole)
