"""HTTP archives: untidy ones, cut-off ones, and those that stand beside a check."""

import base64
import gzip
import json
from io import BytesIO

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import html

from plain_verdict.http.archive import Archive
from plain_verdict.http.har import exchange_of
from plain_verdict.model import Fact
from plain_verdict.settings.limits import Limits


def entry(path="/sailings", status=200, **more):
    """An entry as recorders write it; ``more`` goes over its keys."""
    response = {"status": status, "statusText": "OK", "headers": [], "content": {"size": 0}, "bodySize": 12}
    request = {"method": "GET", "url": f"https://fares.test{path}", "headers": [], "bodySize": 0, "headersSize": 40}
    return {
        "startedDateTime": "2026-11-22T02:10:00+01:00",
        "time": 40.5,
        "request": request,
        "response": response,
        "timings": {"send": 1, "wait": 30, "receive": 9.5},
    } | more


def archive(*entries, **log):
    return json.dumps({"log": {"version": "1.2", "creator": {"name": "b"}, "entries": list(entries)} | log})


def answered(content, headers=(), mime="application/json"):
    found = [{"name": name, "value": value} for name, value in headers]
    return entry(response={"status": 200, "headers": found, "content": {"mimeType": mime} | content})


PNG = b"\x89PNG\r\n\x1a\n" + bytes(20)
GZIPPED = base64.b64encode(gzip.compress(b'{"a":1}')).decode()
# An entry, what to look at in its exchange, and what must be there.
UNTIDY = {
    "plain": (entry(), lambda x: (x.response.status, x.took_s, x.request.wire_bytes), (200, 0.0405, 40)),
    "times of -1": (
        entry(time=-1, timings={"blocked": -1, "dns": -1, "send": 1, "wait": 20, "receive": -1}),
        lambda x: (x.took_s, x.timings.blocked_s, x.timings.wait_s),
        (0.021, None, 0.02),
    ),
    "absurd times": (entry(time=1e300, timings={}), lambda x: x.took_s, None),
    "times in words": (entry(time="soon", timings={"wait": "x"}), lambda x: x.took_s, None),
    "tls within connect": (
        entry(timings={"connect": 30, "ssl": 20}),
        lambda x: (x.timings.connect_s, x.timings.tls_s),
        (pytest.approx(0.01), 0.02),
    ),
    "no response": (entry(response=None), lambda x: (x.response, x.no_answer), (None, "nothing came back")),
    "status 0 with a reason": (
        entry(response={"status": 0, "_error": "net::ERR_CONNECTION_REFUSED"}),
        lambda x: x.no_answer,
        "net::ERR_CONNECTION_REFUSED",
    ),
    "status 0 with a comment": (entry(response={"status": 0}, comment="it was stopped"), lambda x: x.no_answer, "it was stopped"),
    "json": (answered({"text": '{"a":[1]}'}), lambda x: x.response.body.text, '{\n  "a": [\n    1\n  ]\n}'),
    "gzip in base64": (
        answered({"text": GZIPPED, "encoding": "base64"}, [("content-encoding", "gzip")]),
        lambda x: (x.response.body.text, x.response.body.size_bytes),
        ('{\n  "a": 1\n}', 7),
    ),
    "a picture in base64": (
        answered({"text": base64.b64encode(PNG).decode(), "encoding": "base64"}, mime="image/png"),
        lambda x: (x.response.body.binary.data, x.response.body.binary.name),
        (PNG, "sailings"),
    ),
    "wrong base64": (answered({"text": "a", "encoding": "base64"}), lambda x: x.response.body.remark, "has base64 that can't be read"),
    "a body that was not kept": (answered({"size": 812}), lambda x: x.response.body.remark, "was not kept by what recorded it"),
    "a form": (
        entry(request={"method": "POST", "url": "https://f.test/", "postData": {"mimeType": "application/x-www-form-urlencoded", "text": "a=1&b=%C3%A5"}}),
        lambda x: x.request.body.form,
        (Fact("a", "1"), Fact("b", "å")),
    ),
    "a form in fields": (
        entry(request={"method": "POST", "url": "https://f.test/", "postData": {"params": [{"name": "a", "value": "1"}, 7]}}),
        lambda x: x.request.body.form,
        (Fact("a", "1"), Fact("", "")),
    ),
    "headers of all sorts": (
        entry(request={"method": "GET", "url": "https://f.test/", "headers": [{"name": "a", "value": "1"}, "b", {"name": ""}, None]}),
        lambda x: x.request.headers,
        (Fact("a", "1"),),
    ),
    "an address that is none": (entry(request={"url": "not an address"}), lambda x: (x.request.url, x.request.method), ("not an address", "GET")),
    "no request": (entry(request=None), lambda x: x, None),
    "no entry": ("x", lambda x: x, None),
}  # fmt: skip


@pytest.mark.parametrize(("made", "look", "wanted"), UNTIDY.values(), ids=UNTIDY)
def test_an_untidy_entry_gives_what_it_tells(made, look, wanted):
    assert look(exchange_of(made, Limits())) == wanted


def test_each_entry_is_judged_by_its_status_alone_and_the_page_says_so(tool, tmp_path):
    pages = [{"id": "p1", "title": "Timetable"}, {"title": "no id"}, 4]
    entries = [
        entry(pageref="p1"),
        entry("/fares", 302),
        entry("/x", 404),
        entry("/y", 500),
        entry("/z", 0),
        entry(request=None),
    ]
    (tmp_path / "a.har").write_bytes(b"\xef\xbb\xbf" + archive(*entries, pages=pages, _own={"a": 1}).encode())
    done = json.loads(tool("report", "a.har", "--json", "--detail", "--out", "p.html").out)
    assert [(check["kind"], check["suite"], check["name"], check["outcome"]) for check in done["checks"]] == [
        ("api", ["Timetable"], "GET /sailings", "passed"),
        ("api", ["fares.test"], "GET /fares", "passed"),
        ("api", ["fares.test"], "GET /x", "failed"),
        ("api", ["fares.test"], "GET /y", "failed"),
        ("api", ["fares.test"], "GET /z", "errored"),
    ]
    assert done["files"][0]["format"] == "har"
    assert any("has 1 entry without a request" in note for note in done["files"][0]["notes"])
    text = html.parse(str(tmp_path / "p.html")).getroot().text_content()
    assert "Five checks judged by status alone." in " ".join(text.split())
    assert "each request is judged by its status alone" in text


WHOLE = archive(*(entry(f"/{number}", text='é\\"{[') for number in range(6)), pages=[])
STARTS = [len(WHOLE.encode()[: WHOLE.encode().index(f'fares.test/{number}"'.encode())]) for number in range(6)]


@given(st.integers(0, len(WHOLE.encode())))
@settings(max_examples=150, deadline=None)
def test_of_an_archive_cut_anywhere_the_whole_entries_count(cut):
    found = Archive(BytesIO(WHOLE.encode()[:cut]))
    ends = []
    for number in range(6):
        end = WHOLE.encode().index(b"}", WHOLE.encode().index(b'"receive"', STARTS[number]))
        ends.append(WHOLE.encode().index(b"}", end + 1) + 1)
    urls = []
    try:
        urls = [one["request"]["url"] for one in found.entries()]
    except ValueError:
        assert cut < STARTS[0]
    assert len(urls) == sum(end <= cut for end in ends)
    assert found.cut_off or cut == len(WHOLE.encode())


BAD = {
    "empty": ("", "is empty"),
    "no log": (
        '{"log": {"creator": 1, "pages": []}}',
        "is not a readable HTTP archive: it has no list of entries",
    ),
    "entries that are no list": ('{"log": {"entries": 7}}', "is not a readable HTTP archive"),
    "deep": ('{"log": {"entries": [' + "[" * 200_000, "it nests deeper than can be read"),
    "odd times": (
        archive(entry(), entry(time=-5), entry(timings={"wait": 1e300}), entry(time=-1)),
        "has 2 entries with impossible times",
    ),
    "no address": (
        archive(entry(), entry(request={"url": "not an address"})),
        "has 1 entry whose address names no host",
    ),
    "no entries": ('{"log": {"entries": []}}', "holds no entries"),
    "cut": (archive(entry(), entry())[:-200], "is truncated; its 1 whole entry count"),
    "another json": ('{"logs": []}', "is not a result file"),
}


@pytest.mark.parametrize(("text", "said"), BAD.values(), ids=BAD)
def test_a_bad_archive_gets_one_clear_line_and_the_rest_counts(tool, tmp_path, text, said):
    (tmp_path / "bad.har").write_text(text)
    (tmp_path / "good.har").write_text(archive(entry()))
    done = tool("judge", "bad.har", "good.har")
    assert said in done.err
    assert "Traceback" not in done.err
    assert "passed" in done.out
    # What is only odd loses nothing.
    assert done.out.startswith("Fit: " if said.startswith(("has 2", "has 1")) else "Undecided: ")


def test_an_archive_that_a_record_kept_is_no_result_of_its_own(tool, tmp_path):
    (tmp_path / "r").mkdir()
    (tmp_path / "r" / "kept.har").write_text(archive(entry("/kept", 500)))
    (tmp_path / "r" / "own.har").write_text(archive(entry("/own")))
    lines = ({"what": "record", "version": 1}, {"what": "check", "id": "a", "name": "sails"}, {"what": "evidence", "in": "a", "path": "kept.har"}, {"what": "end", "id": "a", "outcome": "passed"})  # fmt: skip
    (tmp_path / "r" / "a.verdict.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    done = json.loads(tool("report", "r", "--json", "--detail", "--out", "p.html").out)
    assert (done["verdict"], [check["name"] for check in done["checks"]]) == ("fit", ["sails", "GET /own"])
    shown = html.parse(str(tmp_path / "p.html")).getroot().cssselect(".exchange .call")
    assert sorted(node.text_content().partition("fares.test")[2] for node in shown) == ["/kept", "/own"]


def test_archives_in_a_folder_of_evidence_are_no_results_for_any_command(tool, tmp_path):
    shots = tmp_path / "r" / "shots"
    shots.mkdir(parents=True)
    (tmp_path / "r" / "a.xml").write_text(
        '<testsuite name="Desk"><testcase name="The fare is quoted"/></testsuite>'
    )
    (shots / "the fare is quoted.har").write_text(archive(entry("/gone", 500)))
    (shots / "other.har").write_text(archive())
    assert json.loads(tool("judge", "r", "--json").out)["verdict"] == "not fit"
    assert (
        json.loads(tool("report", "r", "--evidence", "r/shots", "--json", "--out", "p.html").out)["verdict"]
        == "fit"
    )
    (tmp_path / "plain-verdict.toml").write_text('[evidence]\nlook_in = ["r/shots"]\n')
    assert json.loads(tool("judge", "r", "--json").out)["verdict"] == "fit"
    assert json.loads(tool("judge", "r", "r/shots/other.har", "--json").out)["verdict"] == "undecided"
    done = json.loads(tool("report", "r", "--evidence-for", "none", "--json", "--out", "q.html").out)
    assert done["verdict"] == "fit"
    assert "/gone" not in (tmp_path / "q.html").read_text()


def test_an_empty_archive_beside_a_check_is_said(tool, tmp_path):
    (tmp_path / "a.xml").write_text('<testsuite name="Desk"><testcase name="The fare is quoted"/></testsuite>')
    (tmp_path / "shots").mkdir()
    (tmp_path / "shots" / "the fare is quoted.har").write_text(archive())
    done = json.loads(tool("report", "a.xml", "--evidence", "shots", "--json", "--out", "p.html").out)
    assert "the fare is quoted.har holds no exchange." in done["evidence_notes"]


def test_an_archive_beside_a_check_is_shown_there_and_judges_nothing(tool, tmp_path):
    (tmp_path / "r.xml").write_text(
        '<testsuite name="Desk"><testcase name="The fare is quoted"/><testcase name="x"/></testsuite>'
    )
    shots = tmp_path / "shots"
    shots.mkdir()
    (shots / "the-fare-is-quoted.har").write_text(archive(entry("/fares"), entry("/gone", 500)))
    (shots / "x-broken.har").write_text("{}")
    done = json.loads(tool("report", "r.xml", "--evidence", "shots", "--json", "--out", "p.html").out)
    assert (done["verdict"], done["counts"]["passed"], done["operations"]) == ("fit", 2, [])
    page = html.parse(str(tmp_path / "p.html"))
    assert [node.text_content() for node in page.getroot().cssselect(".exchange .answer")] == ["200 OK", "500 OK"]
    assert "judges nothing" in page.getroot().text_content()
