"""Numbers, names and exit codes that were once wrong, each with its brothers."""

import csv
import json
import os
import sqlite3

import pytest

from plain_verdict.history import pages
from plain_verdict.inputs.facts import pipeline_facts
from plain_verdict.model import Check, Checks, Fact, Kind, passed_in
from plain_verdict.text.formatting import format_failed_share, format_per_cent

GOOD = '<testsuite name="Quay"><testcase name="lands" time="1"/></testsuite>'
FAILED = GOOD.replace("/></testsuite>", "><failure/></testcase></testsuite>")


def details(tool, *arguments):
    return json.loads(tool("judge", *arguments, "--json", "--detail").out)


@pytest.mark.parametrize(("number", "text"), [(99.996, "99.996 %"), (100, "100 %"), (99.9, "99.9 %"), (99.999999, "99.999999 %"), (0.00001, "1e-05 %"), (0, "0 %"), (33.3333333, "33.33 %"), (12.345678, "12.35 %")])  # fmt: skip
def test_a_rate_is_never_rounded_into_all_or_nothing(number, text):
    assert format_per_cent(number) == text
    assert format_failed_share(0.99996) == "99.996 %"
    assert format_failed_share(1) == "100 %"


BRANCHES = {"origin/main": "main", "main": "main", "refs/heads/summer/quay": "summer/quay", "refs/remotes/origin/main": "main", "remotes/origin/x": "x", "origin/": "origin/", "feature/origin/x": "feature/origin/x"}  # fmt: skip


@pytest.mark.parametrize(("said", "branch"), BRANCHES.items())
def test_a_branch_is_the_same_however_a_server_writes_it(said, branch):
    assert pipeline_facts({"GIT_BRANCH": said}) == (Fact("branch", branch),)


def xml_mapping(**own):
    keys = {"name": "@n", "outcome": '{ from = "@o", passed = "ok", failed = "bad" }'} | own
    lines = "".join(f"{key} = {value if value[:1] in '{[' else json.dumps(value)}\n" for key, value in keys.items())
    return f'[[mapping]]\nname = "night"\nfiles = ["r.xml"]\n[mapping.check]\n{lines}'


# Places that give numbers, and the whole text that they give.
XPATH = {
    "1234567 + 0.25": "1234567.25", "0.1 + 0.2": "0.30000000000000004", "count(//c) div 3": "0.3333333333333333", "1000000 * 1000000": "1000000000000",
    "0.0000001 * 1": "0.0000001", "number('x')": "NaN", "-1 div 0": "-Infinity", "2 * 2": "4",
}  # fmt: skip


@pytest.mark.parametrize(("place", "text"), XPATH.items())
def test_numbers_of_xpath_keep_their_digits(tool, tmp_path, place, text):
    (tmp_path / "r.xml").write_text('<r><c n="a" o="ok"/></r>')
    (tmp_path / "plain-verdict.toml").write_text(xml_mapping(each="//c", name=place))
    assert [check["name"] for check in details(tool, "r.xml")["checks"]] == [text]


NESTED = {
    "one in another": ('<r><c n="a"><o>ok</o><c n="b"><o>bad</o></c></c></r>', ["a failed", "b failed"]),
    "what the outer has is in the inner": ('<r><c n="a"><c n="b"><o>bad</o></c></c></r>', ["a failed", "b failed"]),
    "three deep, and one beside": ('<r><c n="a"><c n="b"><c n="d"><o>bad</o></c></c></c><c n="e"><o>ok</o></c></r>', ["a failed", "b failed", "d failed", "e passed"]),
    "truncated in the outer": ('<r><c n="a"><c n="b"><o>bad</o></c>', ["b failed"]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "checks"), NESTED.values(), ids=NESTED)
def test_items_in_items_see_all_that_they_hold(tool, tmp_path, text, checks):
    (tmp_path / "r.xml").write_text(text)
    (tmp_path / "plain-verdict.toml").write_text(
        xml_mapping(each="//c", outcome='{ from = ".//o", passed = "ok", failed = "bad" }')
    )
    found = details(tool, "r.xml")["checks"]
    assert [f"{check['name']} {check['outcome']}" for check in found] == checks


@pytest.mark.parametrize("header", ["n,o", "n , o", "\ufeffn,o", " n,o ", "n,\to"])
def test_the_header_of_a_joined_table_is_no_row(tool, tmp_path, header):
    mapping = '[[mapping]]\nname = "night"\nfiles = ["r.csv"]\n[mapping.check]\nname = "n"\n[mapping.check.outcome]\nfrom = "o"\npassed = "ok"\n'
    (tmp_path / "plain-verdict.toml").write_text(mapping)
    (tmp_path / "r.csv").write_text(f"n,o\na,ok\n{header}\nb,ok\n")
    assert details(tool, "r.csv")["counts"]["passed"] == 2
    (tmp_path / "load.csv").write_text(
        f"started_ms,took_ms,status\n1795312800000,5,200\n{header.replace('n', 'started_ms', 1).replace('o', 'took_ms', 1)},status\n1795312801000,5,200\n"
    )
    summary = json.loads(tool("judge", "load.csv", "--json").out)
    assert (summary["load"]["rows"], summary["load"]["bad_rows"]) == (2, 1)
    assert "repeats the header" in " ".join(summary["files"][0]["notes"])


def test_tables_keep_the_shortest_durations(tool, tmp_path):
    times = ["0.000000046", "46.123456789", "0.1", "123456.5"]
    cases = "".join(f'<testcase name="{at}" time="{time}"/>' for at, time in enumerate(times))
    (tmp_path / "r.xml").write_text(f'<testsuite name="Quay">{cases}</testsuite>')
    tool("report", "r.xml", "--tables", "t")
    with (tmp_path / "t" / "checks.csv").open(encoding="utf-8-sig") as file:
        assert [float(row["took_s"]) for row in csv.DictReader(file)] == list(map(float, times))


# Tables that are not a samples but what somebody counted of them.
SUMMARIES = [
    "date,duration,name,requests,mean,p95", "timestamp,elapsed,label,average,median,rps", "time,response time,request,min,max,95%", "start,took,request,Average Latency,Throughput",
]  # fmt: skip


@pytest.mark.parametrize("header", SUMMARIES)
def test_a_summary_of_a_load_run_is_no_sample(tool, tmp_path, header):
    row = "1795312800," + ",".join(str(at + 5) for at in range(header.count(",")))
    (tmp_path / "load.csv").write_text(f"{header}\n{row}\n")
    (tmp_path / "g.xml").write_text(GOOD)
    done = tool("judge", "load.csv", "g.xml", "--json")
    assert json.loads(done.out)["verdict"] == "undecided"
    assert "is a summary of a load run, not its samples" in done.err


SUMS = '[[mapping]]\nname = "bench"\nkind = "load"\nfiles = ["s.json"]\n[mapping.request]\neach = "{}"\nname = "name"\ncount = "sent"\nfailed = "failed"\nmean = "avg"\n'
# The rows of a summary with a total, which of them are requests, how many were sent, and the note.
TOTALS = {
    "a total": ([("A", 6, 1), ("B", 4, 0), ("Total", 10, 1)], 2, 10, ""),
    "a total under another name": ([("A", 6, 1), ("aggregated", 6, 1)], 1, 6, ""),
    "a total of more": ([("A", 6, 1), ("B", 4, 0), ("Total", 12, 1)], 2, 12, "has 12 requests in its total, and 10 in its rows"),
    "a total of more failures": ([("A", 6, 1), ("All", 6, 3)], 1, 6, "has 3 failed requests in its total, and 1 in its rows"),
    "nothing but a total": ([("Total", 10, 1)], 1, 10, ""),
    "two that are called so": ([("Total", 10, 1), ("All", 10, 1)], 2, 20, ""),
    "no total": ([("A", 6, 1), ("B", 4, 0)], 2, 10, ""),
}  # fmt: skip


@pytest.mark.parametrize("each", ["$.requests", "$.requests[*]", "requests"])
@pytest.mark.parametrize("name", TOTALS)
def test_a_row_over_all_requests_is_none_of_them(tool, tmp_path, each, name):
    rows, requests, sent, note = TOTALS[name]
    listed = [{"name": name, "sent": sent, "failed": failed, "avg": 2} for name, sent, failed in rows]
    (tmp_path / "s.json").write_text(json.dumps({"requests": listed}))
    (tmp_path / "plain-verdict.toml").write_text(SUMS.format(each))
    summary = json.loads(tool("judge", "s.json", "--json").out)
    (reported,) = summary["reported"]
    *own, whole = reported["requests"]
    assert (len(own), whole["request"], whole["count"]) == (requests, "all requests", sent)
    assert note in " ".join(summary["files"][0]["notes"])


def test_the_newest_of_very_many_earlier_pages_are_looked_at(tmp_path, monkeypatch):
    monkeypatch.setattr(pages, "_MOST_NAMED_PAGES", 3)
    for build, changed in ((9, 1), (10, 4), (11, 2), (12, 4), (13, 3)):
        (tmp_path / f"{build}.json").write_text("{}")
        os.utime(tmp_path / f"{build}.json", (changed, changed))
    (tmp_path / "notes.txt").write_text("newer than all")
    assert [file.name for file, _ in pages._files_of(tmp_path)] == ["10.json", "12.json", "13.json"]


SERVERS = """openapi: 3.1.0
servers: [{url: "https://fares.test/v1"}]
paths:
  /quotes:
    servers: [{url: "https://quotes.test/{stage}", variables: {stage: {default: two}}}]
    get: {responses: {"200": {}}}
    post: {servers: [{url: "https://write.test"}], responses: {"200": {}}}
  /seats: {get: {responses: {"200": {}}}}
"""
# A call, and the operation that it is of by the nearest servers: the operation's, the path's, the document's.
CALLS = {
    ("GET", "https://fares.test/v1/seats"): "GET /seats",
    ("GET", "https://quotes.test/two/quotes"): "GET /quotes",
    ("POST", "https://write.test/quotes"): "POST /quotes",
    ("GET", "https://fares.test/v1/quotes"): "",
    ("POST", "https://quotes.test/two/quotes"): "",
    ("GET", "https://quotes.test/two/seats"): "",
}


def test_servers_of_a_path_and_of_an_operation_go_before_those_of_the_document(tool, tmp_path):
    lines = [{"what": "record", "version": 1}, {"what": "check", "id": "c", "name": "calls", "kind": "api"}]
    lines += [{"what": "exchange", "in": "c", "request": {"method": method, "url": url}, "response": {"status": 200}} for method, url in CALLS]  # fmt: skip
    lines.append({"what": "end", "id": "c", "outcome": "passed"})
    (tmp_path / "r.jsonl").write_text("\n".join(map(json.dumps, lines)))
    (tmp_path / "api.yaml").write_text(SERVERS)
    (tmp_path / "plain-verdict.toml").write_text('[api]\ndocument = "api.yaml"\n')
    found = json.loads(tool("judge", "r.jsonl", "--json").out)["operations"]
    named = [name for name in CALLS.values() if name]
    # What no server serves is of its host.
    assert sorted(one["operation"] for one in found if "//" not in one["operation"]) == sorted(named)
    assert sum("//" in one["operation"] for one in found) == len(CALLS) - len(named)


@pytest.mark.parametrize(("every", "said"), [("1 page", "'1 page' is not a step"), ("0d", "is not a step"), ("age", "'age' is not a step"), ("1x", "'1x' is not a step")])  # fmt: skip
def test_a_step_that_is_none_is_named_as_it_is_written(tool, tmp_path, every, said):
    (tmp_path / "plain-verdict.toml").write_text(f'[history]\nevery = "{every}"\n')
    (tmp_path / "r.xml").write_text(GOOD)
    done = tool("judge", "r.xml")
    assert (done.code, said in done.err) == (2, True)


VERSIONS = ["DELETE FROM pv_version", "INSERT INTO pv_version VALUES (1)", "UPDATE pv_version SET version = 'one'", "UPDATE pv_version SET version = -3", "UPDATE pv_version SET version = 99"]  # fmt: skip


@pytest.mark.parametrize("statement", VERSIONS)
@pytest.mark.parametrize("quiet", [[], ["--quiet"]])
def test_a_store_that_does_not_say_its_version_costs_no_report(tool, tmp_path, monkeypatch, statement, quiet):
    monkeypatch.setenv("PLAIN_VERDICT_TRUST", "1")
    (tmp_path / "r.xml").write_text(GOOD)
    tool("report", "r.xml", "--history", "kept.db", "--no-git")
    with sqlite3.connect(tmp_path / "kept.db") as store:
        store.execute(statement)
    done = tool("report", "r.xml", "--history", "kept.db", "--no-git", "--out", "b.html", *quiet)
    assert (done.code, (tmp_path / "b.html").exists()) == (0, True)
    (tmp_path / "plain-verdict.toml").write_text('[history]\nstore = "kept.db"\nrequired = true\n')
    done = tool("report", "r.xml", "--no-git", "--out", "c.html", *quiet)
    assert done.code == 5
    assert "kept.db" in done.err
    assert "bug" not in done.err


@pytest.mark.parametrize(("given", "name"), [(["--build", "4213"], "4213"), (["--build", "4213", "--fact", "build=7"], "7"), (["--fact", "build=7"], "7"), ([], "unknown")])  # fmt: skip
def test_the_build_is_a_fact(tool, tmp_path, given, name):
    (tmp_path / "r.xml").write_text(GOOD)
    done = tool("report", "r.xml", "--no-git", "--out", "{fact:build}.html", "--json", *given)
    assert (tmp_path / f"{name}.html").exists()
    assert json.loads(done.out)["facts"].get("build") == (name if given else None)


def test_a_build_goes_before_that_of_the_pipeline(tool, tmp_path, monkeypatch):
    monkeypatch.setenv("BUILD_NUMBER", "99")
    (tmp_path / "r.xml").write_text(GOOD)
    tool("report", "r.xml", "--no-git", "--build", "4213", "--out", "{fact:build}.html")
    assert (tmp_path / "4213.html").exists()


NAMES = [
    ((), "", "Quay › lands"),
    ((Fact("host", "desk.test"),), "", "Quay › lands (desk.test)"),
    (
        (Fact("host", "desk.test"), Fact("browser", "firefox")),
        "2 of 3",
        "Quay › lands (desk.test, firefox, 2 of 3)",
    ),
    ((), "a.xml", "Quay › lands (a.xml)"),
]


@pytest.mark.parametrize(("variant", "apart", "name"), NAMES)
def test_a_check_of_one_host_is_listed_with_it(variant, apart, name):
    check = Check("c", Kind.COMPLIANCE, ("Quay",), "lands", passed_in(1.0), variant=variant, disambiguator=apart)
    assert check.whole_name == name
    from plain_verdict.history.digest import CheckNames

    names = CheckNames(Checks.of([check]), [0])
    assert list(names) == [names[0]] == [name]
