"""Feeds the program damaged inputs: a short run is a test, a long one is for a person.

    .venv/bin/python tests/fuzz/fuzz.py 20000 [SEED]

Each input is a good one, changed at random: results of every format, archives, settings, requirements, evidence,
earlier pages, digests and stores. Looked for are exit
codes that mean a bug, tracebacks, more than 20 s or 1.5 GB, JSON or a page that does not parse, and a verdict "fit"
although checks are gone and nothing is reported of it.
"""

import contextlib
import functools
import gzip
import io
import json
import os
import random
import re
import resource
import sys
import tarfile
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

from lxml import html

from plain_verdict.cli import main

JUNIT = b"""<?xml version="1.0" encoding="utf-8"?>
<testsuites tests="4" failures="1"><testsuite name="Quay" tests="4" failures="1" timestamp="2026-11-22T02:10:00" time="9.5" hostname="north">
<properties><property name="browser" value="firefox"/></properties>
<testcase classname="quay.Desk" name="sails [a-1]" time="1,5" file="a.py" line="3"/>
<testcase name="lands &amp; m&#246;rs"><system-out><![CDATA[see shots/a.png \xc3\xa9]]></system-out></testcase>
<testcase name="sinks"><failure message="no boat" type="E">at quay (a.js:3:1)</failure><rerunFailure message="again"/></testcase>
<testcase name="waits"><skipped message="tide"/></testcase></testsuite></testsuites>"""
RECORD = b"""{"what": "record", "version": 1, "zone": "+01:00"}
{"what": "check", "id": "a", "name": "sails", "suite": ["Quay"], "at": 1795312800, "parameters": {"deck": "2"}}
{"what": "check", "id": "b", "name": "sinks", "suite": ["Quay"]}
{"what": "step", "id": "s", "in": "a", "name": "cast off", "at": 1795312801.5}
{"what": "evidence", "in": "s", "name": "x", "path": "a.png"}
{"what": "log", "in": "s", "text": "lines away"}
{"what": "exchange", "in": "s", "request": {"method": "GET", "url": "https://f.test/a?b=1", "headers": [["a", "b"]]}, "response": {"status": 200, "headers": [["content-type", "application/json"]], "body": "{\\"a\\": 1}"}, "took_s": 0.2, "timings": {"wait_s": 0.1}}
{"what": "expectation", "in": "s", "subject": "status", "outcome": "passed", "expected": "200", "actual": "200"}
{"what": "end", "id": "s", "outcome": "passed", "at": 1795312802}
{"what": "end", "id": "a", "outcome": "passed", "took_s": 2.5}
{"what": "end", "id": "b", "outcome": "failed", "problems": [{"message": "no boat", "expected": "1", "actual": "2"}]}
"""
ENTRY = b"""{"startedDateTime": "2026-11-22T02:10:00+01:00", "time": 40.5, "pageref": "p",
"request": {"method": "POST", "url": "https://f.test/a", "headers": [{"name": "a", "value": "b"}], "postData": {"mimeType": "text/plain", "text": "x"}},
"response": {"status": 200, "statusText": "OK", "headers": [], "content": {"size": 4, "mimeType": "image/png", "text": "iVBORw==", "encoding": "base64"}},
"timings": {"send": 1, "wait": 30, "receive": 9.5}}"""
HAR = b'{"log": {"version": "1.2", "pages": [{"id": "p", "title": "Quay"}], "entries": [%s]}}' % b", ".join(
    [ENTRY] * 3
)
TAP = b"""TAP version 14
1..3
ok 1 - sails
not ok 2 - lands
  ---
  message: wrong quay
  expected: 1
  ...
# Subtest: books
    1..2
    ok 1 - one
    ok 2 - two # TODO x
ok 3 - books
"""
MAPPINGS = b"""[[mapping]]
name = "rounds"
files = ["s.json", "s.xml"]
prefixes = { q = "urn:q" }
[[mapping.level]]
each = "night[*]"
suite = "quay"
[mapping.check]
each = "looks[*]"
name = "n"
outcome = [{ from = "rc", passed = { at_most = 0 }, failed = { above = 0 } }, { from = "o", passed = "ok", failed = "bad" }]
took = { from = "t", unit = "min" }
started = { from = ["d", "c"], format = "%d.%m.%Y %H:%M", zone = "Europe/Oslo" }
suite = { from = "p", split = "/" }
problem = { each = "e[*]", message = "m" }
step = { each = "s[*]", name = "n", inside = "s", outcome = { from = "o", passed = "ok", failed = "bad" } }
[mapping.run]
facts = "about"
[[mapping]]
name = "lines"
files = ["s.jsonl", "s.csv"]
[mapping.check]
name = "n"
outcome = { from = "o", passed = "ok", failed = "bad" }
tags = { from = "p", pattern = "(\\\\w+)/" }
attempt = "rc"
[[mapping]]
name = "elements"
files = ["e.xml"]
[[mapping.level]]
each = "/r/g"
suite = "@n"
[mapping.check]
each = "c"
name = "@n"
outcome = { from = "o", passed = "ok", failed = "bad" }
"""
ROUNDS = b"""{"about": {"rig": "2"}, "night": [{"quay": "A", "looks": [
{"n": "x", "o": "ok", "t": "1,5", "d": "24.11.2026", "c": "22:10", "p": "a/b", "s": [{"n": "1", "o": "ok", "s": [{"n": "2", "o": "ok"}]}]},
{"n": "y", "o": "bad", "e": [{"m": "no boat"}]}, {"n": "z", "rc": 3}]}]}"""
LINES = b"""{"n": "x", "o": "ok", "p": "a/b", "rc": 1}\n{"n": "y", "o": "bad"}\n{"n": "z", "o": "?"}\n"""
TABLE = b"""n;o;p;rc\nx;ok;a/b;1\ny;bad;"c\nd";2\nz;?;;\n"""
ELEMENTS = (
    b"""<r><g n="A"><c n="x"><o>ok</o></c><c n="y"><o>bad</o></c></g><g n="B"><c n="z"><o>ok</o></c></g></r>"""
)
SAMPLES = b"started_ms,request,took_ms,status,ok,bytes,users,message\n" + b"".join(
    b"%d,%s,%d,%d,%s,100,%d,%s\n"
    % (
        1795312800000 + 250 * at,
        (b"Pay", b"Quote", b'"A, b"')[at % 3],
        5 + at * 7 % 90,
        (200, 503)[at % 9 == 0],
        (b"yes", b"no")[at % 9 == 0],
        at // 9,
        (b"", b"busy")[at % 9 == 0],
    )
    for at in range(400)
)
SAMPLE_LINES = b"".join(
    b'{"start": %d, "t": {"duration_ms": %d}, "request": "Pay", "status": %d}\n'
    % (1795312800 + at, at, 200 if at % 9 else 503)
    for at in range(200)
)
OSCAL = b"""{"assessment-results": {"metadata": {"title": "Quay"}, "results": [{"title": "Look", "start": "2026-11-22T02:00:00Z",
"observations": [{"uuid": "o", "title": "Seen", "methods": ["TEST"], "collected": "2026-11-22T02:00:00Z"}],
"risks": [{"uuid": "r", "title": "Risk", "status": "open", "characterizations": [{"facets": [{"name": "impact", "value": "high"}]}]}],
"findings": [{"title": "AC-1", "target": {"target-id": "ac-1_obj", "status": {"state": "not-satisfied"}},
"related-observations": [{"observation-uuid": "o"}], "associated-risks": [{"risk-uuid": "r"}]}]}]}}"""
EARL = b"""@prefix earl: <http://www.w3.org/ns/earl#> .
<#a> a earl:Assertion ; earl:subject <https://desk.test/> ; earl:test <https://x.test/#one> ;
  earl:result [ a earl:TestResult ; earl:outcome earl:failed ; earl:info "no words" ] .
"""
EARL_JSON = b"""{"@context": {"earl": "http://www.w3.org/ns/earl#"}, "@graph": [{"@id": "urn:g", "@graph": [
{"@type": "earl:Assertion", "earl:subject": {"@id": "https://desk.test/"}, "earl:test": {"@id": "https://x.test/#one"},
"earl:result": {"@type": "earl:TestResult", "earl:outcome": {"@id": "earl:failed"}, "earl:info": "no words"}}]}]}"""
REQUIREMENTS = b"# Desk\n- BQ-1 sails\n## BQ-2 lands\n"
DOCUMENT = b"""openapi: 3.1.0
paths:
  /a/{b}: {get: {summary: One, responses: {"200": {}, default: {}}}, post: {responses: {4XX: {}}}}
  /c: {$ref: "#/components/x"}
components: {x: {get: {responses: {200: {}}}}}
"""
SETTINGS = b"""[report]
title = "Desk"
time_zone = "Europe/Oslo"
[brand]
accent = "#155e8a"
[evidence]
places = ["shots"]
size_limit = "25MB"
[masking]
patterns = ["BQ-[0-9]{8}"]
[api]
document = "api.yaml"
[input]
kinds = { api = ["*.har"] }
variants_from = "{python}/*.xml"
stale_after = "12h"
[[cause]]
name = "Boat"
match = { message = "/no bo+at/" }
[[waiver]]
reason = "known"
until = 2026-12-24
match = { check = "sinks" }
[[condition]]
measure = "pass rate"
at_least = "50 %"
scope = { suite = "Quay*" }
"""
PNG = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000002000000020802000000fdd49a73"
    "0000001249444154789c63f8cfc0c0c0c0f09f01040006fe01ff5b2ef2a60000000049454e44ae426082"
)
PIECES = [
    *(b"<failure/>", b"<testcase>", b"</testcase>", b"<testsuite>", b"]]>", b"<![CDATA[", b"&#27;", b"&#x1F600;", b"<!--"),
    *(b'"', b"'", b"{", b"}", b"[" * 60, b"\\u0000", b"\xff\xfe", b"\x00", b"9999-12-31T23:59:59", b"1e400", b"-1", b"null"),
    *(b'"outcome": "passed"', b'"id": "a"', b"0001-01-01", b"x" * 700, b"\x1b[31m", b"../../etc/passwd", b"\n\n", b"NaN"),
]  # fmt: skip


# What may stand where a number or a text does.
VALUES = [
    *(b"1" + b"0" * 30, b"-1", b"1e400", b"1e-400", b"0.1", b"9" * 5000, b"+1", b"1,200", "٣".encode(), b"", b"null", b"true"),
    *(b"\\ud83d", b"\\ud83d\\udea2 \\u0022password\\u0022: \\u0022Harb0ur-gate!7\\u0022", b"\\ud83d, \\u0022token\\u0022: 1"),
    *(b"*", b" ", b"(a+)+$", b"failed", b"2026-11-29T10:00:00Z", b"$.a", b"//*", b"\\n", b"\xed\xa0\xbd", b"{x}", b"[1]"),
]  # fmt: skip
TOKEN = re.compile(rb"-?\d[\d.]*|(?<=\")[^\"\n]{1,60}(?=\")|(?<=>)[^<>\n]{1,60}(?=<)")


def mutated(data: bytes, rng: random.Random) -> bytes:
    """Return the data changed in one to four places."""
    for _ in range(rng.randint(1, 4)):
        at, length = rng.randrange(len(data) + 1), rng.choice((0, 1, 1, 2, 8, 40, 200))
        how = rng.randrange(9)
        if how > 5:
            tokens = list(TOKEN.finditer(data[:100_000]))
            if tokens:
                start, end = rng.choice(tokens).span()
                data = data[:start] + rng.choice(VALUES) + data[end:]
        elif how == 0:
            data = data[:at] + data[at + length :]
        elif how == 1:
            data = data[:at]
        elif how == 2:
            data = data[:at] + rng.choice(PIECES) + data[at:]
        elif how == 3:
            data = data[:at] + rng.randbytes(rng.choice((1, 1, 4))) + data[at + 1 :]
        elif how == 4:
            data = data[:at] + data[max(0, at - length) : at] * rng.choice((2, 3, 30)) + data[at:]
        else:
            other = rng.randrange(len(data) + 1)
            data = data[:at] + data[other : other + length] + data[at + length :]
        data = data or b"\n"
    return data


def zipped(rng: random.Random) -> bytes:
    """Return a zip file of both results, by one of its methods."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", rng.choice((0, 8, 12, 14))) as archive:
        archive.writestr("a.xml", JUNIT)
        archive.writestr("b.verdict.jsonl", RECORD)
    return buffer.getvalue()


def tarred(rng: random.Random) -> bytes:
    """Return a tar file of both results, compressed or not."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=rng.choice(("w", "w:gz"))) as archive:
        for name, data in (("a.xml", JUNIT), ("b.verdict.jsonl", RECORD)):
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            archive.addfile(entry, io.BytesIO(data))
    return buffer.getvalue()


@functools.cache
def condensed() -> bytes:
    """Return the samples condensed."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "a.csv").write_bytes(SAMPLES)
        with contextlib.redirect_stdout(io.StringIO()):
            main(["condense", str(folder / "a.csv"), "--out", str(folder / "a.load")])
        return (folder / "a.load").read_bytes()


@functools.cache
def kept(name: str) -> bytes:
    """Return what a report of the JUnit XML leaves for later ones: a page, a digest, a store."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder)
        (path / "r.xml").write_bytes(JUNIT)
        outputs = [
            "--out",
            str(path / "p.html"),
            "--digest",
            str(path / "d.json"),
            "--history",
            str(path / "kept.db"),
        ]
        for build in ("1", "2"):
            with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
                main(["report", str(path / "r.xml"), "--no-git", "--overwrite", "--build", build, *outputs])
        return (path / name).read_bytes()


def example(name: str) -> Callable[[random.Random], bytes]:
    """Return what gives a real file of rules."""
    return lambda _: (Path(__file__).parent.parent / "examples" / "rules" / name).read_bytes()


# What is damaged, and how many checks the whole input has; None where the damage may change what counts, -1 where
# its parts are no more than texts and words, so that none may go missing without being another.
CASES: tuple[tuple[str, Callable[[random.Random], bytes], int | None], ...] = (
    ("r.xml", lambda _: JUNIT, 4),
    ("r.verdict.jsonl", lambda _: RECORD, 2),
    ("r.tap", lambda _: TAP, 4),
    ("r.har", lambda _: HAR, 3),
    ("shots/sails.har", lambda _: HAR, None),
    ("api.yaml", lambda _: DOCUMENT, None),
    ("r.zip", zipped, 6),
    ("r.tar", tarred, 6),
    ("r.xml.gz", lambda _: gzip.compress(JUNIT), 4),
    ("plain-verdict.toml", lambda _: SETTINGS, None),
    *(("s.json", lambda _: ROUNDS, 0), ("s.jsonl", lambda _: LINES, 0), ("s.csv", lambda _: TABLE, 0)),
    *(("e.xml", lambda _: ELEMENTS, 0), ("mappings.toml", lambda _: MAPPINGS, None)),
    ("m.load", lambda _: condensed(), 0),
    *(("load.csv", lambda _: SAMPLES, 0), ("load.csv.gz", lambda _: gzip.compress(SAMPLES), 0)),
    ("load.jsonl", lambda _: SAMPLE_LINES, 0),
    *((f"r.{name}", example(name), -1) for name in ("bandit.sarif", "openscap.xml", "openscap-arf.xml")),
    *(
        ("r.oscal.json", lambda _: OSCAL, -1),
        ("r.ttl", lambda _: EARL, -1),
        ("asked.md", lambda _: REQUIREMENTS, None),
        ("asked.csv", lambda _: b'id,title,link,owner\nBQ-1,sails,https://t.test/1,Kari\n"BQ-2",lands,,\n', None),
        ("asked.toml", lambda _: b'[[requirement]]\nid = "BQ-1"\ntitle = "sails"\n', None),
        (
            "asked.feature",
            lambda _: b"Feature: Quay\n  @BQ-1\n  Scenario: It sails\n    Given a boat\n    Then it sails\n",
            None,
        ),
        ("r.jsonld", lambda _: EARL_JSON, -1),
    ),
    *(
        ("old/d.json", lambda _: kept("d.json"), None),
        ("old/d.json.gz", lambda _: gzip.compress(kept("d.json")), None),
    ),
    *(("old/p.html", lambda _: kept("p.html"), None), ("kept.db", lambda _: kept("kept.db"), None)),
    ("shots/a.png", lambda _: PNG, None),
)


def findings(number: int, seed: int) -> Iterator[str]:
    """Yield what goes wrong for so many damaged inputs, each with what makes it again."""
    here = Path.cwd()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.chdir(folder)
        for made in ("d.json", "p.html", "kept.db"):  # before any settings are here
            kept(made)
        (folder / "shots").mkdir()
        (folder / "old").mkdir()
        os.chdir(folder)
        try:
            for at in range(number):
                rng = random.Random(f"{seed}-{at}")
                target, make, checks = rng.choice(CASES)
                data = mutated(make(rng), rng)
                for other, good in (("whole.xml", JUNIT), ("shots/a.png", PNG)):
                    (folder / other).write_bytes(good)
                (folder / "api.yaml").write_bytes(DOCUMENT)
                (folder / "mappings.toml").write_bytes(MAPPINGS)
                (folder / "plain-verdict.toml").unlink(missing_ok=True)
                (folder / target).write_bytes(data)
                yield from (f"seed {seed}-{at}, {target}: {what}" for what in wrong(target, checks))
                if target.startswith("old/") or target == "kept.db":
                    (folder / target).unlink(missing_ok=True)
                elif target not in ("plain-verdict.toml", "api.yaml", "mappings.toml", "shots/a.png"):
                    (folder / target).unlink()
        finally:
            os.chdir(here)


def wrong(target: str, checks: int | None) -> Iterator[str]:
    """Yield what is wrong with a run over one damaged input."""
    results = ["whole.xml"] if checks is None else [target]
    out, err = io.StringIO(), io.StringIO()
    began = time.monotonic()
    command = ["report", *results, "--json", "--detail", "--evidence", "shots", "--out", "page.html", "--overwrite"]
    command += ["--mapping", "mappings.toml"] if checks == 0 or target == "mappings.toml" else []
    command += ["--api-document", "api.yaml"] if target == "api.yaml" else []
    command += ["--requirements", target] if target.startswith("asked.") else []
    command += ["--previous", "old"] if target.startswith("old/") else []
    command += ["--history", "kept.db"] if target == "kept.db" else []
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main(command)
            drafted = main(["mapping", target]) if checks == 0 else 0
        except SystemExit as stop:
            code = drafted = stop.code
    if drafted not in (0, 2, 3):  # said here: inside, what is found would go to the text that is looked at
        yield f"no draft: {err.getvalue()[-300:]}"
    took_s = time.monotonic() - began
    if code not in (0, 2, 3) or (code == 2 and target not in ("plain-verdict.toml", "mappings.toml", "kept.db")):
        yield f"exit code {code}: {err.getvalue()[:300]}"
    if "Traceback" in err.getvalue() or "this is a bug" in err.getvalue():
        yield err.getvalue()[:300]
    if took_s > 20:
        yield f"took {took_s:.0f} s"
    if resource.getrusage(resource.RUSAGE_SELF).ru_maxrss > 1_500_000:
        yield "takes more than 1.5 GB"
    if code in (0, 3):
        yield from wrong_summary(out.getvalue().partition("\n}\n")[0] + "}", checks)
    if code == 0 and not html.fromstring(Path("page.html").read_text("utf-8")).cssselect(".verdict"):
        yield "a page without a verdict"


def wrong_summary(text: str, checks: int | None) -> Iterator[str]:
    """Yield what is wrong with the JSON: it does not parse, or is fit over a loss that nobody notes."""
    try:
        summary = json.loads(text)
    except ValueError as error:
        yield f"JSON that does not parse: {error}"
        return
    noted = any("status alone" not in note for file in summary["files"] for note in file["notes"])
    if checks and checks > 0 and summary["verdict"] == "fit" and summary["cases"] < checks and not noted:
        yield f"fit with {summary['cases']} of {checks} checks, and no note"


if __name__ == "__main__":
    total = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    found = 0
    for finding in findings(total, int(sys.argv[2]) if len(sys.argv) > 2 else 1):
        sys.stdout.write(f"{finding}\n")
        sys.stdout.flush()
        found += 1
    sys.stdout.write(f"{total} inputs, {found} findings\n")
    sys.exit(bool(found))
