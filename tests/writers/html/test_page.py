"""The page in a real browser: it is safe, complete, and quick to find one's way in."""

import functools
import http.server
import importlib.metadata
import json
import threading
from base64 import b64decode, b64encode
from io import BytesIO
from pathlib import Path

import pypdf
import pytest
from lxml import html
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from conftest import fold_after
from plain_verdict.cli.demo.files import RESULTS
from plain_verdict.writers.html.sections import SECTIONS
from plain_verdict.writers.html.sections.navigation import _NAVIGATION

HOSTILE = [
    "<script>window.owned=1</script>",
    "</script><script>window.owned=1</script>",
    "</style><img src=x onerror=window.owned=1>",
    '"><svg onload=window.owned=1>',
    "' onmouseover='window.owned=1' autofocus onfocus='window.owned=1",
    "javascript:window.owned=1",
    "{{ 7 * 7 }}{% raw %}",
    "--></title></details></pre><iframe srcdoc='<script>parent.owned=1</script>'>",
    "]]>&#60;script&#62;window.owned=1&#60;/script&#62;",
    "\u202egnp.exe\u202c \u2066x",
]


def escaped(text: str) -> str:
    for char, name in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;"), ('"', "&quot;"), ("'", "&apos;")):
        text = text.replace(char, name)
    return text


def hostile_results() -> str:
    """A file with a payload in every field that is read."""
    parts = []
    for number, payload in enumerate(HOSTILE):
        x = escaped(payload)
        parts.append(
            f'<testsuite name="{x}" hostname="{x}" timestamp="{x}" time="{x}" tests="{x}">'
            f'<properties><property name="{x}" value="{x}"/></properties><system-out>{x}</system-out>'
            f'<testcase name="{x}" classname="{x}" file="{x}" line="{x}" time="{x}" status="{x}" odd="{x}">'
            f'<properties><property name="{x}">{x}</property></properties>'
            f'<failure type="{x}" message="{x} expected: &lt;{x}&gt; but was: &lt;{x}{number}&gt;">{x}\n{x}</failure>'
            f"<system-err>{x}\n{x}</system-err><oddity>{x}</oddity></testcase>"
            f'<testcase name="{x} skipped"><skipped message="{x}"/></testcase><testcase name="{x}[{x}]"/><testcase name="{x} passes"/>'
            f'<testcase name="{x} odd" status="{x}"/></testsuite>'
        )
    return "<testsuites>" + "".join(parts) + "</testsuites>"


def hostile_record() -> str:
    """A record with a payload in every field, and evidence that tries to run."""
    lines: list[dict] = [{"what": "record", "version": 1}]
    for number, x in enumerate(HOSTILE):
        id_, step = f"c{number}", f"s{number}"
        problem = {"type": x, "message": x, "detail": f"{x}\n{x}", "expected": x, "actual": x + "!"}
        lines += [
            {"what": "fact", "key": x, "value": x},
            {
                "what": "check",
                "id": id_,
                "name": x,
                "suite": [x],
                "parameters": {x: x},
                "tags": [x],
                "description": x,
            }
            | {"requirements": [x], "links": {x: x}, "worker": x, "file": x},
            {"what": "step", "id": step, "in": id_, "name": x},
            {"what": "log", "in": step, "text": x, "level": x},
            {"what": "output", "in": step, "name": x, "text": x},
            {"what": "evidence", "in": step, "name": x, "caption": x, "base64": b64encode(x.encode()).decode()},
            {"what": "evidence", "in": id_, "name": x, "path": x},
            {"what": "end", "id": step, "outcome": "failed", "problems": [problem]},
            {"what": "end", "id": id_, "outcome": "failed", "reason": x, "problems": [problem]},
        ]
    return "\n".join(map(json.dumps, lines))


@pytest.fixture(params=["plain", "folded"])
def opened(request, tool, tmp_path, browser, monkeypatch):
    """Make a page of results and open it: ``opened(xml)``, the demo's without. Once plain, once folded."""
    if request.param == "folded":
        fold_after(monkeypatch, 0)

    def open_page(xml: str = "", fragment: str = "", title: str = "Booking desk"):
        results = str(RESULTS)
        if xml:
            results = "r.xml"
            (tmp_path / results).write_text(xml, "utf-8")
        assert tool("report", results, "--overwrite", "--title", title).code == 0
        browser.get("about:blank")
        browser.get_log("performance")
        browser.get_log("browser")
        browser.get((tmp_path / "verdict.html").as_uri() + fragment)
        if request.param == "folded":
            wait_for(browser, "document.documentElement.dataset.ready")
        return browser

    yield open_page
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "", "features": []})
    browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
    browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": False})


def wait_for(browser, script: str) -> None:
    WebDriverWait(browser, 180).until(lambda _: browser.execute_script(f"return {script}"))


def shown(browser) -> list[str]:
    """The names of the checks that can be seen, in order."""
    wait_for(browser, "!document.querySelector('[aria-busy=true]')")
    return browser.execute_script(
        "return [...document.querySelectorAll('.every .check')].filter(c => c.offsetParent).map(c => c.querySelector('.name bdi').textContent)"
    )


def requests(browser) -> list[str]:
    events = [json.loads(entry["message"])["message"] for entry in browser.get_log("performance")]
    urls = [e["params"]["request"]["url"] for e in events if e["method"] == "Network.requestWillBeSent"]
    return [url for url in urls if not url.startswith("data:")]


@pytest.mark.parametrize("results", [hostile_results(), hostile_record()], ids=["junit", "record"])
def test_hostile_text_in_every_field_does_nothing(results, opened):
    browser = opened(results, title=HOSTILE[2])
    for details in browser.find_elements(By.TAG_NAME, "details"):
        browser.execute_script("arguments[0].open = true", details)
    browser.find_element(By.CSS_SELECTOR, "input").send_keys(HOSTILE[0])
    assert browser.execute_script("return window.owned") is None
    assert (
        browser.execute_script(
            "return [...document.scripts].filter(s => !s.type).length + ' ' + document.querySelectorAll('iframe, img, main [onload], main [onmouseover], main [onfocus]').length"
        )
        == "1 0"
    )
    links = browser.execute_script(
        "return [...document.querySelectorAll('a')].map(a => a.getAttribute('href')).filter(h => !h.startsWith('#') && !h.startsWith('data:application/octet-stream'))"
    )
    assert links == []
    assert browser.get_log("browser") == []
    text = browser.execute_script("return document.querySelector('main').textContent")
    for payload in HOSTILE[:-1]:
        assert text.count(payload) >= 8
    assert "\u202e" not in browser.execute_script(
        "return [...document.querySelectorAll('.name')].map(n => n.textContent).join()"
    )
    assert len(requests(browser)) == 1


def test_a_policy_that_allows_nothing_but_what_is_inline_is_enough_and_nothing_is_fetched(opened, tmp_path):
    class Strict(http.server.SimpleHTTPRequestHandler):
        def end_headers(self):
            self.send_header(
                "Content-Security-Policy",
                "default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; img-src data:",
            )
            super().end_headers()

        def log_message(self, *args):
            pass

    browser = opened()
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Strict, directory=tmp_path))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        browser.get_log("performance")
        url = f"http://127.0.0.1:{server.server_port}/verdict.html"
        browser.get(url)
        assert browser.find_element(By.CSS_SELECTOR, ".tools").is_displayed()
        assert browser.get_log("browser") == []
        assert requests(browser) == [url]
    finally:
        server.shutdown()
        server.server_close()


def test_the_page_says_what_matters_first_and_opens_the_first_failure(opened):
    browser = opened()
    assert len(browser.find_elements(By.CSS_SELECTOR, ".every details.check[open]")) == 1
    text = browser.find_element(By.TAG_NAME, "main").text
    order = [
        "Not fit",
        "14 of 99 checks failed or could not finish (11 functional and 3 API), 5 of them with",
        "An input is truncated",
        "Not met",
        "Causes",
        "Timed out after 30.0 s waiting for fares of sailing",
        "All checks",
        "By browser",
        "from first to last",
        "Slowest",
        "Inputs",
    ]
    places = [text.index(part) for part in order]
    assert places == sorted(places)
    assert browser.title == "Not fit: Booking desk"
    receipt = browser.find_element(
        By.XPATH, "//details[.//summary[contains(., 'Day return for two adults can be paid')]]"
    )
    assert "is not the fare that was quoted" in receipt.find_element(By.CSS_SELECTOR, ".first-line").text
    receipt.find_element(By.TAG_NAME, "summary").click()
    assert [mark.text for mark in receipt.find_elements(By.CSS_SELECTOR, ".two mark")] == ["18", "81"]
    stack = receipt.find_element(By.XPATH, ".//details[./summary[contains(., 'Stack')]]")
    assert not stack.find_element(By.TAG_NAME, "pre").is_displayed()
    stack.find_element(By.TAG_NAME, "summary").click()
    assert 'File "desk/pages/receipt.py", line 33' in stack.find_element(By.TAG_NAME, "pre").text


def test_the_navigation_has_every_section_marks_the_current_one_and_is_a_menu_where_it_is_narrow(opened):
    browser = opened()
    entries = browser.find_elements(By.CSS_SELECTOR, "nav.contents a")
    assert [entry.text.split("\n")[:2] for entry in entries[:3]] == [
        ["Verdict"],
        ["Results", "99"],
        ["Causes", "8"],
    ]
    targets = browser.execute_script(
        "return [...document.querySelectorAll('nav.contents a')].map(a => document.querySelector(`main ${a.hash}`)?.tagName)"
    )
    assert set(targets) == {"H2"}
    headings = browser.execute_script("return document.querySelectorAll('main h2').length")
    left_out = {"about", "short", "by-2", "by-3"}  # the team's words, the kinds, and all grids but the first
    ids = browser.execute_script("return [...document.querySelectorAll('main h2')].map(h => h.id)")
    assert len(entries) == headings - len(left_out & set(ids))
    assert [entry.text.split("\n")[0] for entry in entries if "bad" in entry.get_attribute("class")] == [
        "Results",
        "Causes",
        "API",
        "All checks",
        "Inputs",
    ]
    browser.execute_script("document.querySelector('#every').scrollIntoView()")
    wait_for(browser, "document.querySelector('[aria-current]')?.hash === '#every'")
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": False}
    )
    wait_for(browser, "!document.querySelector('nav.contents details').open")
    summary = browser.find_element(By.CSS_SELECTOR, "nav.contents summary")
    assert summary.text.split("\n") == ["Not fit", "Booking desk", "Sections"]
    assert summary.rect["y"] - browser.execute_script("return scrollY") < 2
    summary.click()
    entries[2].click()
    wait_for(browser, "!document.querySelector('nav.contents details').open && location.hash === '#why'")


def test_no_section_is_missing_from_the_navigation():
    left_out = {"description", "by_kind"}  # a few lines of the first screen
    assert {section.name for section in SECTIONS} == _NAVIGATION.keys() | left_out


@pytest.mark.parametrize("width", [320, 360, 390])
def test_the_first_screen_fits_any_width(opened, width):
    browser = opened()
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False},
    )
    assert browser.execute_script("return document.documentElement.scrollWidth") <= width
    remarks = browser.find_elements(By.CSS_SELECTOR, ".verdict + .remarks > li")
    assert 0 < len(remarks) <= 5
    assert not any(remark.text.startswith(("results", "/", "south")) for remark in remarks)
    for remark in remarks:
        way = remark.find_element(By.TAG_NAME, "a").get_attribute("hash")
        assert browser.execute_script("return !!document.getElementById(arguments[0].slice(1))", way)


def test_all_checks_open_and_close_at_once_and_failures_are_open_on_paper(opened):
    browser = opened()
    opened_ones = ".every details.check[open]"
    browser.find_element(By.CSS_SELECTOR, ".open-all").click()
    assert len(browser.find_elements(By.CSS_SELECTOR, opened_ones)) > 14
    browser.find_element(By.CSS_SELECTOR, ".close-all").click()
    assert browser.find_elements(By.CSS_SELECTOR, opened_ones) == []
    browser.execute_script("dispatchEvent(new Event('beforeprint'))")
    assert len(browser.find_elements(By.CSS_SELECTOR, opened_ones)) == 14


def test_search_filters_order_and_the_fragment_that_keeps_them(opened):
    browser = opened()
    browser.execute_script("document.querySelectorAll('.every .quiet').forEach(fold => { fold.open = true; })")
    everything = shown(browser)
    assert len(everything) == 99
    box = browser.find_element(By.CSS_SELECTOR, ".tools input")
    box.send_keys("fare child under")
    assert shown(browser) == ["A child under four travels free"]
    box.clear()
    box.send_keys("bq-2207")
    assert len(shown(browser)) == 2
    browser.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    assert shown(browser) == everything
    browser.find_element(By.CSS_SELECTOR, ".show [value=skipped]").click()
    browser.find_element(By.CSS_SELECTOR, ".show [value=errored]").click()
    browser.find_element(By.CSS_SELECTOR, "select [value=name]").click()
    names = shown(browser)
    assert len(names) == 10
    assert names == sorted(names)
    fragment = browser.execute_script("return location.hash")
    again = opened(fragment=fragment)
    assert shown(again) == names
    assert "10 of 99 checks shown" in again.find_element(By.CSS_SELECTOR, ".state").text
    again.execute_script("location.hash = 'order=slowest'")
    assert shown(again)[:2] == [
        "The call button reaches the office",
        "The ticket kiosk prints a ticket",
    ]
    flat = again.find_element(By.CSS_SELECTOR, ".flat")
    for event, there in (("beforeprint", False), ("afterprint", True)):
        again.execute_script(f"dispatchEvent(new Event('{event}'))")
        assert flat.is_displayed() == there
    assert shown(again)[1] == "The ticket kiosk prints a ticket"
    again.execute_script("document.querySelectorAll('.every .quiet').forEach(fold => { fold.open = true; })")
    again.find_element(By.CSS_SELECTOR, "select [value=suite]").click()
    again.execute_script("location.hash = 'show=&find='")
    assert shown(again) == everything
    again.execute_script("location.hash = 'show=failed'")
    assert len(shown(again)) == 10


def test_filters_come_from_what_checks_are_and_the_address_keeps_several(opened):
    browser = opened()
    WebDriverWait(browser, 60).until(lambda _: browser.find_element(By.CSS_SELECTOR, ".add-filter").is_displayed())
    groups = browser.find_elements(By.CSS_SELECTOR, "select[name=only] optgroup")
    assert {"Change", "Cause", "File"} <= {group.get_attribute("label") for group in groups}
    link = browser.find_element(By.CSS_SELECTOR, ".cause .show-these")
    title = link.find_element(By.XPATH, "ancestor::article").find_element(By.TAG_NAME, "h3").text
    number = int(link.find_element(By.XPATH, "ancestor::article").find_element(By.CSS_SELECTOR, ".count").text)
    link.click()
    WebDriverWait(browser, 60).until(lambda _: len(shown(browser)) == number)
    chips = browser.find_elements(By.CSS_SELECTOR, ".chips button")
    assert [chip.text for chip in chips] == [f"Cause: {title}"]
    assert f"{number} of 99 checks shown" in browser.find_element(By.CSS_SELECTOR, ".state").text
    # A second value of another facet narrows, one of the same facet widens; the address brings both back.
    for option in browser.find_elements(By.CSS_SELECTOR, "optgroup[label=File] option"):
        option.click()
        if both := shown(browser):
            break
        browser.find_elements(By.CSS_SELECTOR, ".chips button")[1].click()
    assert 0 < len(both) <= number
    again = opened(fragment=browser.execute_script("return location.hash"))
    WebDriverWait(again, 60).until(lambda _: shown(again) == both)
    again.find_elements(By.CSS_SELECTOR, ".chips button")[1].click()
    assert len(shown(again)) == number
    again.find_element(By.CSS_SELECTOR, "optgroup[label=Cause] option:nth-child(2)").click()
    assert len(shown(again)) > number


def test_a_failure_is_copied_for_a_ticket_with_all_that_fixing_it_needs(tool, browser, tmp_path):
    lines = [
        {"what": "record", "version": 1},
        {"what": "check", "id": "1", "kind": "api", "suite": ["Fares", "Book"], "name": "A *class* is `booked`"},
        {"what": "step", "in": "1", "id": "2", "name": "Pay"}, {"what": "step", "in": "2", "id": "3", "name": "Charge the card"},
        {"what": "exchange", "in": "3", "request": {"method": "POST", "url": "https://fares.test/pay?token=sk_live_4242424242424242"}, "response": {"status": 503}},
        {"what": "expectation", "in": "3", "subject": "status", "outcome": "failed", "expected": "201", "actual": "503"},
        {"what": "end", "id": "3", "outcome": "failed"}, {"what": "end", "id": "2", "outcome": "failed"},
        {"what": "end", "id": "1", "outcome": "failed", "problems": [{"message": "busy", "expected": "a\n```\nb", "actual": "c"}]},
    ]  # fmt: skip
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    tool("report", "r.verdict.jsonl", "--fact", "build=4211", "--fact", "branch=main")
    url = (tmp_path / "verdict.html").as_uri()
    browser.get(url)
    browser.execute_script("window.out = []; navigator.clipboard.writeText = async text => { out.push(text); }")
    for button in browser.find_elements(By.CSS_SELECTOR, ".copies"):
        button.click()
    cause, address, ticket = browser.execute_script("return out")
    check = browser.find_element(By.CSS_SELECTOR, "details.check").get_attribute("id")
    assert address == f"{url}#{check}"
    assert cause.startswith("### ")
    wanted = [
        r"### A \*class\* is \`booked\`", "Fares › Book · failed", "**busy**", "- Expected:\n\n````\na\n```\nb\n````", "- Actual:",
        "- status: expected 201, came 503", "- Failing step: Pay › Charge the card", "- Run: build 4211, branch main",
        f"- Report: <{address}>", "Request: POST https://fares.test/pay", "answer: 503", "```sh\ncurl ",
    ]  # fmt: skip
    assert [part for part in wanted if part not in ticket] == []
    assert "sk_live" not in ticket + cause
    assert browser.find_element(By.CSS_SELECTOR, ".copies").text == "Copied"


def test_several_attempts_stand_side_by_side_and_say_what_differs(tool, tmp_path):
    lines = [{"what": "record", "version": 1}]
    for number, (end, message) in enumerate((("failed", "no fare"), ("failed", "no seat"), ("passed", "")), 1):
        problems = [{"message": message}] if message else []
        lines += [
            {"what": "check", "id": f"{number}", "name": "Pay", "attempt": number},
            {"what": "step", "in": f"{number}", "id": f"s{number}", "name": "Open"},
            {"what": "end", "id": f"s{number}", "outcome": end},
            {"what": "end", "id": f"{number}", "outcome": end, "took_s": 4 - number, "problems": problems},
        ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    tool("report", "r.verdict.jsonl")
    table = html.fromstring((tmp_path / "verdict.html").read_text("utf-8")).cssselect("table.attempts")[0]
    heads = [" ".join(head.text_content().split()) for head in table.cssselect("thead th")]
    assert heads == ["Differs in", "attempt 1 failed", "attempt 2 failed", "attempt 3 passed"]
    rows = [[cell.text_content() for cell in row] for row in table.cssselect("tbody tr")]
    assert rows == [
        ["Message", "no fare", "no seat", "–"],
        ["Failing step", "Open", "Open", "–"],
        ["Time", "3.0 s", "2.0 s", "1.0 s"],
    ]


def test_one_cause_of_all_checks_is_shown_by_its_link_and_offers_no_filter(tool, browser, tmp_path):
    cases = "".join(
        f'<testcase name="t{number}"><failure message="busy {number}"/></testcase>' for number in range(3)
    )
    (tmp_path / "r.xml").write_text(f'<testsuite name="Fares">{cases}</testsuite>')
    tool("report", "r.xml")
    browser.get((tmp_path / "verdict.html").as_uri())
    browser.find_element(By.CSS_SELECTOR, ".cause .show-these").click()
    wait_for(browser, "document.querySelector('.state').textContent === '3 of 3 checks shown'")
    assert not browser.find_element(By.CSS_SELECTOR, ".add-filter").is_displayed()


def test_search_goes_through_the_whole_page_section_by_section(opened):
    browser = opened()
    browser.find_element(By.TAG_NAME, "body").send_keys("/")
    box = browser.switch_to.active_element
    box.send_keys("fare child under")
    found = browser.find_element(By.CSS_SELECTOR, "dialog.search .found")
    WebDriverWait(browser, 60).until(lambda _: "A child under four travels free" in found.text)
    assert found.find_element(By.TAG_NAME, "h3").text == "All checks 1"
    box.send_keys(Keys.ENTER)
    focused = browser.execute_script("return document.activeElement.closest('.check').textContent")
    assert "A child under four travels free" in focused
    browser.find_element(By.TAG_NAME, "body").send_keys("/")
    box = browser.switch_to.active_element
    box.clear()
    box.send_keys("timed out")
    WebDriverWait(browser, 60).until(lambda _: "Causes" in found.text)
    box.send_keys(Keys.ARROW_DOWN)
    assert browser.switch_to.active_element.tag_name == "button"
    browser.switch_to.active_element.send_keys(Keys.ENTER)
    assert browser.execute_script("return document.activeElement.closest('.cause') !== null")
    browser.find_element(By.TAG_NAME, "body").send_keys("?")
    assert "next and previous failure" in browser.find_element(By.CSS_SELECTOR, "dialog.keys").text


def test_keys_and_links_lead_to_a_check_and_open_it(opened):
    browser = opened()
    target = browser.execute_script("return document.querySelector('.check.passed[id]').id")
    browser = opened(fragment=f"#show=skipped&find={target}")
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = false)")
    link = browser.find_element(By.PARTIAL_LINK_TEXT, "A school class gets one invoice")
    link.click()
    check = browser.find_element(By.ID, link.get_attribute("href").split("#")[1])
    assert check.get_attribute("open")
    assert check.is_displayed()
    assert browser.execute_script("return arguments[0].getBoundingClientRect().top", check) < 400
    order = []
    for _ in range(15):
        browser.find_element(By.TAG_NAME, "body").send_keys("n")
        order.append(browser.execute_script("return document.activeElement.closest('.check').id"))
    assert len(set(order)) == 14
    assert order[0] == order[14]
    browser.find_element(By.TAG_NAME, "body").send_keys("p")
    assert browser.execute_script("return document.activeElement.closest('.check').id") == order[13]


def test_with_scripts_off_everything_is_there_or_said_to_be_folded(opened):
    browser = opened()
    folded = bool(browser.find_elements(By.ID, "columns"))
    browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
    browser.refresh()
    assert not browser.find_element(By.CSS_SELECTOR, ".tools").is_displayed()
    text = browser.find_element(By.TAG_NAME, "main").text
    assert "14 of 99 checks failed or could not finish" in text
    browser.find_element(By.CSS_SELECTOR, ".quiet.of-suites > summary").click()
    text = browser.find_element(By.TAG_NAME, "main").text
    if folded:
        assert "85 checks are folded" in text
        assert "7 checks folded: 1 skipped, 6 passed" in text
        return
    for summary in browser.find_elements(By.CSS_SELECTOR, ".every .suite .quiet > summary"):
        summary.click()
    assert "A kayak is long luggage" in browser.find_element(By.TAG_NAME, "main").text
    check = browser.find_element(
        By.XPATH, "//details[contains(@class, 'check')][summary[contains(., 'The ticket arrives by e-mail')]]"
    )
    check.find_element(By.TAG_NAME, "summary").click()
    check.find_element(By.CSS_SELECTOR, ".fold summary").click()
    assert "delivered after 13 s" in check.text


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_every_text_can_be_read_in_light_and_dark(opened, scheme):
    browser = opened()
    browser.execute_cdp_cmd(
        "Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
    )
    # Source: WCAG 2.2, contrast ratio and relative luminance; success criterion 1.4.3
    faint = browser.execute_script("""
      const lum = c => c.map(v => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
                        .reduce((s, v, i) => s + v * [0.2126, 0.7152, 0.0722][i], 0);
      const rgb = s => s.match(/[\\d.]+/g).map(Number);
      const ground = e => { for (; e; e = e.parentElement) { const c = rgb(getComputedStyle(e).backgroundColor); if (c[3] !== 0) return c; } return [255, 255, 255]; };
      const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT), faint = [];
      while (walker.nextNode()) {
        const e = walker.currentNode.parentElement;
        if (!walker.currentNode.textContent.trim() || !e.offsetParent || e.closest('svg, mark, script')) continue;
        const [a, b] = [lum(rgb(getComputedStyle(e).color).slice(0, 3)), lum(ground(e).slice(0, 3))].sort((x, y) => y - x);
        if ((a + 0.05) / (b + 0.05) < 4.5) faint.push(e.className + ': ' + e.textContent.slice(0, 40));
      }
      return faint;""")
    assert faint == []
    background = browser.execute_script("return getComputedStyle(document.documentElement).backgroundColor")
    assert (int(background[4:].split(",")[0]) < 60) == (scheme == "dark")


@pytest.mark.parametrize(
    "xml",
    [
        "",
        hostile_results(),
        f'<testsuite name="{"x" * 400}"><testcase name="{"y" * 490}"><failure message="{"z" * 900}"/></testcase></testsuite>',
    ],
)
def test_a_phone_needs_no_sideways_scrolling(opened, xml):
    browser = opened(xml)
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": False}
    )
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
    assert browser.execute_script("return document.documentElement.scrollWidth") <= 390


def test_on_paper_what_failed_is_open_and_the_tools_are_gone(opened):
    browser = opened()
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = false)")
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    assert not browser.find_element(By.CSS_SELECTOR, ".tools").is_displayed()
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": 794, "height": 1123, "deviceScaleFactor": 1, "mobile": False},
    )
    assert browser.find_element(By.CSS_SELECTOR, ".verdict").size["width"] > 600
    heights = "return [...document.querySelectorAll(arguments[0])].map(e => e.getBoundingClientRect().height)"
    assert min(browser.execute_script(heights, ".check.failed .problem, .check.errored .fold pre")) > 0
    assert max(browser.execute_script(heights, ".check.passed .inside")) == 0


def test_the_same_inputs_give_the_same_bytes_whatever_their_order(program, tmp_path):
    pages = []
    for number, files in enumerate((sorted(RESULTS.glob("*.xml")), sorted(RESULTS.glob("*.xml"), reverse=True))):
        out = f"{number}.html"
        assert program("report", *map(str, files), "--out", out, env={"PYTHONHASHSEED": str(number)}).code == 0
        pages.append((tmp_path / out).read_bytes())
    assert pages[0] == pages[1]


class StrictServer(http.server.SimpleHTTPRequestHandler):
    """A server that forbids scripts, inline styles, data URLs and everything from elsewhere."""

    def end_headers(self):
        policy = "sandbox; default-src 'none'; img-src 'self'; style-src 'self'"
        self.send_header("Content-Security-Policy", policy)
        super().end_headers()

    def log_message(self, *args):
        pass


@pytest.fixture
def strict(tool, tmp_path, browser):
    """Write the demo as a folder and open it from a strict server: gives the address of its first page."""
    assert tool("demo", "d").code == 0
    assert (
        tool(
            "report",
            "d/results",
            "--config",
            "d/plain-verdict.toml",
            "--evidence",
            "d/shots",
            "--zip",
            "--out",
            "f",
        ).code
        == 0
    )
    server = http.server.ThreadingHTTPServer(
        ("127.0.0.1", 0), functools.partial(StrictServer, directory=tmp_path / "f")
    )
    threading.Thread(target=server.serve_forever, daemon=True).start()
    browser.get_log("browser")
    yield f"http://127.0.0.1:{server.server_port}/index.html"
    server.shutdown()
    server.server_close()


def test_a_folder_reads_well_where_a_server_forbids_nearly_everything(strict, browser):
    browser.get(strict)
    text = browser.find_element(By.TAG_NAME, "main").text
    for part in (
        "Not fit",
        "15 of 107 checks failed or could not finish",
        "86 passed",
        "Causes",
        "Failures",
        "Inputs",
    ):
        assert part in text
    styles = "return [getComputedStyle(document.querySelector('.word')).fontSize, getComputedStyle(document.querySelector('.band')).borderBottomColor]"
    assert browser.execute_script(styles) == ["44px", "rgb(11, 114, 133)"]
    loaded = "return [...document.images].filter(i => i.offsetParent).map(i => { i.scrollIntoView(); return i.complete ? i.naturalWidth : 1; })"
    assert min(browser.execute_script(loaded)) > 0
    browser.find_element(By.PARTIAL_LINK_TEXT, "Day return for two adults").click()
    check = browser.find_element(By.CSS_SELECTOR, ".check:target")
    assert "Read the total on the receipt" in check.text
    check.find_element(By.CSS_SELECTOR, ".lead a").click()
    assert browser.find_element(By.CSS_SELECTOR, ".photo:target img").size["width"] > 600
    # All checks is reached by plain links.
    browser.get(strict)
    pages = [
        link.get_attribute("href") for link in browser.find_elements(By.CSS_SELECTOR, ".files a[href^='suites/']")
    ]
    checks = set()
    for page in pages:
        browser.get(page)
        checks |= set(browser.execute_script("return [...document.querySelectorAll('.check')].map(c => c.id)"))
    assert len(checks) == 107
    # The script is there for servers that allow it; this one refused it, and nothing else.
    complaints = [entry["message"] for entry in browser.get_log("browser")]
    assert all("script" in complaint for complaint in complaints), complaints


AXE = next(
    Path(file.locate()) for file in importlib.metadata.files("axe-playwright-python") if file.name == "axe.min.js"
)


COLOURS = {"runOnly": {"type": "rule", "values": ["color-contrast"]}}
NOT_COLOURS = {"rules": {"color-contrast": {"enabled": False}}}


# Each layout once; colours take most of the time: those of the page, which has every component, are looked at in dark.
@pytest.mark.parametrize(
    ("layout", "scheme", "rules", "least_passes"),
    [
        ("page", "light", NOT_COLOURS, 21),
        ("page", "dark", COLOURS, 1),
        ("folder", "light", {}, 21),
        ("suite", "light", {}, 21),
        ("suite", "dark", {}, 21),
        ("folded", "light", NOT_COLOURS, 21),
        ("index", "light", {}, 18),
        ("comparison", "light", {}, 18),
    ],
)
@pytest.mark.slow
def test_axe_finds_nothing_with_everything_open(
    layout, scheme, rules, least_passes, tool, tmp_path, browser, monkeypatch
):
    if layout == "folded":
        fold_after(monkeypatch, 0)
    assert tool("demo", "d").code == 0
    arguments = ["--config", "d/plain-verdict.toml", "--evidence", "d/shots", "--theme", scheme]
    arguments += ["--out", "v.html"] if layout in ("page", "folded") else ["--layout", "folder", "--out", "f"]
    assert tool("report", "d/results", *arguments).code == 0
    assert tool("index", "d").code == 0
    assert tool("compare", "d/earlier/builds.json.gz", "d/verdict.html", "--out", "c.html").code == 0
    name = {
        "index": "d/index.html",
        "comparison": "c.html",
        "page": "v.html",
        "folded": "v.html",
        "folder": "f/index.html",
        "suite": "f/suites/0002-booking-desk-checkout.html",
    }[layout]
    browser.execute_cdp_cmd("Page.setBypassCSP", {"enabled": True})
    try:
        browser.get((tmp_path / name).as_uri())
        if layout == "folded":
            wait_for(browser, "document.documentElement.dataset.ready")
            wait_for(browser, "document.querySelectorAll('.item').length > 40")
        browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
        browser.execute_script(AXE.read_text("utf-8"))
        found = browser.execute_async_script("axe.run(arguments[0]).then(arguments[1])", rules)
    finally:
        browser.execute_cdp_cmd("Page.setBypassCSP", {"enabled": False})
    problems = [(one["id"], [node["target"] for node in one["nodes"]][:3]) for one in found["violations"]]
    assert problems == []
    assert len(found["passes"]) >= least_passes


def test_the_keyboard_leads_from_the_top_to_a_picture_and_back(tool, tmp_path, browser):
    assert tool("demo", "d").code == 0
    browser.get((tmp_path / "d" / "verdict.html").as_uri())
    active = lambda: browser.switch_to.active_element  # noqa: E731
    seen = []
    for _ in range(60):
        ActionChains(browser).send_keys(Keys.TAB).perform()
        seen.append(active().get_attribute("href") or active().tag_name)
        if "#pic-" in seen[-1]:
            break
    assert seen[0].endswith("#every")
    assert "#pic-" in seen[-1]
    ring = "return getComputedStyle(document.activeElement).outlineStyle"
    assert browser.execute_script(ring) == "solid"
    active().send_keys(Keys.ENTER)
    assert browser.find_element(By.CSS_SELECTOR, ".photo:target").is_displayed()
    active().send_keys(Keys.ESCAPE)
    WebDriverWait(browser, 180).until(lambda _: not browser.find_elements(By.CSS_SELECTOR, ".photo:target"))
    assert browser.execute_script("return document.querySelectorAll('h1').length") == 1


@pytest.mark.parametrize("zoom", [1, 2])
def test_at_twice_the_size_nothing_runs_out_of_the_window(zoom, tool, tmp_path, browser):
    assert tool("demo", "d").code == 0
    browser.get((tmp_path / "d" / "verdict.html").as_uri())
    # Zooming by two halves the window in CSS pixels. Source: WCAG 2.2, 1.4.4 and 1.4.10
    size = {"width": 1280 // zoom, "height": 800 // zoom, "deviceScaleFactor": zoom, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    try:
        browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
        assert browser.execute_script("return document.documentElement.scrollWidth") <= 1280 // zoom
    finally:
        browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


def test_a_theme_holds_against_the_system_and_outcomes_keep_their_colours(tool, tmp_path, browser):
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="a"><failure message="x"/></testcase></testsuite>')
    (tmp_path / "own.css").write_text(
        ":root { --failed: green !important } .outcome.failed { color: green !important } .verdict .word { color: green } h1 { color: rgb(1, 2, 3) }"
        "@layer guard { .outcome.failed { color: green !important } }"
    )
    (tmp_path / "plain-verdict.toml").write_text('[brand]\nstylesheet = "own.css"')
    colours = "const c = (s) => getComputedStyle(document.querySelector(s)); return [c('html').backgroundColor, c('.outcome.failed').color, c('.word').color, c('h1').color]"
    dark = {"features": [{"name": "prefers-color-scheme", "value": "dark"}]}
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", dark)
    try:
        found = {}
        for theme in ("light", "dark", "auto"):
            assert tool("report", "r.xml", "--overwrite", "--theme", theme).code == 0
            browser.get((tmp_path / "verdict.html").as_uri())
            found[theme] = browser.execute_script(colours)
    finally:
        browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "", "features": []})
    red, pale = "rgb(166, 47, 28)", "rgb(240, 139, 118)"
    assert found["light"] == ["rgb(251, 250, 246)", red, red, "rgb(1, 2, 3)"]
    assert found["dark"] == found["auto"] == ["rgb(22, 22, 20)", pale, pale, "rgb(1, 2, 3)"]


def test_only_what_failed_makes_a_short_page_that_says_so(tool, tmp_path, browser):
    assert tool("demo", "d").code == 0
    arguments = ["--config", "d/plain-verdict.toml", "--evidence", "d/shots", "--only", "failed", "--out", "v.html"]
    assert tool("report", "d/results", *arguments).code == 0
    browser.get((tmp_path / "v.html").as_uri())
    text = browser.find_element(By.TAG_NAME, "main").text
    assert "92 checks that passed or were skipped are left out of this page" in text
    assert "15 of 107 checks failed or could not finish" in text
    assert len(shown(browser)) == 15
    targets = browser.execute_script(
        "return [...document.querySelectorAll('a[href^=\"#\"], use')].map(a => a.getAttribute('href').slice(1)).filter(id => !id.includes('=') && !document.getElementById(id))"
    )
    assert targets == []
    assert (tmp_path / "v.html").stat().st_size < 0.8 * (tmp_path / "d" / "verdict.html").stat().st_size


def test_saved_as_pdf_it_has_page_numbers_links_and_what_failed(tool, tmp_path, browser):
    assert tool("demo", "d").code == 0
    browser.get((tmp_path / "d" / "verdict.html").as_uri())
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = false)")
    printed = browser.execute_cdp_cmd("Page.printToPDF", {"printBackground": True, "preferCSSPageSize": True})
    pages = [page.extract_text() for page in pypdf.PdfReader(BytesIO(b64decode(printed["data"]))).pages]
    text = "\n".join(pages)
    assert len(pages) > 3
    for number, page in enumerate(pages, 1):
        assert f"{number} of {len(pages)}" in " ".join(page.split())
    assert "https://wiki.desk.test/nightly" in "".join(text.split())
    assert "Read the total on the receipt" in text


def test_keys_of_one_character_can_be_turned_off_and_the_large_picture_keeps_the_focus(tool, browser, tmp_path):
    (tmp_path / "shots").mkdir()
    for number in (1, 2):
        Image.new("RGB", (40, 30), (number, 90, 90)).save(tmp_path / "shots" / f"sails {number}.png")
    cases = "".join(f'<testcase name="sails {n}"><failure message="no boat"/></testcase>' for n in (1, 2))
    (tmp_path / "r.xml").write_text(f"<testsuite>{cases}</testsuite>")
    tool("report", "r.xml", "--evidence", "shots")
    browser.get((tmp_path / "verdict.html").as_uri())
    focused = "return document.activeElement.matches('dialog[open] input[type=search]')"

    def switch_keys():
        browser.find_element(By.CSS_SELECTOR, ".keys-open").click()
        browser.find_element(By.CSS_SELECTOR, "dialog.keys input").click()
        ActionChains(browser).send_keys(Keys.ESCAPE).perform()

    switch_keys()
    browser.find_element(By.TAG_NAME, "body").send_keys("/")
    assert not browser.execute_script(focused)
    # Turned on again, also where the page is opened anew.
    switch_keys()
    browser.refresh()
    browser.find_element(By.TAG_NAME, "body").send_keys("/")
    assert browser.execute_script(focused)
    ActionChains(browser).send_keys(Keys.ESCAPE).perform()
    browser.find_element(By.CSS_SELECTOR, ".lead a").click()
    inside = "const d = document.querySelector('[role=dialog]'); return d?.ariaModal === 'true' && d.contains(document.activeElement)"
    WebDriverWait(browser, 180).until(lambda _: browser.execute_script(inside))
    for _ in range(5):
        ActionChains(browser).send_keys(Keys.TAB).perform()
        assert browser.execute_script(inside)
    ActionChains(browser).send_keys(Keys.ESCAPE).perform()
    WebDriverWait(browser, 180).until(lambda _: not browser.find_elements(By.CSS_SELECTOR, "[role=dialog]"))
