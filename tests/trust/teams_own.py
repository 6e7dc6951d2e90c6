"""What a team says itself: mappings of its own formats, requirements, waivers, conditions, retries; and history."""

import json

from builders import FAIL, GOOD, case, check, record, step, suite

BAD = suite(case("sinks", FAIL), name="Desk")


def mapping(outcome='passed = ["ok"]\nfailed = ["bad"]', each="tests[*]", extra="", files="*.json"):
    """A mapping of JSON; ``outcome`` are its words."""
    place = f'each = "{each}"\n' if each else ""
    return f'[[mapping]]\nname = "night"\nfiles = ["{files}"]\n[mapping.check]\n{place}name = "n"\n{extra}[mapping.check.outcome]\nfrom = "o"\n{outcome}\n'


def tests(*outcomes, **more):
    return json.dumps({"tests": [{"n": f"t{at}", "o": outcome} for at, outcome in enumerate(outcomes)], **more})


def mapped(text, **own):
    return {"plain-verdict.toml": mapping(**own), "r.json": text}


def waiver(match, more=""):
    return {"plain-verdict.toml": f'[[waiver]]\nreason = "known"\nuntil = 2099-01-01\nmatch = {{ {match} }}\n{more}', "r.xml": suite(case("a"), case("sinks", FAIL))}  # fmt: skip


def asked(
    pattern="", files='["aside/asked.md"]', text="- BQ-1 lands\n", at_most=0, measure="requirements not met", **more
):
    table = f"[requirements]\nfiles = {files}\n" + (f"pattern = {json.dumps(pattern)}\n" if pattern else "")
    return {"plain-verdict.toml": f'{table}[[condition]]\nmeasure = "{measure}"\nat_most = {at_most}\n', "aside/asked.md": text, "g.xml": suite(case("BQ-1 lands")), **more}  # fmt: skip


def expectation(outcome):
    return {"what": "expectation", "in": "c", "subject": "status", "outcome": outcome}


BEGUN = {"what": "step", "id": "s", "in": "c", "name": "cast off"}
SLOW = "(a|aa)+$"

NOT_FIT = {
    # Mappings.
    **{f"mapped, a value {value!r}": mapped(tests("ok", value)) for value in ("bad", "BAD", " bad ", "odd", "", None, 7, False, ["ok", "bad"], "ok?")},
    "mapped, a check without an outcome": mapped('{"tests": [{"n": "a", "o": "ok"}, {"n": "b"}]}'),
    "mapped, an outcome twice in one object": mapped('{"tests": [{"n": "a", "o": "bad", "o": "ok"}]}'),
    "mapped, a second document behind": mapped(tests("ok") + tests("bad")),
    "mapped, truncated": mapped(tests("ok", "bad")[:-6]),
    "mapped, no item at the place": mapped('{"other": [{"n": "a", "o": "bad"}]}', each="tests[*]"),
    "mapped, an empty list": mapped('{"tests": []}'),
    "mapped, fewer than it announces": mapped(tests("ok", total=5), outcome='passed = ["ok"]\nfailed = ["bad"]\n[mapping.run]\nchecks = "$.total"'),
    **{
        f"mapped, announcing {announced!r}": mapped(tests("ok", total=announced), outcome='passed = ["ok"]\n[mapping.run]\nchecks = "$.total"')
        for announced in ("+2", "1,200", 2.0, "２", "9" * 20, 2)
    },
    **{
        f"mapped, all failed but 0, and it is {value!r}": mapped(tests(0, value), outcome='failed = "*"\npassed = { at_most = 0 }')
        for value in (1, "3 errors", "1,5", "", None, "0 of 3")
    },
    "mapped, passed up to 0 and not a number": mapped(tests(0, "NaN"), outcome="passed = { at_most = 0 }\nfailed = { above = 0 }"),
    "mapped, a pattern that takes too long": {
        "plain-verdict.toml": mapping(outcome='passed = ["ok"]', extra=f'tags = {{ from = "t", pattern = "{SLOW}" }}\n'),
        "r.json": json.dumps({"tests": [{"n": "a", "o": "ok", "t": "a" * 40 + "!"}]}),
    },
    "mapped, a check of a step that failed": {
        "plain-verdict.toml": mapping() + '[[mapping.check.step]]\neach = "s[*]"\nname = "n"\noutcome = { from = "o", passed = "ok", failed = "bad" }\n',
        "r.json": json.dumps({"tests": [{"n": "a", "o": "ok", "s": [{"n": "x", "o": "bad"}]}]}),
    },
    "mapped lines, one cut": {"plain-verdict.toml": mapping(each="", files="*.jsonl"), "r.jsonl": '{"n": "a", "o": "ok"}\n{"n": "b", "o": "b'},
    "mapped lines, a key twice": {"plain-verdict.toml": mapping(each="", files="*.jsonl"), "r.jsonl": '{"n": "a", "o": "bad", "o": "ok"}\n'},
    "mapped lines, half a pair": {"plain-verdict.toml": mapping(each="", files="*.jsonl"), "r.jsonl": '{"n": "a \\ud83d", "o": "bad"}\n'},
    "a table with a row too short": {"plain-verdict.toml": mapping(each="", files="*.csv"), "r.csv": "n,o\na,ok\nb\n"},
    "a table with an open quote": {"plain-verdict.toml": mapping(each="", files="*.csv"), "r.csv": 'n,o\na,ok\nb,"bad\n'},
    # Waivers that would cover everything are refused; others cover what they name.
    **{f"a waiver of {match}": waiver(match) for match in ('check = "sails"', 'message = "no harbour"', 'kind = "api"', 'check = "/^s.*x$/"', f'check = "/{SLOW}/"', 'suite = "Desk"', 'severity = "high"', 'type = "E"', 'status = "50"')},
    "a waiver of a server's errors by half a number": {
        "plain-verdict.toml": waiver('status = "50"')["plain-verdict.toml"],
        "r.verdict.jsonl": record(*check(outcome="failed", steps=[{"what": "exchange", "in": "c", "request": {"method": "GET", "url": "https://f.test/"}, "response": {"status": 503}}])),
    },
    # Requirements.
    "a file of requirements that is not there": asked(files='["aside/gone.md"]'),
    "one of two files of requirements is not there": asked(files='["aside/asked.md", "aside/gone.md"]'),
    "a file of requirements of no known form": asked(files='["aside/asked.md", "aside/more.odd"]', **{"aside/more.odd": "x"}),
    "a file of requirements that is empty": asked(text=""),
    "a table of requirements with a row too short": asked(files='["aside/asked.csv"]', **{"aside/asked.csv": 'id,title\nBQ-1,lands\n"BQ-2'}),
    "a requirement that nothing checks": asked(text="- BQ-1 lands\n- BQ-2 sails\n", measure="requirements not checked"),
    "a requirement whose check failed": asked(**{"r.xml": suite(case("BQ-1 lands at night", FAIL))}, pattern="BQ-\\d+"),
    "a pattern of requirements that takes too long": asked(pattern=SLOW, **{"r.xml": suite(case("a" * 40 + "!"))}),
    "a requirement met by what was skipped": asked(measure="requirements not checked", **{"g.xml": suite(case("BQ-1 lands", "<skipped/>"), case("x"))}),
    # Records: a step that never ended, expectations that nobody could tell.
    "a step that never ended": {"r.verdict.jsonl": record(*check(steps=[BEGUN]))},
    "a step in a step that never ended": {"r.verdict.jsonl": record(*check(steps=(*step("t", "c"), BEGUN | {"in": "t"})))},
    "an expectation that is undecided": {"r.verdict.jsonl": record(*check(steps=[expectation("undecided")]))},
    "an expectation that errored": {"r.verdict.jsonl": record(*check(steps=[expectation("errored")]))},
    "an undecided expectation of a step": {"r.verdict.jsonl": record(*check(steps=(BEGUN, expectation("undecided") | {"in": "s"}, {"what": "end", "id": "s", "outcome": "passed"})))},
    "an undecided expectation of a check that was skipped": {"r.verdict.jsonl": record(*check("d", "x"), *check(outcome="skipped", steps=[expectation("undecided")]))},
    "a step twice in a line": {"r.verdict.jsonl": record(*check("d", "x"), *check(steps=[json.dumps(BEGUN).replace('"in": "c"', '"in": "c", "in": "d"'), {"what": "end", "id": "s", "outcome": "passed"}]))},
    "an attempt past all numbers": {"r.verdict.jsonl": record(*check("d", "x"), *check(outcome="failed", attempt=10**30))},
    "half a pair in a line that failed": {"r.verdict.jsonl": record(*check(outcome="failed")).replace("sails", "\\ud83d sails")},
    # Retries.
    "a retry of another suite": {"a.xml": BAD, "retry/r.xml": suite(case("sinks"), name="Quay")},
    "a retry that could not be read": {"a.xml": BAD, "retry/r.xml": "<testsuite>"},
    "a retry that is undecided": {"a.xml": BAD, "retry/r.xml": suite(case("sinks", attributes='status="odd"'), name="Desk")},
    "a retry of one of two": {"a.xml": suite(case("sinks", FAIL), case("sails", FAIL), name="Desk"), "retry/r.xml": suite(case("sinks"), name="Desk")},
    # Conditions on what is not there.
    **{
        f"a condition on {measure} of nothing": {"g.xml": GOOD, "plain-verdict.toml": f'[[condition]]\nmeasure = "{measure}"\n{bound}\n'}
        for measure, bound in (("score", 'at_least = "80 %"'), ("p95", 'at_most = "1 s"'), ("requirements not met", "at_most = 0"), ("new findings", "at_most = 0"), ("error share", 'at_most = "1 %"'))
    },
    "at least two checks": {"g.xml": GOOD, "plain-verdict.toml": '[[condition]]\nmeasure = "checks"\nat_least = 2\n'},
    "an expected file that did not come": {"g.xml": GOOD, "plain-verdict.toml": '[input]\nexpect = ["south-*.xml"]\n'},
    "fewer files than expected": {"g.xml": GOOD, "plain-verdict.toml": "[input]\nexpect_files = 2\n"},
}  # fmt: skip

FIT = {
    "mapped, all well": mapped(tests("ok", "OK", " ok")),
    "mapped, a number that is 0": mapped(tests(0, "0", 0.0), outcome="passed = { at_most = 0 }\nfailed = { above = 0 }"),
    "mapped, as many as it announces": mapped(tests("ok", total=1), outcome='passed = ["ok"]\n[mapping.run]\nchecks = "$.total"'),
    "mapped, a pair in a name": mapped(tests("ok").replace("t0", "t0 \\ud83d\\udea2")),
    "mapped lines": {"plain-verdict.toml": mapping(each="", files="*.jsonl"), "r.jsonl": '{"n": "a", "o": "ok"}\n{"n": "b", "o": "ok"}\n'},
    "mapped, with a start and no end": mapped(tests("ok", at="2026-11-29T10:00:00Z"), outcome='passed = ["ok"]\n[mapping.run]\nstarted = "$.at"'),
    "a table": {"plain-verdict.toml": mapping(each="", files="*.csv"), "r.csv": "n,o\na,ok\nb,ok\n"},
    "a waiver of what it names": waiver('check = "sinks"'),
    "a waiver by a pattern": waiver('check = "s*s"'),
    "a waiver by an expression": waiver('message = "/no (boat|harbour)/"'),
    "a requirement that is met": asked(),
    "a requirement that is met, by a pattern": asked(pattern="(BQ-\\d+)"),
    "a pattern of several forms": asked(pattern="REQ-(\\d+)|BQ-1"),
    "an expression of a later syntax": asked(pattern="\\p{Lu}+-(?>\\d+)"),
    "steps and expectations that passed": {"r.verdict.jsonl": record(*check(steps=(*step("s", "c"), expectation("passed"))))},
    "a retry that passed": {"a.xml": BAD, "retry/r.xml": suite(case("sinks"), name="Desk")},
}  # fmt: skip
