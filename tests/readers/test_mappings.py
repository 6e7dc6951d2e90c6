"""Mappings: what each key takes from a file, what does not fit, and what nobody should get away with."""

import json
import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import EXAMPLES
from plain_verdict.readers.mapping.json_paths import JsonRoot, json_selector
from plain_verdict.readers.mapping.times import read_took

HEAD = '[[mapping]]\nname = "rounds"\nfiles = ["r.*"]\n'
PLAIN = '[mapping.check]\nname = "n"\noutcome = { from = "o", passed = "ok", failed = "bad", skipped = "left" }\n'


def judged(tool, tmp_path, mapping, name, content, head=HEAD):
    """Judge a file by a mapping: the checks in words, all notes, and the summary."""
    (tmp_path / "s.toml").write_text(head + mapping)
    (tmp_path / name).write_bytes(content.encode() if isinstance(content, str) else content)
    done = tool("judge", name, "--mapping", "s.toml", "--json", "--detail")
    assert done.code in (0, 1, 3), done.err
    assert "Traceback" not in done.err
    summary = json.loads(done.out)
    checks = [
        " ".join((*(f"{part} >" for part in check["suite"]), check["name"], check["outcome"]))
        for check in summary["checks"]
    ]
    return checks, " ".join(note for file in summary["files"] for note in file["notes"]), summary


# Keys of the mapping, the file, its checks, and parts of its notes; "!" where the run may not be fit.
CASES = {
    "levels, from outside in": (
        ('[[mapping.level]]\neach = "$.quays[*]"\nsuite = "q"\n[mapping.check]\neach = "looks[*]"\nname = "n"\n'
        'outcome = { from = "o", passed = "ok", failed = "bad" }'),
        "r.json",
        '{"quays": [{"q": "A", "looks": [{"n": "x", "o": "ok"}, {"n": "y", "o": "bad"}]}, {"q": "B", "looks": []}]}',
        ["A > x passed", "A > y failed"],
        [],
    ),
    "an object by its name": (
        PLAIN.replace('"n"', '"n"\neach = "$.all.*"'),
        "r.json",
        '{"all": {"a": {"n": "x", "o": "ok"}, "b": {"n": "y", "o": " OK "}}}',
        ["x passed", "y passed"],
        [],
    ),
    "a filter": (
        PLAIN.replace('"n"', "\"n\"\neach = \"$.all[?@.kind == 'test']\""),
        "r.json",
        '{"all": [{"kind": "test", "n": "x", "o": "ok"}, {"kind": "info"}]}',
        ["x passed"],
        [],
    ),
    "lines of several kinds": (
        '[mapping.run]\nwhere = { t = "begin" }\nfacts = { build = "b" }\n' + PLAIN + 'where = { t = ["test", "probe"] }',
        "r.jsonl",
        '{"t": "begin", "b": "4.2"}\n{"t": "test", "n": "x", "o": "ok"}\n{"t": "log"}\n{"t": "probe", "n": "y", "o": "bad"}\n',
        ["x passed", "y failed"],
        [],
    ),
    "columns by name and number": (
        '[mapping.check]\nname = 2\nsuite = "QUAY"\noutcome = { from = "found", passed = "i.O.", failed = "Mangel" }',
        "r.csv",
        'quay;what;found\nKai 1;"Leiter; lang";i.O.\nKai 1;"Poller\nlose";Mangel\n',
        ["Kai 1 > Leiter; lang passed", "Kai 1 > Poller lose failed"],
        [],
    ),
    "a table without a header": (
        '[mapping.table]\nheader = 0\n[mapping.check]\nname = 1\noutcome = { from = 2, passed = "ok" }',
        "r.tsv",
        "x\tok\ny\tok\n",
        ["x passed", "y passed"],
        [],
    ),
    "a header further down, and again": (
        '[mapping.table]\nheader = 3\n' + PLAIN,
        "r.csv",
        "Round of the night;\n;\nn;o\nx;ok\nn;o\ny;ok\n",
        ["x passed", "y passed"],
        [],
    ),
    "another encoding": (PLAIN, "r.csv", "n;o\nPrüfung ü;ok\n".encode("cp1252"), ["Prüfung ü passed"], ["read as Windows-1252"]),
    "elements with a namespace": (
        ('prefixes = { d = "urn:q" }\n[[mapping.level]]\neach = "/d:r/d:g"\nsuite = "@n"\n'
        '[mapping.check]\neach = "d:c"\nname = "d:n"\noutcome = { from = "@o", passed = "ok" }'),
        "r.xml",
        '<r xmlns="urn:q"><g n="A"><c o="ok"><n>x</n></c></g><g n="B"><c o="ok"><n>y</n></c></g></r>',
        ["A > x passed", "B > y passed"],
        [],
    ),
    "elements read whole": (
        '[mapping.check]\neach = "/r/c[@real]"\nname = "concat(@n, \' of \', /r/@who)"\noutcome = { from = "@o", passed = "ok" }',
        "r.xml",
        '<r who="Ada"><c real="1" n="x" o="ok"/><c n="y" o="ok"/></r>',
        ["x of Ada passed"],
        [],
    ),
    "numbers, truth and nothing as outcomes": (
        ('[mapping.check]\nname = "n"\noutcome = [{ from = "left", skipped = true }, '
        '{ from = "bad", passed = { at_most = 0 }, failed = { above = 0, below = 9 }, errored = { at_least = 9 } }, '
        '{ from = "error", failed = "*", missing = "passed" }]'),
        "r.jsonl",
        ('{"n": "a", "left": true, "bad": 3}\n{"n": "b", "bad": 0}\n{"n": "c", "bad": "1,5"}\n{"n": "d", "bad": 12}\n'
        '{"n": "e", "error": "x"}\n{"n": "f", "error": null}\n'),
        ["a skipped", "b passed", "c failed", "d errored", "e failed", "f passed"],
        [],
    ),
    "the gravest of several outcomes": (
        '[mapping.check]\nname = "n"\noutcome = { from = "all[*].o", passed = "ok", failed = "bad" }',
        "r.jsonl",
        '{"n": "x", "all": [{"o": "ok"}, {"o": "bad"}, {"o": "ok"}]}\n',
        ["x failed"],
        [],
    ),
    "values that no list names": (
        PLAIN,
        "r.jsonl",
        '{"n": "x", "o": "hm"}\n{"n": "y", "o": "hm"}\n{"n": "z"}\n',
        ["x undecided", "y undecided", "z undecided"],
        ["2 checks with the outcome “hm”, which the mapping does not list", "1 check without an outcome: undecided (line 3)"],
    ),
    "texts put together, cut out, split, first of several": (
        ('[mapping.check]\nname = { text = "{n} at {where.q}" }\nsuite = { from = "path", split = "/" }\n'
        'outcome = { from = { from = "said", pattern = "is (\\\\w+)" }, passed = "ok" }\ndescription = ["no", "why"]'),
        "r.jsonl",
        '{"n": "x", "where": {"q": "A"}, "path": "a/b", "said": "it is ok", "why": "so"}\n',
        ["a > b > x at A passed"],
        [],
    ),
    "a failing step in what passed": (
        PLAIN + '[[mapping.check.step]]\neach = "s[*]"\nname = "n"\ninside = "s"\n'
        'outcome = { from = "o", passed = "ok", failed = "bad" }',
        "r.jsonl",
        '{"n": "x", "o": "ok", "s": [{"n": "1", "o": "ok", "s": [{"n": "1.1", "o": "bad"}]}]}\n',
        ["x failed"],
        [],
    ),
    "attempts in the item": (
        '[mapping.check]\nname = "n"\nattempts = "tries[*]"\noutcome = { from = "o", passed = "ok", failed = "bad" }',
        "r.jsonl",
        '{"n": "x", "tries": [{"o": "bad"}, {"o": "ok"}]}\n{"n": "y", "tries": [{"o": "ok"}, {"o": "bad"}]}\n',
        ["x passed", "y failed"],
        [],
    ),
    "attempts by their number": (
        PLAIN + 'attempt = "try"',
        "r.jsonl",
        '{"n": "x", "o": "ok", "try": 2}\n{"n": "x", "o": "bad", "try": 1}\n{"n": "y", "o": "ok"}\n{"n": "y", "o": "bad"}\n',
        ["x passed", "y passed", "y failed"],
        [],
    ),
    "fewer than the file says": (
        '[mapping.run]\nchecks = "$.n"\n' + PLAIN.replace('"n"', '"n"\neach = "$.c[*]"'),
        "r.json",
        '{"n": 3, "c": [{"n": "x", "o": "ok"}]}',
        ["x passed"],
        ["!announces 3 checks, but holds 1"],
    ),
    "a nameless item and what can't be read": (
        PLAIN + 'started = "at"\ntook = "t"\n',
        "r.jsonl",
        '{"o": "ok", "at": "soon", "t": "long"}\n{"n": "y", "o": "ok", "at": 1795312800, "t": 2}\n',
        ["Nameless check passed", "y passed"],
        ["1 check without a name (line 1)", "can't be read as “check.started” (the first is “soon”)", "“check.took”"],
    ),
    "a place that finds nothing": (
        PLAIN + 'suite = "quay"',
        "r.jsonl",
        '{"n": "x", "o": "ok"}\n',
        ["x passed"],
        ["holds nothing at “quay” (check.suite of the mapping “rounds”)"],
    ),
    "lines that are truncated or none": (
        PLAIN,
        "r.jsonl",
        '{"n": "x", "o": "ok"}\nnoise\n{"n": "y", "o": "ok", "z": NaN}\n{"n": "z", "o',
        ["x passed", "y passed"],
        ["!has a line that can't be read", "(line 2)", "!ends in the middle of a line", "(line 4)"],
    ),
    "a key twice": (
        PLAIN,
        "r.jsonl",
        '{"n": "x", "o": "bad", "o": "ok"}\n',
        ["x passed"],
        ["!has the key “o” twice in one object"],
    ),
    "a key twice, in JSON": (
        PLAIN.replace('"n"', '"n"\neach = "$[*]"'),
        "r.json",
        '[{"n": "x", "o": "bad", "o": "ok"}]',
        ["x passed"],
        ["!has the key “o” twice in one object"],
    ),
    "rows too short and too long": (
        PLAIN,
        "r.csv",
        "n,o\nx,ok\ny\nz,ok,more\n",
        ["x passed", "y undecided", "z passed"],
        ["!1 row with fewer cells than columns", "line 3", "1 row with more cells", "1 check without an outcome"],
    ),
    "a row too short behind long ones": (
        PLAIN,
        "r.csv",
        "n,o,p\n" + "".join(f"x{number},ok,{'-' * 40_000}\n" for number in range(4)) + "y\n",
        [*(f"x{number} passed" for number in range(4)), "y undecided"],
        ["!1 row with fewer cells than columns", "line 6", "1 check without an outcome"],
    ),
    "XML truncated": (
        '[mapping.check]\neach = "/r/c"\nname = "@n"\noutcome = { from = "@o", passed = "ok" }',
        "r.xml",
        '<r><c n="x" o="ok"/><c n="y" o="o',
        ["x passed"],
        ["!is truncated"],
    ),
    "an attribute that stands twice": (PLAIN.replace('"n"', '"@n"\neach = "//c"').replace('"o"', '"@o"'), "r.xml", '<r><c n="x" o="ok" o="bad"/></r>', ["x passed"], ["!"]),
    "a quote that is never closed": (PLAIN, "r.csv", 'n,o\nx,ok\ny,"ok\nz,bad\nw,ok\n', ["x passed", "z failed", "w passed"], ["!line 3", "a quote"]),
    "a row that goes on with what counts": (PLAIN, "r.csv", "n,o\nx,ok\ny,ok,bad\n", ["x passed", "y passed"], ["!line 3"]),
    "a pattern that takes for ever": (
        PLAIN.replace('"n"', "{ from = 'n', pattern = '(a+)+$' }\neach = '$[*]'"), "r.json", json.dumps([{"n": "a" * 5000 + "b", "o": "ok"}] * 2), ["Nameless check passed"] * 2,
        ["!2 texts in which the pattern of check.name took too long"],
    ),
    "attempts in any order": (
        PLAIN.replace('"n"', '"n"\nattempts = "t[*]"\nstarted = "at"'), "r.json",
        '{"n": "x", "t": [{"o": "bad", "at": "2026-11-24T22:12:00Z"}, {"o": "ok", "at": "2026-11-24T22:10:00Z"}]}', ["x failed"], [],
    ),
    "a failure's text in what passed": (PLAIN + 'problem = { message = "p" }\neach = "$[*]"', "r.json", '[{"n": "x", "o": "ok", "p": "but the quay is wet"}]', ["x passed"], ["1 check that passed with a failure message"]),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES.values(), ids=CASES)
def test_a_mapping_takes_what_it_names_and_says_what_does_not_fit(tool, tmp_path, case):
    mapping, name, content, checks, notes = case
    found, said, summary = judged(tool, tmp_path, mapping, name, content)
    assert found == checks
    assert all(note.removeprefix("!") in said for note in notes), said
    assert bool(said) == bool(notes), said
    lost = any(note.startswith("!") for note in notes)
    well = all(check.endswith(("passed", "skipped")) for check in found)
    assert (summary["verdict"] == "fit") == (well and not lost)
    assert summary["files"][0]["format"] == "rounds"


EVERYTHING = """
kind = "api"
[mapping.run]
title = "$.title"
facts = "$.about"
[[mapping.level]]
each = "$.groups[*]"
tags = "marks"
facts = { deck = "deck" }
[mapping.check]
each = "checks[*]"
name = "name"
tags = { from = "labels", split = ";" }
requirements = "req[*]"
parameters = { fare = "fare" }
links = { ticket = "url" }
description = "about"
file = "src.file"
line = "src.line"
severity = "prio"
worker = "host"
reason = "because"
cause = "root"
outcome = { from = "state", passed = "ok", failed = "bad", skipped = "left", errored = "broken" }
took = { from = "minutes", unit = "min" }
started = { from = ["day", "clock"], format = "%d.%m.%Y %H:%M", zone = "Europe/Oslo" }
problem = { each = "errors[*]", type = "kind", message = "text", detail = "trace", expected = "want", actual = "got" }
output = { console = "log[*]" }
evidence = { each = "pictures[*]", path = "file", caption = "says", base64 = "data" }
expectation = { each = "asserts[*]", subject = "of", expected = "want", actual = "got", outcome = { from = "ok", passed = true, failed = false } }
exchange = { each = "calls[*]", method = "verb", url = "url", status = "code", request_headers = "sent", response_headers = "came", response_body = "body", took = { from = "ms", unit = "ms" } }
step = { each = "steps[*]", name = "do", outcome = { from = "ok", passed = true, failed = false }, started = "at", ended = "to", problem = { message = "why" } }
"""


def test_everything_of_a_check_can_be_filled_and_stands_on_the_page(tool, checks_of, tmp_path):
    check = {
        "name": "NAME-1", "labels": "TAG-1;TAG-2", "req": ["REQ-1"], "fare": "PARAM-1", "url": "https://x.example/LINK-1",
        "about": "ABOUT-1", "src": {"file": "FILE-1.py", "line": 7}, "prio": "PRIO-1", "host": "HOST-1", "state": "bad",
        "minutes": "1,5", "day": "24.11.2026", "clock": "22:10", "root": "CAUSE-1",
        "errors": [{"kind": "KIND-1", "text": "TEXT-1", "trace": "TRACE-1", "want": "WANT-1", "got": "GOT-1"}],
        "log": ["LOG-1", "LOG-2"],
        "pictures": [{"file": "shot.txt", "says": "SAYS-1"}, {"data": "U0hPVy0x", "says": "SAYS-2"}],
        "asserts": [{"of": "SUBJECT-1", "want": 200, "got": 503, "ok": False}],
        "calls": [{"verb": "get", "url": "https://fares.example/PATH-1", "code": "503", "ms": 250, "body": '{"why":"BODY-1"}',
                   "sent": {"accept": "SENT-1"}, "came": [{"name": "server", "value": "CAME-1"}]}],
        "steps": [{"do": "STEP-1", "ok": True, "at": "2026-11-24T22:10:00", "to": "2026-11-24T22:10:02"}, {"do": "STEP-2", "ok": False, "why": "WHY-1"}],
    }  # fmt: skip
    left = {"name": "NAME-2", "state": "left", "because": "REASON-1", "steps": []}
    content = {
        "title": "TITLE-1",
        "about": {"rig": "RUN-1"},
        "groups": [{"marks": ["MARK-1"], "deck": "DECK-1", "checks": [check, left]}],
    }
    (tmp_path / "r.json").write_text(json.dumps(content))
    (tmp_path / "shot.txt").write_text("the quay at night")
    (tmp_path / "plain-verdict.toml").write_text(HEAD + EVERYTHING)
    found = checks_of("r.json")
    text = found.page.text_content()
    words = list(json.dumps(content).replace('"', " ").replace("\\", " ").replace(";", " ").split())
    marked = {word.strip(",:{}[]/") for word in words if word.strip(",:{}[]/")[-2:] in ("-1", "-2")}
    for word in sorted(marked | {"SHOW-1", "1 min 30 s", "22:10", "GET", "250 ms", "2.0 s", "FILE-1.py:7"}):
        assert word.rsplit("/", 1)[-1] in text or word in str(found.page.xpath("//@href")), word
    assert found.summary["kinds"][0]["kind"] == "api"
    assert found.summary["counts"]["skipped"] == 1


WRONG = {
    "a wrong key": (PLAIN + 'sweet = "x"', "s.toml:7: mapping[0].check: has an unknown key, 'sweet'", "did you mean 'severity'?"),
    "a wrong key, deep": (PLAIN + 'problem = { mesage = "x" }', "has an unknown key, 'mesage'", "did you mean 'message'?"),
    "no way to tell files": ('name = "x"\n' + PLAIN, "does not say which files it is for", "add files ="),
    "no name": ('[mapping.check]\noutcome = { from = "o", passed = "ok" }', "lacks the key 'name'", "add name"),
    "no outcome": ('[mapping.check]\nname = "o"', "names no outcomes", "add outcome"),
    "a value twice": (PLAIN.replace('"bad"', '["bad", "OK"]'), "'ok' is also listed under failed|'OK' is also listed under|is also listed under", ""),
    "bounds without one": (PLAIN.replace('"bad"', "{}"), "has no bound", ""),
    "a pattern that is none": (PLAIN + 'suite = { from = "x", pattern = "(" }', "is not a regular expression", ""),
    "a zone that is none": (PLAIN + 'started = { from = "x", zone = "Osloo" }', "is not a time zone", "write it like"),
    "a format of our own": ('name = "tap"\nfiles = ["x"]\n' + PLAIN, "'tap' is the name of a built-in format", "choose another name"),
    "an encoding that is none": ('[mapping.table]\nencoding = "utf-88"\n' + PLAIN, "is not an encoding", "write it like"),
    "no mapping at all": (None, "has no mapping", "begin one with [[mapping]]"),
}  # fmt: skip


@pytest.mark.parametrize(("mapping", "what", "hint"), WRONG.values(), ids=WRONG)
def test_a_wrong_mapping_is_said_with_its_line(tool, tmp_path, mapping, what, hint):
    named = mapping is not None and mapping.startswith("name")
    (tmp_path / "s.toml").write_text(
        "" if mapping is None else (f"[[mapping]]\n{mapping}" if named else HEAD + mapping)
    )
    (tmp_path / "r.json").write_text("{}")
    done = tool("judge", "r.json", "--mapping", "s.toml")
    assert done.code == 2
    assert done.err.startswith("error: s.toml")
    assert any(part in done.err for part in what.split("|")), done.err
    assert hint in done.err


# A place that is none in the file, or can't be looked for; and the file that it is tried on.
HARD = {
    "no JSONPath": (PLAIN.replace('"n"', '"n["'), "r.json", '{"n": 1}', "is not a JSONPath"),
    "two descents": (PLAIN.replace('"n"', '"$..a..b"'), "r.json", '{"n": 1}', "could take forever"),
    "a descent in a filter": (PLAIN.replace('"n"', '"$[?@..x]"'), "r.json", '{"n": 1}', "could take forever"),
    "no XPath": (PLAIN.replace('"n"', '"n["'), "r.xml", "<r/>", "is not an XPath"),
    "two descents in XML": (PLAIN.replace('"n"', '"//a//b"'), "r.xml", "<r/>", "could take forever"),
    "a prefix that nobody declares": (PLAIN.replace('"n"', '"x:n"'), "r.xml", "<r/>", "which [mapping.prefixes] does not name"),
    "a column of what is not a table": (PLAIN.replace('"n"', "3"), "r.json", '{"n": 1}', "the file is not a table"),
    "a DTD": (PLAIN, "r.xml", '<!DOCTYPE r [<!ENTITY a "b">]><r>&a;</r>', "has a DOCTYPE, which is refused"),
    "JSON truncated": (PLAIN, "r.json", '{"n": [', "is not complete JSON"),
    "JSON that nests without end": (PLAIN, "r.json", "[" * 100_000, "is not complete JSON"),
    "nothing in it": (PLAIN, "r.csv", "", "is empty"),
    "lines of which none can be read": (PLAIN, "r.jsonl", '{"n": "x", "o', "finds no check in it, and it ends in the middle of a line"),
    "no check in it": (PLAIN.replace('"n"', '"n"\neach = "$.none[*]"'), "r.json", '{"n": 1}', "matches the mapping “rounds”, which finds no check"),
}  # fmt: skip


@pytest.mark.parametrize(("mapping", "name", "content", "what"), HARD.values(), ids=HARD)
def test_what_can_not_be_read_by_a_mapping_costs_that_file_only(tool, tmp_path, mapping, name, content, what):
    (tmp_path / "whole.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    (tmp_path / "s.toml").write_text(HEAD + mapping)
    (tmp_path / name).write_text(content)
    done = tool("judge", name, "whole.xml", "--mapping", "s.toml", "--json")
    summary = json.loads(done.out)
    assert f"error: {name}" in done.err
    assert what in done.err
    assert "hint:" in done.err
    assert summary["counts"]["passed"] == 1
    assert summary["verdict"] != "fit"


def test_hostile_data_ends_in_time(tool, tmp_path):
    deep = '{"a":' * 900 + "1" + "}" * 900
    evil = json.dumps({"n": "x", "o": "ok", "p": "(a+)+$", "v": "a" * 60 + "!", "deep": json.loads(deep)})
    mapping = PLAIN + 'tags = "$..[?match(@.v, @.p)].n"\nsuite = { from = "v", pattern = "(a|aa)+$" }\n'
    began = time.monotonic()
    checks, said, _ = judged(tool, tmp_path, mapping, "r.jsonl", (evil + "\n") * 3)
    assert time.monotonic() - began < 600  # it would take for ever
    assert not checks or "passed" in checks[0]
    assert checks or "nests deeper" in said


def test_files_are_told_by_their_path_or_by_what_they_hold_and_an_unused_mapping_is_said(tool, tmp_path):
    by_path = (
        HEAD.replace("r.*", "rounds/*.xml")
        + PLAIN.replace('"n"', '"@n"').replace('from = "o"', 'from = "@o"')
        + 'each = "/testsuite/testcase"\n'
    )
    by_content = (
        '[[mapping]]\nname = "held"\nneeds = ["$.rounds[*].n", "$.by"]\n' + PLAIN + 'each = "$.rounds[*]"\n'
    )
    unused = '[[mapping]]\nname = "unused"\nneeds = ["nothing"]\n' + PLAIN
    (tmp_path / "plain-verdict.toml").write_text(by_path + by_content + unused)
    (tmp_path / "rounds").mkdir()
    (tmp_path / "rounds" / "a.xml").write_text('<testsuite><testcase n="x" o="ok" name="y"/></testsuite>')
    (tmp_path / "b.json").write_text('{"rounds": [{"n": "z", "o": "ok"}], "by": "Ada"}')
    (tmp_path / "c.json").write_text('{"rounds": [{"n": "z", "o": "ok"}]}')
    done = tool("judge", "rounds/a.xml", "b.json", "c.json", "--json", "--detail")
    summary = json.loads(done.out)
    formats = {file["path"]: file["format"] for file in summary["files"]}
    assert formats == {"rounds/a.xml": "rounds", "b.json": "held", "c.json": None}
    assert "the mapping “held” does not match: “$.by” is not there" in done.err
    assert summary["mapping_notes"] == ["The mapping “unused” matches no file: it is for files that hold nothing."]
    assert [check["name"] for check in summary["checks"]] == ["z", "x"]


# What a draft must be changed in by hand, line for line, what the file's checks are then, and what the draft doubts.
BROKEN = {'failed = ["failed", "broken"]': 'failed = ["failed"]\nerrored = ["broken"]'}
DRAFTS = {
    "harbour-night.json": ({}, {"passed": 1, "failed": 1, "errored": 1, "skipped": 1}, []),
    "pump-watch.jsonl": ({}, {"passed": 2, "failed": 2}, ["“probe” is taken for the name"]),
    "pruefliste.csv": ({}, {"passed": 3, "failed": 1, "errored": 1, "skipped": 1}, []),
    "engine.json": (BROKEN, {"passed": 2, "failed": 1, "errored": 1, "skipped": 1}, []),
    "crane.ndjson": ({}, {"passed": 3, "failed": 1}, []),
    "livbaater.csv": ({}, {"passed": 2, "failed": 1, "skipped": 1}, []),
    "doors.xml": ({}, {"passed": 2, "failed": 1}, []),
    "buoys.xml": ({'failed = ["fail"]': 'failed = ["fail"]\nskipped = ["notseen"]'}, {"passed": 2, "failed": 1, "skipped": 1}, ["by hand"]),
    "script-runner.json": ({}, {"passed": 3, "failed": 2, "skipped": 1}, []),  # lists of passes and failures, and numbers
    "script-suites.json": ({}, {"passed": 3, "failed": 2, "skipped": 2}, []),  # a suite that failed to start
    "browser-projects.json": ({}, {"passed": 6, "failed": 2, "skipped": 2}, []),  # a tree, projects, retries
    "collection-run.json": ({}, {"passed": 1, "failed": 3}, ["only an error tells"]),  # requests, assertions
    "page-rules.json": ({}, {"passed": 3, "failed": 3, "skipped": 3, "undecided": 2}, []),  # rules in four lists
    "variants.csv": ({}, {"passed": 6, "failed": 2, "skipped": 1}, []),  # a column for each browser
    "codes.json": ({}, {"passed": 2, "failed": 1, "skipped": 1}, []),  # codes that the file explains
    "quays-by-name.json": ({}, {"passed": 2, "failed": 1}, []),  # objects whose keys are names
    "sequence.json": ({}, {"passed": 1, "failed": 1}, []),  # values one after another
}  # fmt: skip


@pytest.mark.parametrize(("file", "changes", "counts", "doubts"), [(file, *case) for file, case in DRAFTS.items()])
def test_a_draft_works_nearly_as_it_is_and_a_certain_one_is_used_at_once(
    tool, tmp_path, file, changes, counts, doubts
):
    (tmp_path / file).write_bytes((EXAMPLES / "mapping" / file).read_bytes())
    drafted = tool("mapping", file)
    assert drafted.code == 0, drafted.err
    assert "it finds" in drafted.err
    assert ("FILL IN" in drafted.out) == (file == "buoys.xml")
    assert ("this draft is certain" in drafted.err) == (not doubts)
    assert all(doubt in drafted.err for doubt in doubts)
    at_once = json.loads(tool("judge", file, "--json").out)
    if doubts:
        assert (at_once["verdict"], sum(at_once["counts"].values())) == ("undecided", 0)
    elif not changes:
        assert {key: number for key, number in at_once["counts"].items() if number} == counts
        assert "drafted mapping" in at_once["files"][0]["notes"][0]
    assert json.loads(tool("judge", file, "--json", "--no-drafts").out)["verdict"] == "undecided"
    text = drafted.out
    for line, other in changes.items():
        assert text.count(line) == 1
        text = text.replace(line, other)
    (tmp_path / "s.toml").write_text(text)
    summary = json.loads(tool("judge", file, "--mapping", "s.toml", "--json").out)
    assert {key: number for key, number in summary["counts"].items() if number} == counts
    assert [
        note for note in summary["files"][0]["notes"] if "holds nothing" not in note and "remark" not in note
    ] == []
    tried = tool("mapping", file, "--try", "s.toml")
    assert tried.code == 0
    assert f"{sum(counts.values())} checks" in tried.out


def test_what_no_mapping_can_be_drafted_of_is_said(tool, tmp_path):
    for name, content in {
        "a.json": '{"a": 1}',
        "b.csv": "one\ntwo\n",
        "c.xml": "<a/>",
        "d.json": "",
        "e.bin": "\0\1",
        "f.csv": "n;o\n",
    }.items():
        (tmp_path / name).write_text(content)
        done = tool("mapping", name)
        assert done.code == 3, name
        assert done.err.startswith(f"error: {name}: "), done.err
        assert done.out == ""
    assert tool("mapping", "none.json").code == 2
    # A name with a prefix that nothing declares is drafted, and what the draft says of it finds it.
    items = '<q:item name="a" q:state="ok"/><q:item name="b" q:state="bad"/>'
    (tmp_path / "g.xml").write_text(f"<list>{items}</list>")
    drafted = tool("mapping", "g.xml")
    assert (drafted.code, "it finds 2 checks" in drafted.err) == (0, True)


@pytest.mark.parametrize(
    ("text", "unit", "seconds"),
    [
        ("1.5", "min", 90), ("1,5", "s", 1.5), ("250", "ms", 0.25), ("1 234,5", "s", 1234.5), ("90 s", "min", 90),
        ("1h 2min 3s", "s", 3723), ("1:02:03,5", "s", 3723.5), ("02:30", "s", 150), ("PT1M30.5S", "s", 90.5), ("P1DT1H", "s", 90000),
        ("840ms", "s", 0.84), ("3 µs", "s", 3e-6), ("-1", "s", None), ("soon", "s", None), ("", "s", None), ("P", "s", None), ("nan", "s", None),
    ],
)  # fmt: skip
def test_durations_are_read_as_people_and_programs_write_them(text, unit, seconds):
    assert read_took(text, unit) == (seconds if seconds is None else pytest.approx(seconds))


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=3),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("abc"), inner, max_size=3),
    max_leaves=20,
)


@given(JSON, st.sampled_from(["a", "a.b", "a[*]", "a.*.b", "[0].a", "[-1]", "a[*].b[0]", "$.a", "$..b", "@.a.b"]))
@settings(max_examples=300, deadline=None)
def test_a_place_finds_what_the_standard_says(data, path):
    from jsonpath import JSONPathEnvironment

    place = json_selector(path, JsonRoot(data))
    whole = path if path.startswith("$") else "$" + (path.removeprefix("@") if path[0] in "@[" else f".{path}")
    found = JSONPathEnvironment(strict=True).findall(whole, data) if isinstance(data, list | dict) else []
    assert place.all(data) == [value for value in found if value is not None and value != ""]
