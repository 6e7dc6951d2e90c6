"""Forms of real result files: trees, several lists, members, events, wide tables; and what a mapping leaves unread."""

import gzip
import json
import random
from xml.sax.saxutils import quoteattr

import msgspec
import pytest
from test_mappings import HEAD, PLAIN, judged

from plain_verdict.inputs.discovery import discover
from plain_verdict.model import Check
from plain_verdict.readers.mapping import checks as mapping_checks
from plain_verdict.readers.mapping import repeated_items
from plain_verdict.readers.mapping.reader import MappingReading
from plain_verdict.readers.mapping.trial import try_mapping
from plain_verdict.readers.xml import text
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import MappingFile
from plain_verdict.text import encoding, json_text

OK = 'outcome = { from = "o", passed = "ok", failed = "bad" }\n'
TREE = '[[mapping.level]]\neach = "$.s[*]"\ninside = "s[*]"\nsuite = "n"\n'
CHECK = '[mapping.check]\neach = "c[*]"\nname = "n"\n' + OK
EVENTS = '[mapping.events]\nid = "id"\nstart = { e = "start" }\nend = { e = ["ok", "bad"] }\nappend = ["out"]\n'
EVENT = '[mapping.check]\neach = "items[*]"\nname = "id"\noutput = { log = "out" }\noutcome = { from = "ended_by.e", passed = "ok", failed = "bad" }\n'
BY_PARENT = (
    '[mapping.events]\nid = "id"\nparent = "up"\n[[mapping.level]]\ninside = "items[*]"\nwhere = { items = { there = true } }\nsuite = "id"\n'
    '[mapping.check]\neach = "items[*]"\nwhere = { items = { there = false } }\nname = "id"\n' + OK
)
XML = '[mapping.check]\neach = "/r/c"\nname = "@n"\noutcome = { from = "@o", passed = "ok", failed = "bad" }\n'


def lines(*objects):
    return "".join(json.dumps(one) + "\n" for one in objects)


# Keys of the mapping, the file, its checks, and parts of its notes; "!" where the run may not be fit.
FORMS = {
    "a tree in JSON": (
        TREE + CHECK, "r.json",
        '{"s": [{"n": "A", "c": [{"n": "x", "o": "ok"}], "s": [{"n": "B", "s": [{"n": "C", "c": [{"n": "y", "o": "bad"}]}]}]}]}',
        ["A > x passed", "A > B > C > y failed"], [],
    ),
    "a tree in XML, and a level that failed itself": (
        ('[[mapping.level]]\neach = "/r/s"\ninside = "s"\nsuite = "@n"\noutcome = { from = "@o", passed = "ok", failed = "bad" }\nproblem = { message = "why" }\n'
         '[mapping.check]\neach = "c"\nname = "@n"\noutcome = { from = "@o", passed = "ok", failed = "bad" }'), "r.xml",
        '<r><s n="A" o="bad"><c n="x" o="bad"/><s n="B" o="bad"><c n="y" o="ok"/><why>no setup</why></s></s></r>',
        ["A > x failed", "A > B > y passed", "A > B > The suite itself failed"], [],
    ),
    "a tree whose leaves stand beside branches": (
        ('[[mapping.level]]\ninside = "k[*]"\nwhere = { k = { there = true } }\nsuite = "n"\n[mapping.check]\neach = "k[*]"\nwhere = { k = { there = false } }\nname = "n"\n' + OK),
        "r.json", '{"k": [{"n": "x", "o": "ok"}, {"n": "A", "k": [{"n": "y", "o": "bad"}]}]}', ["x passed", "A > y failed"], [],
    ),
    "a level's name for checks without one": (
        '[[mapping.level]]\neach = "$.s[*]"\nname = "n"\n[mapping.check]\neach = "c[*]"\nparameters = { on = "p" }\nattempts = "t[*]"\n' + OK, "r.json",
        '{"s": [{"n": "x", "c": [{"p": "phone", "t": [{"o": "bad"}, {"o": "ok"}]}, {"p": "desk", "t": [{"o": "bad"}]}]}]}', ["x passed", "x failed"], [],
    ),
    "several lists, each with its outcome": (
        "".join(f'[[mapping.check]]\neach = "$.{key}[*]"\nname = "n"\noutcome = "{outcome}"\n' for key, outcome in (("good", "passed"), ("bad", "failed"), ("left", "skipped"))),
        "r.json", '{"good": [{"n": "x"}], "bad": [{"n": "y"}], "left": []}', ["x passed", "y failed"], ["$.left[*]"],
    ),
    "lines of which each is looked for from its root": ('[mapping.check]\nname = "$.n"\n' + OK, "r.jsonl", lines({"n": "x", "o": "ok"}, {"n": "y", "o": "bad"}), ["x passed", "y failed"], []),
    "objects whose keys are names": (
        '[[mapping.level]]\nmembers = "$.q"\nsuite = "key"\n[mapping.check]\nmembers = "value"\nname = "key"\noutcome = { from = "value.o", passed = "ok", failed = "bad" }',
        "r.json", '{"q": {"A": {"x": {"o": "ok"}}, "B": {"y": {"o": "bad"}}}}', ["A > x passed", "B > y failed"], [],
    ),
    "members by their names, with what stands around": (
        '[mapping.check]\nmembers = ["desk*", "phone"]\nname = "around.n"\nparameters = { on = "key" }\noutcome = { from = "value", passed = "ok", failed = "bad" }',
        "r.jsonl", lines({"n": "x", "desktop": "ok", "phone": "bad", "who": "Ada"}), ["x passed", "x failed"], [],
    ),
    "a wide table": (
        '[mapping.check]\nmembers = ["Desk", "Phone"]\nname = "What"\nparameters = { on = "key" }\noutcome = { from = "value", passed = "ok", failed = "bad", missing = "skipped" }',
        "r.csv", "What,Desk,Phone\nx,ok,bad\ny,ok,\n", ["x passed", "x failed", "y passed", "y skipped"], [],
    ),
    "merged header lines": (
        '[mapping.table]\nheader = [1, 2]\n[mapping.check]\nname = "What"\ntook = "Desk Time"\noutcome = { from = "Desk Result", passed = "ok", failed = "bad" }',
        "r.csv", ",Desk,\nWhat,Result,Time\nx,ok,1.5\ny,bad,2\n", ["x passed", "y failed"], [],
    ),
    "events in any order": (
        EVENTS + EVENT, "r.jsonl",
        lines({"id": "x", "e": "start"}, {"id": "y", "e": "bad"}, {"id": "x", "e": "out", "out": "a"}, {"id": "y", "e": "start"}, {"id": "x", "e": "ok"}, {"id": "x", "e": "out", "out": "b"}, {"e": "log"}),
        ["x passed", "y failed"], [],
    ),
    "events without an end": (
        EVENTS + EVENT, "r.jsonl", lines({"id": "x", "e": "start"}, {"id": "x", "e": "out", "out": "a"}, {"id": "y", "e": "start"}, {"id": "y", "e": "ok"}),
        ["x errored", "y passed"], ["!1 item that no event ends: errored"],
    ),
    "ids that come again": (
        EVENTS + EVENT, "r.jsonl", lines(*({"id": "x", "e": e, "out": e} for e in ("start", "bad", "start", "ok"))), ["x failed", "x passed"], [],
    ),
    "an end without an id, and one too many": (
        EVENTS + EVENT, "r.jsonl", lines({"id": "x", "e": "start"}, {"id": "x", "e": "bad"}, {"id": "x", "e": "ok"}, {"e": "bad"}),
        ["x passed"], ["!1 last event without an id", "1 item with more than one end"],
    ),
    "ids in parts": (
        EVENTS.replace('"id"', '["p", "t"]') + 'nested_by = "/"\n[[mapping.level]]\neach = "items[*]"\nsuite = "p"\noutcome = { from = "e", passed = "ok", failed = "bad", undecided = "*" }\n'
        + '[[mapping.level]]\ninside = "items[*]"\nwhere = { items = { there = true } }\n' + EVENT.replace('"id"', '"t"').replace("items[*]\"\n", 'items[*]"\nwhere = { items = { there = false } }\n'),
        "r.jsonl",
        lines(*({"p": p, "t": t, "e": e, "out": e} for p, t, last in (("A", "x", "ok"), ("A", "x/1", "bad"), ("B", "y", "ok"), ("B", None, "bad"), ("C", "z", "ok")) for e in ("start", last))),
        ["A > x/1 failed", "B > y passed", "B > The suite itself failed", "C > z passed"], [],
    ),
    "events by their parents": (
        BY_PARENT, "r.jsonl", lines({"id": "x", "up": "B", "o": "bad"}, {"id": "A"}, {"id": "B", "up": "A"}, {"id": "y", "up": "A", "o": "ok"}, {"id": "z", "up": "gone", "o": "ok"}),
        ["z passed", "A > y passed", "A > B > x failed"], ["1 item with a parent that is not in the file"],
    ),
    "a cycle of parents": (
        BY_PARENT, "r.jsonl", lines({"id": "A", "up": "B"}, {"id": "B", "up": "A"}, {"id": "x", "up": "A", "o": "ok"}), ["A > x passed", "B undecided"], ["!2 items in a cycle of parent ids", "1 check without an outcome"],
    ),
    "events of a table": (
        EVENTS + EVENT, "r.csv", "id,e,out\nx,start,\nx,bad,\ny,start,\ny,ok,\n", ["x failed", "y passed"], ["“out”"],
    ),
    "events in XML": (
        EVENTS.replace('id = "id"', 'each = "/r/*"\nid = "id"') + EVENT, "r.xml", '<r><a id="x" e="start"/><b id="x"><e>bad</e><out>why</out></b></r>', ["x failed"], [],
    ),
    "JSON values one after another": (PLAIN, "r.json", '{\n"n": "x",\n"o": "ok"}\n{"n": "y", "o": "bad"}{"n": "z", "o": "left"}', ["x passed", "y failed", "z skipped"], []),
    "lists in JSON values one after another": (PLAIN.replace('"n"', '"n"\neach = "all[*]"'), "r.json", '{"all": [\n{"n": "x", "o": "ok"}]}{"all": [{"n": "y", "o": "ok"}]}', ["x passed", "y passed"], []),
    "a JSON sequence that is truncated": (PLAIN + "[x]"[3:], "r.json", '{\n"n": "x",\n"o": "ok"}\n{"n": "y", "o":', ["x passed"], ["!is not complete JSON"]),
    "a total row": (PLAIN + 'where = { n = { not = ["Total", "All"] }, kind = { there = false } }', "r.csv", "n,o,kind\nx,ok,\nTotal,1,\nw,1,sum\n", ["x passed"], []),
    "conditions": (
        PLAIN.replace('"n"', '"n"\neach = "$[*]"') + 'where = { n = { begins_with = "q", ends_with = ["1", "2"], contains = "u" }, k = { at_least = 2, below = 5 } }', "r.json",
        json.dumps([{"n": n, "k": k, "o": "ok"} for n, k in (("Quay1", 2), ("quay2", 5), ("qua3", 3), ("ay1", 3), ("qy1", 3), ("quay2", 4))]), ["Quay1 passed", "quay2 passed"], [],
    ),
    "words for outcomes in several languages": (
        '[mapping.check]\nname = "n"\noutcome = { from = "o" }', "r.csv",
        "n;o\na;in Ordnung\nb;nicht in Ordnung\nc;not ok\nd;ikke godkjent\ne;pas conforme\nf;übersprungen\ng;nicht geprüft\nh;kein Fehler\ni;true\n",
        ["a passed", "b failed", "c failed", "d failed", "e failed", "f skipped", "g skipped", "h undecided", "i undecided"], ["“kein Fehler”", "“true”"],
    ),
    "truth by what its name says": (
        '[mapping.check]\neach = "$[*]"\nname = "n"\noutcome = [{ from = "passed" }, { from = "hasFailed" }, { from = "generated" }]', "r.json",
        '[{"n": "a", "passed": true}, {"n": "b", "passed": false}, {"n": "c", "hasFailed": true}, {"n": "d", "hasFailed": false}, {"n": "e", "generated": true}]',
        ["a passed", "b failed", "c failed", "d passed", "e undecided"], ["“true”"],
    ),
    "prefixes and colons": (
        '[mapping.check]\neach = "//q:c"\nname = "@q:n"\nproblem = { message = "text()" }\noutcome = { from = "@x:o", passed = "ok", failed = "bad" }', "r.xml",
        '<r xmlns:q="urn:q"><q:c q:n="x" x:o="ok"/><q:c q:n="y" x:o="bad">before <b>in</b> after</q:c></r>', ["x passed", "y failed"], [],
    ),
    "what a list elsewhere says of an id": (
        '[mapping.check]\neach = "$.runs[*]"\nname = { from = "ref", lookup = { each = "$.names[*]", key = "id", value = "title" } }\n' + OK, "r.json",
        '{"runs": [{"ref": 1, "o": "ok"}], "names": [{"id": 1, "title": "x"}]}', ["x passed"], [],
    ),
    # What is left unread makes no run fit.
    "the same list elsewhere": (
        PLAIN.replace('"n"', '"n"\neach = "$.a.c[*]"'), "r.json", '{"a": {"c": [{"n": "x", "o": "ok"}]}, "b": [{"p": {"c": [{"n": "y", "o": "bad"}, {"n": "z", "o": "ok"}]}}]}',
        ["x passed"], ["!2 items of the same form that the mapping does not read", "at $.b[*].p.c[*]"],
    ),
    "a level too few": (TREE.replace('inside = "s[*]"\n', "") + CHECK, "r.json", '{"s": [{"n": "A", "c": [{"n": "x", "o": "ok"}], "s": [{"c": [{"n": "y", "o": "bad"}]}]}]}', ["A > x passed"], ["!1 item of the same form", "$.s[*].s[*].c[*]"]),
    "the same elements elsewhere": (XML, "r.xml", '<r><c n="x" o="ok"/><more><c n="y" o="bad"/></more></r>', ["x passed"], ["!1 item of the same form", "/r/more/c"]),
    "a group of members too few": (
        '[mapping.check]\nmembers = "$.q.A"\nname = "key"\noutcome = { from = "value", passed = "ok", failed = "bad" }', "r.json", '{"q": {"A": {"x": "ok"}, "B": {"y": "bad"}}}', ["x passed"], ["!1 item of the same form", "$.q.B"],
    ),
    "a column of outcomes too few": (PLAIN, "r.csv", "n,o,phone\nx,ok,bad\ny,ok,ok\n", ["x passed", "y passed"], ["!column “phone” with outcomes"]),
    "the same items listed again": (PLAIN.replace('"n"', '"n"\neach = "$.all[*]"'), "r.json", '{"all": [{"n": "x", "o": "bad"}], "failed": [{"n": "x", "o": "bad"}]}', ["x failed"], []),
    "what conditions leave out": (PLAIN.replace('"n"', '"n"\neach = "$.c[*]"') + 'where = { k = 1 }', "r.json", '{"c": [{"n": "x", "o": "ok", "k": 1}, {"n": "y", "o": "bad", "k": 2}]}', ["x passed"], []),
    "the file's own numbers": (PLAIN.replace('"n"', '"n"\neach = "$.c[*]"'), "r.json", '{"stats": {"tests": 3, "numFailedTests": 1, "suites": 9}, "c": [{"n": "x", "o": "ok"}]}', ["x passed"], ["!reports 3 checks, but the mapping finds 1", "!reports 1 failed check, but the mapping finds 0"]),
    "a list of failures": (PLAIN.replace('"n"', '"n"\neach = "$.c[*]"'), "r.json", '{"failures": [{"title": "y"}], "c": [{"n": "x", "o": "ok"}]}', ["x passed"], ["!reports 1 failed check"]),
    "the whole says that it failed": (PLAIN.replace('"n"', '"n"\neach = "$.c[*]"'), "r.json", '{"ok": false, "c": [{"n": "x", "o": "ok"}]}', ["x passed"], ["!says that it failed, but the mapping finds no check that did", "at $.ok"]),
    "a level says that it failed": ('[[mapping.level]]\neach = "/r/s"\n' + XML.replace("/r/c", "c"), "r.xml", '<r><s result="failed"><c n="x" o="bad"/></s><s result="failed"><c n="y" o="ok"/></s></r>', ["x failed", "y passed"], ["!1 level with a failure of which the mapping finds no check", "/s/@result"]),
    "numbers of elements": (XML, "r.xml", '<r tests="2" failures="0" time="3"><c n="x" o="ok"/></r>', ["x passed"], ["!reports 2 checks, but the mapping finds 1"]),
    "numbers of levels": ('[[mapping.level]]\neach = "/r/s"\n' + XML.replace("/r/c", "c"), "r.xml", '<r><s failures="1"><c n="x" o="ok"/></s><s failures="1"/></r>', ["x passed"], ["!reports 2 failed checks"]),
}  # fmt: skip


@pytest.mark.parametrize("case", FORMS.values(), ids=FORMS)
def test_a_mapping_reads_what_real_files_hold_and_says_what_it_leaves(tool, tmp_path, case):
    mapping, name, content, checks, notes = case
    found, said, summary = judged(tool, tmp_path, mapping, name, content)
    assert sorted(found) == sorted(checks)
    assert all(note.removeprefix("!") in said for note in notes), said
    assert bool(said) == bool(notes), said
    lost = any(note.startswith("!") for note in notes)
    well = all(check.endswith(("passed", "skipped")) for check in found)
    assert (summary["verdict"] == "fit") == (well and not lost)


def test_what_levels_and_times_give_and_how_large_files_are_read(tool, tmp_path):
    timed = (
        'took = { from = "steps[*].ms", unit = "ms", sum = true }\nended = "end"\nproblem = { message = { from = "why[*]", join = "\\n" } }\n'
        'output = { text = { from = "bytes", encoding = "bytes" }, coded = { from = "b64", encoding = "base64" } }\n'
    )
    content = {"s": [{"n": "A", "w": "kiosk-3", "f": "a.py", "s": [{"n": "B", "c": [
        {"n": "x", "o": "bad", "steps": [{"ms": 500}, {"ms": 250}], "end": "2026-11-22T02:05:01Z", "why": ["no", "card"], "bytes": [104, 105], "b64": "aGU="}
    ]}]}]}  # fmt: skip
    _, _, summary = judged(
        tool, tmp_path, TREE + 'worker = "w"\nfile = "f"\n' + CHECK + timed, "r.json", json.dumps(content)
    )
    (check,) = summary["checks"]
    assert check["took_s"] == 0.75
    assert summary["run"]["started"] == "2026-11-22T02:05:00.250000Z"
    (tmp_path / "r.json.gz").write_bytes(gzip.compress(json.dumps(content).encode()))
    page = tool("report", "r.json.gz", "--mapping", "s.toml", "--out", "v.html")
    assert page.code == 0, page.err
    text = (tmp_path / "v.html").read_text("utf-8")
    assert [part for part in ("kiosk-3", "a.py", "card", ">hi<", ">he<") if part not in text] == []
    # A file that is larger than what is held in memory is read item by item, as far as it goes.
    mapping = msgspec.toml.decode(HEAD + PLAIN.replace('"n"', '"n"\neach = "$.a.c[*]"'), type=MappingFile).mapping[
        0
    ]
    whole = '{"t": {"x": [1, {"c": 2}]}, "a": {"b": 1, "c": [{"n": "x", "o": "ok"}, {"n": "y", "o": "bad"}]}}'
    for text, names in ((whole, ["x", "y"]), (whole[:-20], ["x"])):
        (tmp_path / "r.json").write_text(text)
        reading = MappingReading(mapping, discover([str(tmp_path / "r.json")]).sources[0], Limits(whole_bytes=10))
        assert [check.name for check in reading.checks()] == names
        assert any(note.results_missing for note in reading.notes()) == (text != whole)


HTTP = """kind = "api"
[mapping.check]
each = "$[*]"
name = "n"
outcome = { from = "o", passed = "ok", failed = "bad" }
[mapping.check.exchange]
method = "m"
protocol = "u.protocol"
host = "u.host[*]"
port = "u.port"
path = "u.path[*]"
query = "u.query[*]"
status = "s"
request_headers = "h"
response_headers = "rh"
request_body = { from = "body", encoding = "base64" }
response_body = { from = "data", encoding = "bytes" }
[mapping.check.expectation]
each = "tests[*]"
subject = "t"
message = "e.m"
outcome = { from = "e.m", failed = "*", missing = "passed" }
"""
PAIRS = [
    {"Accept": "a/b", "X-Trace": "7"},
    [{"name": "Accept", "value": "a/b"}, {"name": "X-Trace", "value": "7", "disabled": False}],
    [{"k": "Accept", "v": "a/b"}, {"k": "X-Trace", "v": "7"}],
    [["Accept", "a/b"], ["X-Trace", "7"]],
    "Accept: a/b\nX-Trace: 7",
    ["Accept: a/b", "X-Trace: 7"],
    {"Accept": ["a/b"], "X-Trace": [7]},
]


@pytest.mark.parametrize("headers", PAIRS, ids=str)
def test_exchanges_are_read_in_the_forms_that_files_have(tool, tmp_path, headers):
    address = {
        "protocol": "http",
        "host": ["fares", "test"],
        "port": 8080,
        "path": ["v1", "seats"],
        "query": [{"key": "for", "value": "2 adults"}],
    }
    item = {
        "n": "x",
        "o": "ok",
        "m": "post",
        "u": address,
        "s": 201,
        "h": headers,
        "rh": headers,
        "body": "eyJhIjoxfQ==",
        "data": list(b'{"total":12}'),
    }
    item["tests"] = [{"t": "is created"}, {"t": "costs nothing", "e": {"m": "expected 0, got 12"}}]
    (tmp_path / "r.json").write_text(json.dumps([item]))
    (tmp_path / "s.toml").write_text(HEAD + HTTP)
    assert tool("report", "r.json", "--mapping", "s.toml", "--out", "v.html").code == 0
    text = (tmp_path / "v.html").read_text("utf-8")
    for part in (
        "http://fares.test:8080/v1/seats?for=2+adults",
        "POST",
        "201",
        "X-Trace",
        "a/b",
        "expected 0, got 12",
        "costs nothing",
    ):
        assert part in text, part
    assert text.count("X-Trace") >= 2
    assert '"total"' in text.replace("&#34;", '"')
    assert '"a"' in text.replace("&#34;", '"')


def test_rules_count_like_those_of_the_standard_formats(tool, tmp_path):
    mapping = """kind = "compliance"
[mapping.check]
each = "$[*]"
name = "title"
rule = "code"
severity = "sev"
subject = "page"
place = "at"
help = "fix"
outcome = { from = "o", passed = "ok", failed = "bad" }
problem = { message = "text" }
"""
    found = [
        {
            "title": "Images have a text",
            "code": "T1",
            "sev": "serious",
            "page": "/book",
            "at": "img.a",
            "fix": "add alt",
            "o": "bad",
            "text": "no text",
        },
        {
            "title": "Images have a text",
            "code": "T1",
            "sev": "serious",
            "page": "/book",
            "at": "img.b",
            "fix": "add alt",
            "o": "bad",
            "text": "no text",
        },
        {"title": "Images have a text", "code": "T1", "sev": "3.1", "page": "/pay", "at": "img.c", "o": "ok"},
        {"title": "Pages have a title", "code": "T2", "sev": "odd", "page": "/pay", "o": "bad", "text": "none"},
    ]
    checks, said, summary = judged(tool, tmp_path, mapping, "r.json", json.dumps(found))
    assert sorted(checks) == [
        "T1: Images have a text failed",
        "T1: Images have a text passed",
        "T2: Pages have a title failed",
    ]
    assert summary["findings"]
    assert {check["severity"] for check in summary["checks"]} == {"high", "low", "medium"}
    assert "“check.severity”" in said
    (tmp_path / "b.toml").write_text('[compliance]\nbreaks_from = "critical"\n')
    assert tool("judge", "r.json", "--mapping", "s.toml", "--config", "b.toml").code == 0


BOTH = HEAD + PLAIN.replace('"n"', '"n"\neach = "$.checks[*]"')
LOAD = '[[mapping]]\nname = "numbers"\nfiles = ["r.*"]\nkind = "load"\n[[mapping.request]]\neach = "$.requests[*]"\nname = "n"\ncount = "count"\nfailed = "bad"\n'


def test_two_mappings_read_one_file_or_the_second_is_said_to_be_unused(tool, tmp_path):
    content = json.dumps({"checks": [{"n": "x", "o": "ok"}], "requests": [{"n": "GET /", "count": 5, "bad": 1}]})
    (tmp_path / "r.json").write_text(content)
    (tmp_path / "s.toml").write_text(BOTH + LOAD)
    summary = json.loads(tool("judge", "r.json", "--mapping", "s.toml", "--json", "--detail").out)
    assert [check["name"] for check in summary["checks"]] == ["x"]
    assert summary["reported"][0]["requests"][0]["request"] == "GET /"
    assert (summary["files"][0]["format"], summary["mapping_notes"]) == ("rounds + numbers", [])
    (tmp_path / "s.toml").write_text(BOTH + BOTH.replace("rounds", "others"))
    done = tool("judge", "r.json", "--mapping", "s.toml", "--json")
    assert "also fits the mapping “others”, which is not used because of “rounds”" in done.err
    assert json.loads(done.out)["mapping_notes"] == []


SUMS = {
    "load.csv": ("Type,Name,Request Count,Failure Count,Average Response Time (ms),95%,99%\nGET,/seats,10,1,12,30,40\nPOST,/book,5,0,20,50,60\n,Aggregated,15,1,15,50,60\n", ["GET /seats", "POST /book"]),
    "load.json": ('{"rows": [{"name": "seats", "requests": 10, "errors": 1, "mean_ms": 12, "p95_ms": 30}, {"name": "Total", "requests": 10, "errors": 1, "mean_ms": 12, "p95_ms": 30}]}', ["seats"]),
}  # fmt: skip


@pytest.mark.parametrize("name", SUMS)
def test_summaries_of_load_runs_are_told_from_samples_and_read_without_their_total(tool, tmp_path, name):
    content, requests = SUMS[name]
    (tmp_path / name).write_text(content)
    done = tool("judge", name, "--json")
    summary = json.loads(done.out)
    read = [request["request"] for request in summary["reported"][0]["requests"]]
    assert read == [*requests, "all requests"], done.err
    assert f"{name} is read by a drafted mapping" in done.err


def test_outputs_of_the_program_are_no_results_by_a_draft(tool, tmp_path):
    (tmp_path / "r").mkdir()
    (tmp_path / "r" / "a.xml").write_text(
        '<testsuite name="Desk"><testcase name="Pay"/><testcase name="Print"><failure/></testcase></testsuite>'
    )
    (tmp_path / "r" / "s.json").write_text(
        tool(
            "report", "r", "--tables", "r/t", "--digest", "r/d.json", "--out", "r/v.html", "--json", "--detail"
        ).out
    )
    again = json.loads(tool("judge", "r", "--json", "--detail").out)
    assert [file["path"] for file in again["files"]] == ["r/a.xml"]
    assert len(again["checks"]) == 2


WRONG = {
    "an XPath for JSON": ("each = \"/r/c\"", "r.json", "[]", "“/r/c” is an XPath, but the file is JSON"),
    "a JSONPath for XML": ("each = \"$.c[*]\"", "r.xml", "<r/>", "“$.c[*]” is a JSONPath, but the file is XML"),
    "no JSONPath": ("each = \"$.a[?@.b==\"", "r.json", "[]", "is not a JSONPath: unexpected end of expression, column 11"),
    "no XPath": ("each = \"/r/c[@n=\"", "r.xml", "<r/>", "is not an XPath: Invalid expression, column 9"),
    "members in XML": ("members = \"q\"", "r.xml", "<r/>", "check.members: XML has no objects"),
    "columns that are not there": ("members = [\"Phone\"]", "r.csv", "n,o\nx,ok\n", "check.members: no column is called so; its columns are n and o"),
}  # fmt: skip


@pytest.mark.parametrize("case", WRONG.values(), ids=WRONG)
def test_a_place_that_is_none_is_said_with_its_column_and_costs_that_file_only(tool, tmp_path, case):
    keys, name, content, why = case
    (tmp_path / name).write_text(content)
    (tmp_path / "whole.xml").write_text('<testsuite name="Desk"><testcase name="Pay"/></testsuite>')
    (tmp_path / "s.toml").write_text(HEAD + PLAIN.replace('"n"', f'"n"\n{keys}'))
    done = tool("judge", name, "whole.xml", "--mapping", "s.toml", "--json")
    assert why in done.err
    assert "Traceback" not in done.err
    assert json.loads(done.out)["counts"]["passed"] == 1


def test_many_events_are_read_in_bounded_memory(tool, tmp_path):
    with (tmp_path / "r.jsonl").open("w") as file:
        for number in range(30_000):
            for event in ("start", "out", "ok"):
                file.write(json.dumps({"id": f"c{number}", "e": event, "out": "x" * 50}) + "\n")
        file.write(json.dumps({"id": "c0", "out": "y"}) + "\n")
    (tmp_path / "s.toml").write_text(HEAD + EVENTS + EVENT)
    assert json.loads(tool("judge", "r.jsonl", "--mapping", "s.toml", "--json").out)["counts"]["passed"] == 30_000


PASSED = [{"name": "Book", "status": "passed"}, {"name": "Pay", "status": "passed"}]
FAILURES = {
    "the whole says so": {"success": False, "tests": PASSED},
    "a word for the whole": {"outcome": "failed", "tests": PASSED},
    "an exit code": {"exitCode": 1, "tests": PASSED},
    "hooks": {"tests": PASSED, "hooks": [{"name": "after all", "status": "failed"}]},
    "errors of the runner": {"tests": PASSED, "errors": ["a worker died"]},
    "an error in what passed": {"tests": [PASSED[0], {**PASSED[1], "error": {"message": "no card"}}]},
    "no outcome": {"tests": [*PASSED, {"name": "Print"}]},
    "errors of a suite": {"suites": [{"name": "A", "tests": PASSED, "errors": [{"message": "no teardown"}]}, {"name": "B", "tests": PASSED}]},
    "a suite that failed": {"suites": [{"name": "A", "status": "failed", "tests": PASSED}, {"name": "B", "status": "passed", "tests": PASSED}]},
    "one of two results": {"tests": [{"name": "Book", "results": [{"status": "failed"}, {"status": "passed"}]}, {"name": "Pay", "results": [{"status": "passed"}]}]},
    "a step": {"tests": [{**PASSED[0], "steps": [{"name": "sign", "ok": False}, {"name": "open", "ok": True}]}, {**PASSED[1], "steps": []}]},
    "a second result": [{**PASSED[0], "result": "failed"}, {**PASSED[1], "result": "passed"}],
    "the same name": {"tests": [*PASSED, {"name": "Pay", "status": "failed"}]},
    "another device": {"desktop": {"tests": PASSED}, "phone": {"tests": [PASSED[0], {**PASSED[1], "status": "failed"}]}},
    "the second group": {"groups": {"A": {"Book": "passed", "Pay": "passed"}, "B": {"Print": "failed"}}},
    "a file that is truncated.json": '{"tests": [{"name": "Book", "status": "passed"}, {"name": "Pay", "status": "fa',
    "a line that is truncated.jsonl": lines(*PASSED) + '{"name": "Print", "stat',
    "an event without an end.jsonl": lines(*({"event": e, "id": i} for i in "ab" for e in ("started", "passed"))) + '{"event": "started", "id": "c"}\n',
    "the root.xml": '<r status="failed"><t name="Book" status="passed"/><t name="Pay" status="passed"/></r>',
    "elements for failures.xml": '<r><t name="Book" status="passed"/><t name="Pay" status="passed"/><fault name="Print"/></r>',
    "elements with a prefix.xml": '<q:r q:status="failed"><q:t name="Book" status="passed"/><q:t name="Pay" status="passed"/></q:r>',
    "a column.csv": "name,chrome,firefox\nBook,pass,fail\nPay,pass,pass\n",
    "a table above.csv": "name,status\nBook,passed\nPay,failed\n\nStep,Result,Time\nPrint,passed,1\nScan,passed,2\n",
    "a table below.csv": "Step,Result,Time\nPrint,passed,1\nScan,passed,2\n\nname,status\nBook,passed\nPay,failed\n",
    "a remark as outcome.csv": "name,status\nBook,passed\nPay,passed but slow\n",
}  # fmt: skip


@pytest.mark.parametrize("name", FAILURES)
def test_no_failure_vanishes_in_a_file_that_is_read_by_a_draft(tool, tmp_path, name):
    content = FAILURES[name]
    file = f"r.{name.partition('.')[2] or 'json'}"
    (tmp_path / file).write_text(content if isinstance(content, str) else json.dumps(content))
    (tmp_path / "whole.xml").write_text('<testsuite name="Desk"><testcase name="Pay"/></testsuite>')
    summary = json.loads(tool("judge", file, "whole.xml", "--json").out)
    assert summary["verdict"] != "fit"
    assert "Traceback" not in tool("mapping", file).err


ROWS = (
    'name = "{at}n"\nsuite = "{at}s"\ntook = "{at}t"\nstarted = "{at}b"\nended = "{at}e"\ntags = "{at}g"\nworker = "{at}w"\nfacts = {{ quay = "{at}q" }}\nparameters = {{ deck = "{at}d" }}\n'
    'outcome = {{ from = "{at}o", passed = "ok", failed = "bad", skipped = "left" }}\nreason = "{at}m"\nproblem = {{ message = "{at}m" }}\noutput = {{ log = {{ from = "{at}l", pattern = "(\\\\w+)" }} }}\n'
)
POOLS = {
    "n": ["x", "y", "a  b", " ", None], "s": ["A", "A", "B", " ", None], "t": ["1.5", "0", "1,5 s", "soon", None], "b": ["2026-11-22T02:00:00", "1795309830", "once", None],
    "e": [None, None, "2026-11-22T02:00:09+01:00", "2026-11-22T02:00:09"], "g": ["north", "south", "south", None], "w": ["w1", "w2", None], "q": [None, None, "3"], "d": [None, None, "upper"],
    "o": ["ok"] * 8 + ["bad", "left", "odd", " OK ", None], "m": [None] * 6 + ["no fare", ""], "l": [None] * 4 + ["seats free", "--"],
}  # fmt: skip


# Items that nearly all repeat others, by seed: how their durations and beginnings are written, which are read many at
# once; and what of a mapping changes their meaning.
ALIKE = {**{key: [None] for key in "qdml"}, "n": ["x", "y"], "s": ["A", "B"], "g": ["north"], "w": ["w1"], "o": ["ok", "ok", "bad"], "e": [None]}  # fmt: skip
HOURS = ["2026-11-22T02:00:00", "2026-11-22T03:00:00"]
TIMES = {
    3: (["1.5", "0.25"], HOURS, "", ', unit = "ms"', ""),
    4: (["1.5", "0.25"], HOURS, "", "", ', zone = "Europe/Oslo"'),
    5: (["1.500", "2.250"], HOURS, 'decimal = ","\n', "", ""),
    6: (["1.5", "0.25"], ["2026112212045", "2026112211045"], "", "", ""),
}


@pytest.mark.parametrize("syntax", ["jsonl", "json", "csv", "xml"])
@pytest.mark.parametrize("seed", range(7))
def test_items_that_repeat_another_are_read_as_others_are(tmp_path, monkeypatch, syntax, seed):
    """Checks, notes and what a trial counts are the same as where each item is read by itself."""
    for module, name, size in (
        (json_text, "CHUNK_BYTES", 3_000),
        (encoding, "CHUNK_BYTES", 3_000),
        (text, "CHUNK_BYTES", 3_000),
        (mapping_checks, "_TOGETHER", 40),
    ):
        monkeypatch.setattr(module, name, size)
    chance = random.Random(f"{syntax} {seed}")
    pools = {key: [chance.choice(pool) for _ in range(2)] if seed % 2 else pool for key, pool in POOLS.items()}
    durations, moments, setting, unit, zone = TIMES.get(seed, ([], [], "", "", ""))
    pools |= {**ALIKE, "t": durations, "b": moments} if moments else {}
    rows = [{key: chance.choice(pool) for key, pool in pools.items()} for _ in range(300)]
    rows = [{key: value for key, value in row.items() if value is not None} for row in rows]
    file = tmp_path / f"r.{syntax}"
    if syntax == "csv":
        file.write_text(
            "\n".join([",".join(POOLS), *(",".join(f'"{row.get(key, "")}"' for key in POOLS) for row in rows)])
        )
    elif syntax == "xml":
        file.write_text(
            f"<r failures='999'>{''.join('<c ' + ' '.join(f'{key}={quoteattr(value)}' for key, value in row.items()) + '/>' for row in rows)}</r>"
        )
    else:
        for row in rows[::7]:  # values that are no text
            row.update(
                chance.choice([{"t": 2.5}, {"g": ["north", "late"]}, {"q": {"a": 1}}, {"n": 7}, {"o": True}])
            )
        file.write_text(lines(*rows) if syntax == "jsonl" else json.dumps({"failures": 999, "all": rows}))
    each = {"json": 'each = "$.all[*]"\n', "xml": 'each = "/r/c"\n'}.get(syntax, "")
    at = "@" if syntax == "xml" else ""
    form = ROWS.format(at=at)
    form = form.replace(f'took = "{at}t"', f'took = {{ from = "{at}t"{unit} }}')
    form = form.replace(f'started = "{at}b"', f'started = {{ from = "{at}b"{zone} }}')
    mapping = msgspec.toml.decode(
        f'[[mapping]]\nname = "rows"\n{setting}[mapping.check]\n{each}{form}', type=MappingFile
    ).mapping[0]
    (source,) = discover([str(file)]).sources
    trials, together = [], []
    whole = repeated_items.RepeatedItems.checks_of
    monkeypatch.setattr(
        repeated_items.RepeatedItems,
        "checks_of",
        lambda self, *given: together.append(whole(self, *given)) or together[-1],
    )
    for kept in (10_000, 0):
        monkeypatch.setattr(repeated_items, "_KEPT_ITEMS", kept)
        trials.append(try_mapping(mapping, source, Limits()))
    quick, slow = trials
    assert quick == slow
    assert len(quick.checks) >= 280
    assert not moments or sum(check is not None for checks in together for check in checks) > 100


def test_repeated_items_are_not_looked_for_where_few_repeat(tmp_path, monkeypatch):
    """Most items of a usual file are made of earlier ones; of a file whose texts all differ none, and soon none is tried."""
    made, together = [], []
    single, many = repeated_items.RepeatedItems.check_of, repeated_items.RepeatedItems.checks_of
    for name, whole, kept in (("check_of", single, made), ("checks_of", many, together)):
        monkeypatch.setattr(
            repeated_items.RepeatedItems,
            name,
            lambda self, *given, whole=whole, kept=kept: kept.append(whole(self, *given)) or kept[-1],
        )
    for suites, tried, found in ((1, 5_000, 4_997), (5_000, 2_000, 0)):
        made.clear()
        together.clear()
        file = tmp_path / "r.jsonl"
        file.write_text(lines(*({"n": f"x{at}", "s": f"A{at % suites}", "o": "ok"} for at in range(5_000))))
        mapping = msgspec.toml.decode(
            '[[mapping]]\nname = "rows"\n[mapping.check]\nname = "n"\nsuite = "s"\n' + OK, type=MappingFile
        ).mapping[0]
        assert len(MappingReading(mapping, discover([str(file)]).sources[0], Limits()).checks()) == 5_000
        of_many = [check for checks in together for check in checks if check]
        of_all = [*made, *of_many]
        assert (len(of_all), sum(isinstance(made_check, Check) for made_check in of_all)) == (tried, found)
        assert (len(of_many) > 2_000) == (suites == 1), "most are made many at a time"
