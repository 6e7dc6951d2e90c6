"""JUnit XML, records, what they stand in, waivers and retries."""

import gzip
import json
import unicodedata
from itertools import pairwise

from builders import BAD, FAIL, GOOD, STAMP, case, check, record, step, suite, tarred, timed, zipped

e, acute = "\u00e9", "e\u0301"

# Names that look alike, or become alike when they are cleaned.
TWINS = {
    "colours": ("style[\x1b[31m]", "style[\x1b[32m]"),
    "spelled colours": ("style[#x1B[31m]", "style[#x1B[0m]"),
    "blanks": ("p[END IF]", "p[END   IF]"),
    "blank before a parameter": ("p [x]", "p[x]"),
    "blank at the end": ("sails ", "sails"),
    "no-break space": ("a\u00a0b", "a b"),
    "thin space": ("a\u2009b", "a b"),
    "zero width": ("sa\u200bils", "sails"),
    "direction mark": ("\u202esails", "sails"),
    "isolate": ("\u2066sails\u2069", "sails"),
    "letters' case": ("Sails", "sails"),
    "composed": (unicodedata.normalize("NFC", f"caf{acute}"), f"caf{acute}"),
    "wide": ("ｓails", "sails"),
    "other alphabet": ("s\u0430ils", "sails"),
    "long": ("x" * 600 + "1", "x" * 600 + "2"),
    "dots": ("sails.", "sails"),
    "tab": ("a\tb", "a b"),
    "line break": ("a\nb", "a b"),
    "control": ("a\x07b", "a\x08b"),
    "noncharacter": ("a\ufffeb", "a\uffffb"),
    "second bracket": ("p[a][b]", "p[a[b]"),
    "escaped twice": ("a&quot;b", 'a"b'),
    "empty parameter": ("p[]", "p"),
    "same": ("sails", "sails"),
}


def escaped(name):
    text = name.replace("&", "&amp;").replace('"', "&quot;").replace("<", "&lt;")
    return "".join(char if 32 <= ord(char) < 0xFFFE else f"&#{ord(char)};" for char in text)


NOT_FIT: dict[str, dict] = {}
for label, (one, other) in TWINS.items():
    failed, passed = case(escaped(one), FAIL), case(escaped(other))
    NOT_FIT |= {
        f"twins, {label}: one file": {"r.xml": suite(failed, passed)},
        f"twins, {label}: two files": {"a.xml": timed(f"{STAMP}Z", failed), "b.xml": timed(f"{STAMP}Z".replace("10", "15"), passed)},
        f"twins, {label}: suites": {"r.xml": f"<testsuites>{suite(case('sails', FAIL), name=escaped(one))}{suite(case(), name=escaped(other))}</testsuites>"},
        f"twins, {label}: record": {"r.verdict.jsonl": record(*check("1", one, "failed", at=1), *check("2", other, at=9))},
    }  # fmt: skip

NOT_FIT |= {
    # The same name again, without a word that it is a rerun.
    "one after the other in two files": {"py311.xml": timed("2026-11-22T10:00:00", case(inside=FAIL)), "py312.xml": timed("2026-11-22T10:05:00", case())},
    "two packages": {"a/junit.xml": timed(STAMP, case(inside=FAIL)), "b/junit.xml": timed("2026-11-22T03:00:00", case())},
    "a time without a zone beside one with it": {"a.xml": timed(STAMP, case(inside=FAIL)), "b.xml": timed("2026-11-22T09:00:00+02:00", case())},
    "written order against the stamps": {"r.xml": f"<testsuites>{timed('2026-11-22T09:00:00', case())}{timed(STAMP, case(inside=FAIL))}</testsuites>"},
    "two browsers in one file": {"r.xml": "<testsuites>" + "".join(suite(f'<properties><property name="browser" value="{b}"/></properties>', case(inside=f)) for b, f in (("firefox", FAIL), ("chromium", ""))) + "</testsuites>"},
    "two hosts in one file": {"r.xml": "<testsuites>" + "".join(suite(case(inside=f), attributes=f'hostname="{h}"') for h, f in (("north", FAIL), ("south", ""))) + "</testsuites>"},
    "two packages in one file": {"r.xml": "<testsuites>" + "".join(suite(case(inside=f), attributes=f'package="{p}"') for p, f in (("desk", FAIL), ("fares", ""))) + "</testsuites>"},
    "two places in one file": {"r.xml": suite(case(inside=FAIL, attributes='file="a.py" line="3"'), case(attributes='file="a.py" line="9"'))},
    "three of a name, the middle one failed": {"r.xml": suite(case(), case(inside=FAIL), case())},
    "an empty case, one that failed, and a pass": {"r.xml": suite(case(), case(inside=FAIL), case("x"), case())},
    "in a zip and next to it": {"a.zip": zipped(r=BAD), "b.xml": suite(case())},
    "a record and a later XML file": {"a.verdict.jsonl": record(*check(outcome="failed", at=1)), "b.xml": suite(case())},
    # What a suite announces and does not hold.
    **{
        f"announced: {attributes}": {"r.xml": suite(case("a"), case("b"), case("c"), attributes=attributes)}
        for attributes in ('failures="2"', 'errors="1"', 'tests="10"', 'tests="4" failures="1"', 'Failures="1"', 'tests=" 7 "', 'tests="3" failures="1" errors="0"')
    },
    "announced by the root": {"r.xml": f'<testsuites failures="1">{GOOD}</testsuites>'},
    "announced and empty": {"r.xml": '<testsuites tests="5" failures="1"/>', "g.xml": GOOD},
    "announced and empty inside": {"r.xml": f'<testsuites>{GOOD}<testsuite name="Desk" tests="2"/></testsuites>'},
    "a suite of a suite announces": {"r.xml": "<testsuites>" + suite(suite(case("x"), attributes='errors="1"')) + "</testsuites>"},
    # Failures where no runner should write them.
    **{
        f"spelled {tag}": {"r.xml": suite(case("lands"), case(inside=f'<{tag} message="m"/>'))}
        for tag in ("Failure", "FAILURE", "Error", "ERROR", "j:failure xmlns:j='urn:x'")
    },
    "a case spelled otherwise": {"r.xml": suite(case("lands"), '<testCase name="sails"><failure/></testCase>')},
    "all spelled in capitals": {"r.xml": "<TESTSUITES><TESTSUITE><TESTCASE name='a'/><TESTCASE name='b'><FAILURE/></TESTCASE></TESTSUITE></TESTSUITES>"},
    "one level deeper": {"r.xml": suite(case("lands"), case(inside=f"<result>{FAIL}</result>"))},
    "three levels deeper": {"r.xml": suite(case("lands"), case(inside=f"<a><b><c>{FAIL}</c></b></a>"))},
    "in output": {"r.xml": suite(case("lands"), case(inside=f"<system-out>{FAIL}</system-out>"))},
    "in a skip": {"r.xml": suite(case("lands"), case(inside=f"<skipped>{FAIL}</skipped>"))},
    "beside a skip": {"r.xml": suite(case("lands"), case(inside=f"<skipped/>{FAIL}"))},
    "of a suite": {"r.xml": suite(case("lands"), FAIL)},
    "of a suite, deeper": {"r.xml": suite(case("lands"), f"<result>{FAIL}</result>")},
    "in a case of a case": {"r.xml": suite(case("lands", case("inner", FAIL)))},
    **{
        f"by words: {attributes}": {"r.xml": suite(case("lands"), case(attributes=attributes))}
        for attributes in ('status="failed"', 'result="Error"', 'Status="FAIL"', 'status="passed" result="failed"', 'status="timed out"', 'status="purple"', 'status="not run" result="aborted"')
    },
    "failed by words, skipped by an element": {"r.xml": suite(case("lands"), case(inside="<skipped/>", attributes='status="failed"'))},
    "a skip that could not start": {"r.xml": suite(case("lands"), case(inside='<skipped message="Unable to find executable"/>'))},
    "rerun and still failed": {"r.xml": suite(case("lands"), case(inside='<rerunFailure message="m"/>'))},
    "failed, then skipped when it was tried again": {"r.xml": suite(case("lands"), case(inside='<flakyFailure message="m"/><skipped/>'))},
    # Records that say two things.
    "a failed step in a check that passed": {"r.verdict.jsonl": record(*check(steps=step("s", "c", "failed")))},
    "an errored step in a check that passed": {"r.verdict.jsonl": record(*check(steps=step("s", "c", "errored")))},
    "an undecided step in a check that passed": {"r.verdict.jsonl": record(*check(steps=step("s", "c", "undecided")))},
    "a failed step in a check that was skipped": {"r.verdict.jsonl": record(*check("d", "x"), *check(outcome="skipped", steps=step("s", "c", "failed")))},
    "a failed step in a step that passed": {"r.verdict.jsonl": record(*check(steps=(*step("s", "c"), *step("t", "s", "failed"))))},
    "a failed step fifty steps deep": {"r.verdict.jsonl": record(*check(steps=[line for n, (a, b) in enumerate(pairwise(["c", *map(str, range(50))])) for line in step(b, a, "failed" if n == 49 else "passed")]))},
    "a problem in a check that passed": {"r.verdict.jsonl": record(*check(problems=[{"message": "m"}]))},
    "a problem in a check that was skipped": {"r.verdict.jsonl": record(*check("d", "x"), *check(outcome="skipped", problems=[{"message": "m"}]))},
    "a problem in a step that passed": {"r.verdict.jsonl": record(*check(steps=step("s", "c", problems=[{"message": "m"}])))},
    "two ends, the second failed": {"r.verdict.jsonl": record(*check(), {"what": "end", "id": "c", "outcome": "failed"})},
    "two ends, the first failed": {"r.verdict.jsonl": record(*check(outcome="failed"), {"what": "end", "id": "c", "outcome": "passed"})},
    **{
        f"an outcome twice in an end, {how}": {"r.verdict.jsonl": record(*check()).replace('"outcome": "passed"', text)}
        for how, text in {
            "plainly": '"outcome": "failed", "outcome": "passed"', "a tab before its sign": '"outcome"\t: "failed", "outcome": "passed"',
            "blanks before its sign": '"outcome": "failed", "outcome"  : "passed"', "spelled with an escape": '"outc\\u006fme": "failed", "outcome": "passed"',
            "beside JSON in a text": '"outcome": "failed", "outcome": "passed", "reason": "it is \\"x\\": 1"', "beside a text that ends in a backslash": '"outcome": "failed", "outcome": "passed", "reason": "C:\\\\"',
        }.items()
    },
    "an id twice in an end": {"r.verdict.jsonl": record(*check()).replace('"end", "id": "c"', '"end", "id": "d", "id": "c"')},
    "no end": {"r.verdict.jsonl": record(check()[0])},
    "steps that name each other": {"r.verdict.jsonl": record(*check(steps=(*step("s", "t", "failed"), *step("t", "s"))))},
    "an id used again": {"r.verdict.jsonl": record(check()[0], *check("c", "other"))},
    "failed, then skipped, by numbers": {"r.verdict.jsonl": record(*check("1", outcome="failed", attempt=1), *check("2", outcome="skipped", attempt=2))},
    "failed, then undecided, by numbers": {"r.verdict.jsonl": record(*check("1", outcome="failed", attempt=1), *check("2", outcome="undecided", attempt=2))},
    "undecided, then skipped, by numbers": {"r.verdict.jsonl": record(*check("d", "x"), *check("1", outcome="undecided", attempt=1), *check("2", outcome="skipped", attempt=2))},
    "one number twice": {"r.verdict.jsonl": record(*check("1", outcome="failed", attempt=1), *check("2", attempt=1))},
    "one number, one without": {"r.verdict.jsonl": record(*check("1", outcome="failed"), *check("2", attempt=1))},
    "one number in two files": {"a.verdict.jsonl": record(*check(outcome="failed", attempt=1)), "b.verdict.jsonl": record(*check(attempt=1))},
    "numbers against the clock": {"r.verdict.jsonl": record(*check("1", outcome="failed", attempt=2, at=1), *check("2", attempt=1, at=9))},
}  # fmt: skip

# Every way in which a line can be lost, in a record whose check would have passed without it.
LINES = [json.dumps(line) for line in (*check(steps=step("s", "c", "failed")), *check("d", "lands"))]
for number, line in enumerate(LINES):
    others = [*LINES[:number], *LINES[number + 1 :]]
    damaged = {
        "cut": line[: len(line) // 2],
        "not JSON": "{" + line,
        "an array": "[1]",
        "a number": "7",
        "another kind": line.replace('"what": "', '"what": "un'),
        "no kind": line.replace('"what"', '"that"'),
        "another id": line.replace('"id": "', '"id": "z'),
        "no id": line.replace('"id"', '"no"'),
    }
    for how, text in damaged.items():
        NOT_FIT[f"line {number + 1} is {how}"] = {
            "r.verdict.jsonl": record(*others[:number], text, *others[number:])
        }
END = '{"what": "end", "id": "c", %s}'
NOT_FIT |= {
    f"an end with {end}": {"r.verdict.jsonl": record(*check("d", "lands"), check()[0], END % end)}
    for end in (
        '"outcome": "fine"',
        '"outcome": null',
        '"outcome": 1',
        '"outcom": "passed"',
        '"outcome": "failed", "outcome": "passed"',
        '"outcome": "passed", "problems": [{"message": "m"}], "problems": []',
        '"outcome": "passed", "problems": [{"outcome": "failed", "outcome": "passed"}]',
        '"outcome": "passed", "problems": "m"',
        '"outcome": "passed", "took_s": "soon"',
        '"outcome": "PASSED"',
        '"outcome": "passed"}{"what": "end"',
    )
}

NOT_FIT |= {
    # Inputs that are not what they seem.
    "a second gzip member": {"r.xml.gz": gzip.compress(GOOD.encode()) + gzip.compress(BAD.encode())},
    "a second gzip member, cut": {"r.xml.gz": gzip.compress(GOOD.encode()) + gzip.compress(BAD.encode())[:-12]},
    "words after gzip": {"r.xml.gz": gzip.compress(GOOD.encode()) + b"words"},
    "a tar cut in a member": {"r.tar": tarred(("a.xml", GOOD), ("b.xml", BAD))[:1600], "g.xml": GOOD},
    "a tar cut in a header": {"r.tar": tarred(("a.xml", GOOD), ("b.xml", BAD))[:1200]},
    "a tar cut between members": {"r.tar": tarred(("a.xml", GOOD), ("b.xml", BAD))[:1024]},
    "two tars in one": {"r.tar": tarred(("a.xml", GOOD)) + tarred(("b.xml", BAD))},
    "two documents": {"r.xml": GOOD + BAD},
    "two documents in a folder": {"in/r.xml": GOOD + "\n" + BAD, "in/g.xml": GOOD},
    "words before the XML in a folder": {"in/r.xml": "Running...\n" + BAD, "in/g.xml": GOOD},
    "an empty XML file in a folder": {"in/r.xml": "", "in/g.xml": GOOD},
    "a blank file in a folder": {"in/r.xml": "\n \n", "in/g.xml": GOOD},
    "an empty record in a folder": {"in/r.verdict.jsonl": "", "in/g.xml": GOOD},
    "an empty archive in a folder": {"in/r.zip": zipped(), "in/g.xml": GOOD},
    "a record of a header alone": {"in/r.verdict.jsonl": record(), "in/g.xml": GOOD},
    "a root without anything": {"in/r.xml": "<testsuites/>", "in/g.xml": GOOD},
    "a DOCTYPE in a folder": {"in/r.xml": "<!DOCTYPE testsuite>" + BAD, "in/g.xml": GOOD},
    "a folder without any result": {"in/g.xml": GOOD, "other/notes.txt": "words"},
    "an empty folder": {"in/g.xml": GOOD, "other/": ""},
    "a date in the future": {"r.xml": timed("2199-01-01T00:00:00Z", case("lands"))},
    "a linked folder": {"in/g.xml": GOOD, "elsewhere/r.xml": BAD, "in/more": "-> elsewhere"},
    "a link to nothing": {"in/g.xml": GOOD, "in/r.xml": "-> gone.xml"},
    "UTF-16 without results": {"in/g.xml": GOOD, "in/r.xml": "<testsuites>".encode("utf-16")},
    "cut inside an attribute": {"r.xml": suite(case("a"), case("b"))[:-40]},
    "cut before the end of the root": {"r.xml": suite(case("a"))[:-12]},
    "a tag that does not match": {"r.xml": suite(case("a"), "<testcase name='b'></wrong></testcase>")},
}  # fmt: skip

WAIVED = '[[waiver]]\nreason = "known"\nuntil = 2099-01-01\nmatch = { message = "no boat" }\n'
NOT_FIT |= {
    "a waiver that knows one of two problems": {"plain-verdict.toml": WAIVED, "r.xml": suite(case("a", FAIL + '<failure message="no harbour"/>'), case("b"))},
    "a waiver that knows one of two steps": {"plain-verdict.toml": WAIVED, "r.verdict.jsonl": record(*check(outcome="failed", steps=(*step("s", "c", "failed", problems=[{"message": "no boat"}]), *step("t", "c", "failed", problems=[{"message": "no harbour"}]))))},
    "a waiver, and a failure without a message": {"plain-verdict.toml": WAIVED, "r.xml": suite(case("a", "<failure/>"), case("b"))},
    "a waiver that ended": {"plain-verdict.toml": WAIVED.replace("2099", "2020"), "r.xml": BAD},
    "a waiver for at most one": {"plain-verdict.toml": WAIVED + "most = 1\n", "r.xml": suite(case("a", FAIL), case("b", FAIL))},
    "a retry that fits two": {"a.xml": BAD, "b.xml": suite(case("sails", FAIL), case("lands")), "retry/r.xml": suite(case())},
    "two retries of one, in one go": {"a.xml": BAD, "retry/r1.xml": suite(case()), "retry/r2.xml": suite(case(inside=FAIL))},
    "a retry that was skipped": {"a.xml": suite(case("lands"), case(inside=FAIL)), "retry/r.xml": suite(case(inside="<skipped/>"))},
    "a retry of a twin": {"a.xml": suite(case("p[END IF]", FAIL)), "retry/r.xml": suite(case("p[END   IF]"))},
    "a retry that failed, of a check that needed two attempts before": {
        "a.verdict.jsonl": record(*check("c", outcome="failed", attempt=1), *check("d", attempt=2)),
        "retry/r.verdict.jsonl": record(*check(outcome="failed", attempt=1)),
    },
    "a retry that failed": {"a.xml": suite(case()), "retry/r.xml": suite(case(inside=FAIL))},
}  # fmt: skip

FIT: dict[str, dict] = {
    "one pass": {"r.xml": GOOD},
    "a pass and a skip": {"r.xml": suite(case("a"), case("b", "<skipped/>"))},
    "one name twice, both passed": {"r.xml": suite(case(), case())},
    "one name in two files, both passed": {"a.xml": suite(case()), "b.xml": suite(case("sails", "<system-out>x</system-out>"))},
    "the format says rerun": {"r.xml": suite(case(inside='<flakyFailure message="m"/>'))},
    "the format says two reruns": {"r.xml": suite(case(inside='<flakyError message="m"/><flakyFailure message="m"/>'))},
    "attempts by number": {"r.verdict.jsonl": record(*check("1", outcome="failed", attempt=1), *check("2", attempt=2))},
    "attempts by number, written in another order": {"r.verdict.jsonl": record(*check("2", attempt=2), *check("1", outcome="errored", attempt=1))},
    "attempts by number in two files": {"a.verdict.jsonl": record(*check(outcome="failed", attempt=1)), "b.verdict.jsonl": record(*check(attempt=2))},
    "the user says retry": {"a.xml": suite(case(inside=FAIL), case("lands")), "retry/r.xml": suite(case())},
    "the user says retry, of a check whose attempts have numbers": {
        "a.verdict.jsonl": record(*check("c", outcome="failed", attempt=1), *check("d", outcome="failed", attempt=2)),
        "retry/r.verdict.jsonl": record(*check(attempt=1)),
    },
    "the user says retry, of a record": {"a.verdict.jsonl": record(*check(outcome="failed")), "retry/r.verdict.jsonl": record(*check())},
    "the counts fit": {"r.xml": '<testsuites tests="2" failures="0">' + suite(case("a"), case("b"), attributes='tests="2"') + "</testsuites>"},
    "parts of cases counted, and none failed": {"r.xml": suite(case("a"), attributes='tests="11" failures="0" errors="0" skipped="0"')},
    "fewer announced than held": {"r.xml": suite(case("a"), case("b"), attributes='tests="1"')},
    "suites counted as cases": {"r.xml": suite(case("a"), suite(case("b")), attributes='tests="2"')},
    "skips announced otherwise": {"r.xml": suite(case("a"), attributes='tests="1" skipped="3"')},
    "reruns counted": {"r.xml": suite(case(), case(), case(), attributes='tests="1"')},
    "a shard with nothing to run": {"a.xml": GOOD, "b.xml": '<testsuites tests="0"><testsuite name="Desk" tests="0"/></testsuites>'},
    "words known as passed": {"r.xml": suite(case(attributes='status="run" result="completed"'))},
    "outputs with the word failure": {"r.xml": suite(case(inside="<system-out>failure, error, FAILED</system-out>"))},
    "properties named failure": {"r.xml": suite(case(inside='<properties><property name="failure" value="none"/></properties>'))},
    "steps that passed": {"r.verdict.jsonl": record(*check(steps=(*step("s", "c"), *step("t", "s"))))},
    "a skipped step": {"r.verdict.jsonl": record(*check(steps=step("s", "c", "skipped")))},
    "a key that is not known": {"r.verdict.jsonl": record(*check(mood="good"))},
    "keys alike in texts": {"r.verdict.jsonl": record(*check(description='"outcome": "x", "outcome": "y"'))},
    "keys alike in parts": {"r.verdict.jsonl": record(*check(parameters={"name": "x", "id": "y"}))},
    "no line break at the end": {"r.verdict.jsonl": record(*check())[:-1]},
    "a mark at the beginning": {"r.verdict.jsonl": "\ufeff" + record(*check())},
    "blank lines": {"r.verdict.jsonl": record("", *check(), "  ")},
    "the end before the check": {"r.verdict.jsonl": record(*reversed(check()))},
    "two gzip members of one document": {"r.xml.gz": gzip.compress(GOOD[:20].encode()) + gzip.compress(GOOD[20:].encode())},
    "a whole tar": {"r.tar": tarred(("a.xml", GOOD), ("b.xml", GOOD))},
    "other files in a folder": {"in/g.xml": GOOD, "in/notes.txt": "words", "in/pom.xml": "<project/>"},
    "a link inside": {"in/a/g.xml": GOOD, "in/latest": "-> in/a"},
    "the same bytes twice": {"a.xml": GOOD, "b.xml": GOOD},
    "a time without a zone beside one with it": {"a.xml": timed(STAMP, case("a")), "b.xml": timed(f"{STAMP}Z", case("b"))},
    "a waiver that knows all": {"plain-verdict.toml": WAIVED, "r.xml": suite(case("a", FAIL + '<failure message="no boat again"/>'), case("b"))},
    "escapes and wrong bytes": {"r.xml": b"<testsuite><testcase name='\x07\xe9 &#27;'/></testsuite>"},
}  # fmt: skip
