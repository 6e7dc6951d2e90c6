"""Rules: SARIF, XCCDF and EARL by the tables of their standards, severities, exceptions, conditions, and the page."""

import gzip
import json
import re
from collections import Counter
from xml.sax.saxutils import escape

import pytest
import rdflib
from selenium.webdriver.common.by import By

from conftest import EXAMPLES

DRIVER = {
    "name": "QuayLint",
    "rules": [
        {"id": "Q1", "name": "no-eval", "shortDescription": {"text": "Text is never run"}, "defaultConfiguration": {"level": "error"},
         "messageStrings": {"default": {"text": "“{0}” runs {{text}} at {1}"}}},
        {"id": "Q2", "shortDescription": {"text": "Names say what they are"}, "defaultConfiguration": {"level": "note"}},
        {"id": "Q3", "properties": {"security-severity": "9.8"}},
        {"id": "Q4", "properties": {"security-severity": "NaN"}},
        {"id": "Q5", "properties": {"security-severity": "-1"}},
    ],
}  # fmt: skip
PLACE = {
    "physicalLocation": {
        "artifactLocation": {"uri": "src/tick%20et.js"},
        "region": {"startLine": 12, "startColumn": 3, "snippet": {"text": "run(text)"}},
    }
}


def log(*results, driver=DRIVER, **run):
    return json.dumps(
        {
            "version": "2.1.0",
            "runs": [{"tool": {"driver": driver, **run.pop("tool", {})}, "results": list(results), **run}],
        }
    )


def result(rule="Q1", **own):
    return {"ruleId": rule, "message": {"text": "wrong"}, **own}


# Results of one run, parts of the run, and each rule with its outcome, severity and whether it counts. Sections of SARIF 2.1.0.
SARIF = {
    "no kind is a failure, 3.27.9": ([result()], {}, ["Q1: no-eval failed high"]),
    "kinds, 3.27.9": (
        [result("a", kind="pass"), result("b", kind="open"), result("c", kind="review"), result("d", kind="notApplicable"), result("e", kind="informational")],
        {},
        ["a passed medium", "b undecided medium", "c undecided medium", "d skipped medium", "e skipped medium"],
    ),
    "a kind that is none": ([result("a", kind="odd")], {}, ["a undecided medium"]),
    "the result's level goes first, 3.27.10": ([result(level="note")], {}, ["Q1: no-eval failed low apart"]),
    "an override of the invocation, 3.51": (
        [result()], {"invocations": [{"executionSuccessful": True, "ruleConfigurationOverrides": [{"descriptor": {"id": "Q1"}, "configuration": {"level": "none"}}]}]},
        ["Q1: no-eval failed none apart"],
    ),
    "no rule says its level": ([result("Q9")], {}, ["Q9 failed medium"]),
    "a score, by its bands": ([result("Q3", level="note")], {}, ["Q3 failed critical"]),
    "a score that is none": ([result("Q4", level="error"), result("Q5")], {}, ["Q4 failed high", "Q5 failed medium"]),
    "by index alone, 3.27.6": ([{"ruleIndex": 1, "message": {"text": "x"}}], {}, ["Q2: Names say what they are failed low apart"]),
    "by the first parts of the id, 3.27.5": ([result("Q1/deep/er")], {}, ["Q1/deep/er: no-eval failed high"]),
    "by an extension, 3.54": (
        [{"rule": {"index": 0, "toolComponent": {"index": 0}}, "message": {"text": "x"}}], {"tool": {"extensions": [{"name": "more", "rules": [{"id": "M1"}]}]}},
        ["M1 failed medium"],
    ),
    "an index out of range": ([result(ruleIndex=40)], {}, ["Q1: no-eval failed high"]),
    "no rule at all": ([{"message": {"text": "x"}}], {}, ["Findings without a rule failed medium"]),
    "all suppressed, 3.27.23": ([result(suppressions=[{"kind": "external", "justification": "only in tests"}])], {}, ["Q1: no-eval failed high apart"]),
    "suppressed and not, 3.27.23": ([result(suppressions=[{"kind": "inSource"}]), result()], {}, ["Q1: no-eval failed high"]),
    "all suppressed, and one open": ([result(suppressions=[{"kind": "external"}]), result(kind="open")], {}, ["Q1: no-eval undecided high"]),
    "one counts, and one open": ([result(), result(kind="open")], {}, ["Q1: no-eval failed high"]),
    "under review, 3.35.3": ([result(suppressions=[{"kind": "external", "status": "underReview"}])], {}, ["Q1: no-eval failed high"]),
    "rejected beside accepted, 3.35.3": ([result(suppressions=[{"kind": "external"}, {"kind": "external", "status": "rejected"}])], {}, ["Q1: no-eval failed high"]),
    "absent from the baseline, 3.27.24": ([result(baselineState="absent")], {}, ["No findings passed none"]),
    "nothing found": ([], {}, ["No findings passed none"]),
}  # fmt: skip


def rules_of(summary, detail="checks"):
    aside = {check["name"] for check in summary[detail] if check["waived"]}
    return [
        f"{check['name']} {check['outcome']} {check['severity']}{' apart' if check['name'] in aside else ''}"
        for check in summary[detail]
    ]


@pytest.mark.parametrize(("results", "run", "rules"), SARIF.values(), ids=SARIF)
def test_results_of_scans_mean_what_their_standard_says(tool, tmp_path, results, run, rules):
    (tmp_path / "scan.sarif").write_text(log(*results, **run))
    summary = json.loads(tool("judge", "scan.sarif", "--json", "--detail").out)
    assert rules_of(summary) == rules
    broken = any(" failed " in rule and not rule.endswith("apart") for rule in rules)
    undecided = any(" undecided " in rule for rule in rules)
    ran = any(" skipped " not in rule for rule in rules)
    assert summary["verdict"] == ("not fit" if broken else "undecided" if undecided or not ran else "fit")


def test_what_is_null_in_a_log_is_as_good_as_not_there(tool, tmp_path):
    nothing = dict.fromkeys(("taxa", "relatedLocations", "graphs", "fixes", "suppressions", "codeFlows", "level"))
    (tmp_path / "scan.sarif").write_text(log(result(**nothing), taxonomies=None, invocations=None))
    done = tool("judge", "scan.sarif", "--json", "--detail")
    assert rules_of(json.loads(done.out)) == ["Q1: no-eval failed high"], done.err


WRONG = {
    "an older version": (log().replace("2.1.0", "2.0.0"), "is SARIF 2.0.0, and 2.1.0 is read", None),
    "truncated": (log(result())[:-30], "is not a readable SARIF log", None),
    "a level that is not text": (log(result(level=4)), "is not a readable SARIF log", None),
    "no results": (json.dumps({"version": "2.1.0", "runs": [{"tool": {"driver": {"name": "QuayLint"}}}]}), "the scan did not run", "undecided"),
    "a scan that failed": (
        log(invocations=[{"executionSuccessful": False, "toolExecutionNotifications": [{"level": "error", "message": {"text": "out of memory"}}]}]),
        "did not finish: out of memory", "undecided",
    ),
    "results in another file": (log(externalPropertyFileReferences={"results": [{"location": {"uri": "more.sarif"}}]}), "1 other file with results of QuayLint, which is not read", "undecided"),
    "no run": ('{"version": "2.1.0", "runs": []}', "holds no run of a tool", "undecided"),
}  # fmt: skip


@pytest.mark.parametrize(("text", "what", "verdict"), WRONG.values(), ids=WRONG)
def test_a_scan_that_did_not_happen_is_never_fit(tool, tmp_path, text, what, verdict):
    (tmp_path / "scan.sarif").write_text(text)
    (tmp_path / "whole.sarif").write_text(log())
    done = tool("judge", "scan.sarif", "whole.sarif", "--json")
    summary = json.loads(done.out)
    assert what in done.err
    assert "Traceback" not in done.err
    assert summary["verdict"] == (verdict or "undecided")


def test_words_and_places_of_a_scan(tool, tmp_path):
    flow = [{"threadFlows": [{"locations": [{"location": {"message": {"text": "from the user"}, **PLACE}}]}]}]
    base = {"physicalLocation": {"artifactLocation": {"uri": "a.js", "uriBaseId": "SRC"}}}
    results = [
        {"ruleIndex": 0, "message": {"id": "default", "arguments": ["go()", "noon"]}, "locations": [PLACE], "codeFlows": flow, "fixes": [{"description": {"text": "Call it by name"}}]},
        result(locations=[base], message={"text": "see [the map](0)"}),
        result(locations=[{"logicalLocations": [{"fullyQualifiedName": "Fares.total"}]}]),
        result(locations=[{"physicalLocation": {"artifactLocation": {"index": 0}}}]),
        # 3.11.5: an argument that is missing stays a place; 3.11.7: ids of the rule, then of its component.
        result(message={"id": "default", "arguments": ["only one"]}),
        result(message={"id": "whole", "arguments": [4]}, relatedLocations=[{"message": {"id": "whole", "arguments": ["9"]}, **PLACE}]),
        result(message={"id": "gone"}),
        result(message={"text": "a { brace and {0} stay"}),
        result(suppressions=[{"kind": "inSource", "status": "underReview", "justification": "asked Kari", "location": PLACE}]),
        result(suppressions=[{"kind": "external", "status": "rejected"}], graphTraversals=[{}]),
        # 3.27.8: taxa of results, by index, by name, and of a taxonomy that is not there.
        result(taxa=[{"index": 0, "toolComponent": {"index": 0}}, {"id": "CWE-20", "toolComponent": {"name": "CWE"}}, {"id": "A1", "toolComponent": {"name": "Ten"}}]),
    ]  # fmt: skip
    taxonomies = [
        {
            "name": "CWE",
            "taxa": [{"id": "CWE-95", "name": "Eval Injection", "helpUri": "https://weakness.example/95"}],
        }
    ]
    driver = {**DRIVER, "globalMessageStrings": {"whole": {"text": "all {0} of {{them}}"}}}
    bases = {"SRC": {"uri": "src/", "uriBaseId": "ROOT"}, "ROOT": {"uri": "file:///home/kari/"}}
    (tmp_path / "scan.sarif").write_text(
        log(
            *results,
            driver=driver,
            originalUriBaseIds=bases,
            artifacts=[{"location": {"uri": "b.js"}}],
            taxonomies=taxonomies,
            graphs=[{}],
        )
    )
    tool("report", "scan.sarif", "--out", "v.html")
    text = (tmp_path / "v.html").read_text()
    for words in (
        "“go()” runs {text} at noon",
        "src/tick et.js:12:3",
        "run(text)",
        "1. src/tick et.js:12:3 from the user",
        "Fix: Call it by name",
        "src/a.js",
        "see the map",
        "“only one” runs {text} at {1}",
        "all 4 of {them}",
        "see src/tick et.js:12:3 all 9 of {them}",
        "a { brace and {0} stay",
        "suppressed in the source at src/tick et.js:12:3 (under review): asked Kari",
        "suppressed outside the source (rejected)",
        "CWE-95: Eval Injection and CWE-20",
        "https://weakness.example/95",
        "has 1 message with fewer arguments than places",
        "has 1 message whose id no rule explains",
        "has 2 graphs, not shown",
        "Fares.total",
        "b.js",
    ):
        assert escape(words).replace('"', "&#34;") in text or words in text, words
    assert "kari" not in text


XCCDF = """<Benchmark xmlns="http://checklists.nist.gov/xccdf/{version}" id="xccdf_test_benchmark_quay"><title>Server of the quay</title>
<Group id="g">{rules}</Group>{results}</Benchmark>"""
RESULTS = '<TestResult id="r" start-time="2026-11-22T03:00:00Z" end-time="2026-11-22T03:02:00Z"><target>{host}</target>{results}<score system="urn:xccdf:scoring:default" maximum="100">81.5</score></TestResult>'
# NIST IR 7275r4, table 26, with severities and roles.
TABLE = {
    "pass": "passed", "fixed": "passed", "fail": "failed", "error": "errored", "unknown": "undecided", "notchecked": "undecided",
    "notapplicable": "skipped", "notselected": "skipped", "informational": "skipped", "rumour": "undecided",
}  # fmt: skip


def xccdf(results, rules="", host="desk.test", version="1.2"):
    return XCCDF.format(version=version, rules=rules, results=RESULTS.format(host=host, results=results))


def rule_result(rule, result, inside="", **attributes):
    own = "".join(f' {name}="{value}"' for name, value in attributes.items())
    return f'<rule-result idref="{rule}"{own}><result>{result}</result>{inside}</rule-result>'


@pytest.mark.parametrize("version", ["1.1", "1.2"])
def test_results_of_rules_mean_what_their_standard_says(tool, tmp_path, version):
    several = "".join(rule_result(f"xccdf_q_rule_is_{word}", word) for word in TABLE)
    (tmp_path / "x.xml").write_text(xccdf(several, version=version))
    (tmp_path / "x.xml.gz").write_bytes(gzip.compress(xccdf(several, version=version, host="fares.test").encode()))
    done = tool("judge", "x.xml", "x.xml.gz", "--json", "--detail")
    summary = json.loads(done.out)
    found = {(check["name"].removeprefix("Is "), check["file"]): check["outcome"] for check in summary["checks"]}
    assert found == {(word, file): outcome for word, outcome in TABLE.items() for file in ("x.xml", "x.xml.gz")}
    assert "“rumour”, which the standard does not know" in done.err
    assert summary["rules"]["passed"] == 4
    assert summary["verdict"] == "not fit"


RULE = """<Rule id="R1" severity="{severity}"><title>Nobody signs in as root</title><description>Only <b>named</b> people sign in.</description>
<rationale>Else nobody knows who it was.</rationale><reference href="https://rules.example/7">Rule 7</reference><fixtext>Set PermitRootLogin to no.</fixtext></Rule>"""
OVERRIDE = '<override time="2026-11-01T08:00:00Z" authority="Kari Nord"><old-result>fail</old-result><new-result>pass</new-result><remark>The quay has no network</remark></override>'
# The rule's severity, its result, and: how it ended, its severity, whether it counts.
GRADES = {
    "high": ("high", rule_result("R1", "fail"), "failed high"),
    "low": ("low", rule_result("R1", "fail"), "failed low apart"),
    "unknown counts as medium": ("unknown", rule_result("R1", "fail"), "failed medium"),
    "the result's own severity": ("low", rule_result("R1", "fail", severity="high"), "failed high"),
    "unscored": ("high", rule_result("R1", "fail", role="unscored"), "skipped high"),
    "allowed, then named anew": ("high", rule_result("R1", "informational", OVERRIDE + OVERRIDE.replace(">pass<", ">informational<").replace(">fail<", ">pass<")), "failed high apart"),
    "allowed by somebody": ("high", rule_result("R1", "pass", OVERRIDE), "failed high apart"),
    "made worse by somebody": ("high", rule_result("R1", "fail", OVERRIDE.replace(">fail<", ">x<").replace(">pass<", ">fail<").replace(">x<", ">pass<")), "failed high"),
}  # fmt: skip


@pytest.mark.parametrize(("severity", "results", "told"), GRADES.values(), ids=GRADES)
def test_severities_roles_and_overrides_of_rules(tool, tmp_path, severity, results, told):
    (tmp_path / "x.xml").write_text(xccdf(results, RULE.format(severity=severity)))
    summary = json.loads(tool("judge", "x.xml", "--json", "--detail").out)
    assert rules_of(summary) == [f"Nobody signs in as root {told}"]
    assert summary["verdict"] == (
        "not fit"
        if told.startswith("failed") and "apart" not in told
        else "undecided"
        if "skipped" in told
        else "fit"
    )


def test_results_before_the_place_of_a_cut_count(tool, tmp_path):
    results = "".join(rule_result(f"xccdf_q_rule_r{at}", "fail" if at == 1 else "pass") for at in range(20))
    text = xccdf(results, RULE.format(severity="high"))
    whole, cut = tmp_path / "x.xml", tmp_path / "cut.xml"
    whole.write_text(text)
    cut.write_text(text[: text.index("xccdf_q_rule_r9")])
    ids = {}
    for path in (whole, cut):
        summary = json.loads(tool("judge", path.name, "--json", "--detail").out)
        assert summary["verdict"] == "not fit"
        assert sum(check["outcome"] == "failed" for check in summary["checks"]) == 1
        ids[path] = [check["id"] for check in summary["checks"]]
    assert ids[cut] == ids[whole][:9]
    assert any("truncated" in note for note in summary["files"][0]["notes"])


def test_rules_of_several_hosts_stand_on_the_page(tool, tmp_path, browser):
    arf = '<arf:asset-report-collection xmlns:arf="http://scap.nist.gov/schema/asset-reporting-format/1.1"><arf:reports>{}</arf:reports></arf:asset-report-collection>'
    ident = '<ident system="https://nvd.nist.gov/cce">CCE-1234-5</ident><message severity="error">root may sign in</message>'
    hosts = [
        xccdf(rule_result("R1", "fail", ident), RULE.format(severity="high"), host)
        for host in ("desk.test", "fares.test")
    ]
    (tmp_path / "arf.xml").write_text(arf.format("".join(f"<arf:report>{one}</arf:report>" for one in hosts)))
    (tmp_path / "scan.sarif").write_text(
        log(
            result("Q2", suppressions=[{"kind": "inSource", "justification": "old names"}]),
            result("a", kind="pass"),
        )
    )
    (tmp_path / "plain-verdict.toml").write_text(
        '[[condition]]\nmeasure = "failed rules"\nat_most = 1\nscope = { severity = "high or above" }\n[[condition]]\nmeasure = "findings"\nat_most = 5\n'
    )
    summary = json.loads(tool("report", "arf.xml", "scan.sarif", "--json", "--out", "v.html").out)
    assert summary["rules"] == {
        "passed": 1, "failed": 3, "errored": 0, "undecided": 0, "not_applicable": 0, "suppressed": 1, "findings": 2, "failed_by_severity": {"high": 2},
    }  # fmt: skip
    browser.get((tmp_path / "v.html").as_uri())
    text = browser.find_element(By.TAG_NAME, "main").text
    for words in (
        "1 of 4 rules passed, 3 failed; 1 of those failed is not counted",
        "2 of high severity",
        "desk.test",
        "fares.test",
        "Suppressed by its file: old names",
        "suppressed without end date",
        "failed rules of high or above severity: at most 1",
    ):
        assert words.lower() in text.lower(), words
    whole = browser.execute_script("return document.querySelector('main').textContent")
    for words in (
        "Only named people sign in.",
        "Else nobody knows who it was.",
        "Set PermitRootLogin to no.",
        "CCE-1234-5",
        "root may sign in",
        "Rule 7",
    ):
        assert words in whole, words


BREAKS = {"low": "not fit", "high": "not fit", "critical": "fit"}


@pytest.mark.parametrize(("least", "verdict"), BREAKS.items(), ids=BREAKS)
def test_the_least_severity_that_breaks_a_verdict_is_settable(tool, tmp_path, least, verdict):
    (tmp_path / "scan.sarif").write_text(log(result("Q1"), result("Q2")))
    (tmp_path / "plain-verdict.toml").write_text(f'[compliance]\nbreaks_from = "{least}"\n')
    summary = json.loads(tool("judge", "scan.sarif", "--json").out)
    assert summary["verdict"] == verdict
    assert summary["rules"]["suppressed"] == {"low": 0, "high": 1, "critical": 2}[least]
    (tmp_path / "plain-verdict.toml").write_text(
        '[[condition]]\nmeasure = "findings"\nat_most = 1\nscope = { severity = "dire" }\n'
    )
    assert "'dire' is not a severity" in tool("judge", "scan.sarif").err


EARL = """@prefix earl: <http://www.w3.org/ns/earl#> . @prefix dct: <http://purl.org/dc/terms/> . @prefix ptr: <http://www.w3.org/2009/pointers#> .
{assertions}
<#kari> a earl:Assertor ; dct:title "Kari Nord" .
<https://www.w3.org/TR/WCAG21/#c-0> dct:title "Bilder har tekst"@no, "Pictures have words"@en ; dct:isPartOf <#wcag> . <#wcag> dct:title "WCAG 2.1" .
"""
# EARL 1.0 Schema, 2.7: outcomes as resources, and as instances of classes.
EARL_TABLE = {
    "earl:passed": "passed", "earl:failed": "failed", "earl:cantTell": "undecided", "earl:inapplicable": "skipped", "earl:untested": "undecided",
    "[ a earl:Pass ]": "passed", "[ a earl:Fail ]": "failed", "[ a earl:CannotTell ]": "undecided", "[ a earl:NotApplicable ]": "skipped", "[ a earl:NotTested ]": "undecided",
    '"earl:failed"': "failed", "earl:great": "undecided",
}  # fmt: skip
ASSERTION = """<#a{at}> a earl:Assertion ; earl:assertedBy <#kari> ; earl:mode earl:manual ; earl:subject <https://desk.test/> ; earl:test <https://www.w3.org/TR/WCAG21/#c-{at}> ;
  earl:result [ a earl:TestResult ; earl:outcome {outcome} ; earl:info "because {at}" ; earl:pointer [ ptr:expression "#map-{at}" ] ] ."""


# What one node asserts, more than it should or without its type: its parts, and the outcomes that are worst.
SAID = {
    "two results": ("a earl:Assertion ; earl:test <#t> ; earl:result [ earl:outcome earl:passed ] , [ earl:outcome earl:failed ]", {"failed"}),
    "two outcomes": ("a earl:Assertion ; earl:test <#t> ; earl:result [ earl:outcome earl:failed , earl:passed ]", {"failed"}),
    "two subjects": ("a earl:Assertion ; earl:test <#t> ; earl:subject <#a> , <#b> ; earl:result [ earl:outcome earl:failed ]", {"failed"}),
    "no type": ("earl:test <#t> ; earl:result [ earl:outcome earl:failed ]", {"failed"}),
    "no result": ("a earl:Assertion ; earl:test <#t>", {"undecided"}),
}  # fmt: skip


@pytest.mark.parametrize(("said", "outcomes"), SAID.values(), ids=SAID)
def test_no_part_of_what_is_asserted_is_lost(tool, tmp_path, said, outcomes):
    more = "<#n> a earl:Assertion ; earl:test <#u> ; earl:result [ earl:outcome earl:passed ] ."
    (tmp_path / "r.ttl").write_text(f"@prefix earl: <http://www.w3.org/ns/earl#> .\n{more}\n<#m> {said} .\n")
    checks = json.loads(tool("judge", "r.ttl", "--json", "--detail").out)["checks"]
    assert {check["outcome"] for check in checks} - {"passed"} == outcomes
    assert len(checks) == (3 if said.count("subject") else 2)


def earl():
    return EARL.format(
        assertions="\n".join(ASSERTION.format(at=at, outcome=outcome) for at, outcome in enumerate(EARL_TABLE))
    )


@pytest.mark.parametrize("syntax", ["turtle", "xml", "json-ld", "compact"])
def test_assertions_mean_the_same_in_every_syntax(tool, tmp_path, syntax):
    graph = rdflib.Graph().parse(data=earl(), format="turtle", publicID="https://desk.test/report")
    options = {"auto_compact": True} if syntax == "compact" else {}
    text = graph.serialize(format="json-ld" if options else syntax, **options)
    (tmp_path / "r.earl").write_text(text)
    done = tool("judge", "r.earl", "--json", "--detail")
    summary = json.loads(done.out)
    found = Counter(check["outcome"] for check in summary["checks"])
    assert found == Counter(EARL_TABLE.values())
    first = next(check for check in summary["checks"] if check["name"] == "Pictures have words")
    assert (first["outcome"], first["suite"]) == ("passed", ["WCAG 2.1"])
    assert "as text instead of a resource" in done.err
    assert "“great”, which the standard does not know" in done.err


REMOTE = {
    "the vocabulary's own context": ('"http://www.w3.org/ns/earl"', '"failed"', ""),
    "a context that nobody fetches": ('["https://nobody.example/words.jsonld"]', '"failed"', "names a context that is not fetched (https://nobody.example/words.jsonld)"),
    "one in a term": ('{"@vocab": "http://www.w3.org/ns/earl#", "result": {"@id": "http://www.w3.org/ns/earl#result", "@context": "https://nobody.example/inner.jsonld"}}', '{"@id": "http://www.w3.org/ns/earl#failed"}', "inner.jsonld"),
}  # fmt: skip


@pytest.mark.parametrize(("context", "outcome", "note"), REMOTE.values(), ids=REMOTE)
def test_contexts_are_never_fetched(tool, tmp_path, monkeypatch, context, outcome, note):
    monkeypatch.setattr("urllib.request.urlopen", lambda *_, **__: pytest.fail("something was fetched"))
    # The vocabulary's address is in it, so that the file is known as what it is.
    text = '{"@context": %s, "@graph": [{"@id": "http://www.w3.org/ns/earl#x"}, {"@type": "Assertion", "test": {"@id": "https://x.example/#one"}, "subject": {"@id": "https://desk.test/"}, "result": {"@type": "TestResult", "outcome": %s}}]}'
    (tmp_path / "r.jsonld").write_text(text % (context, outcome))
    done = tool("judge", "r.jsonld", "--json", "--detail")
    assert [check["outcome"] for check in json.loads(done.out)["checks"]] == ["failed"], done.err
    assert note in done.err


HOSTILE = {
    "a DTD": '<!DOCTYPE rdf [<!ENTITY a "b">]><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:earl="http://www.w3.org/ns/earl#"/>',
    "damaged": "@prefix earl: <http://www.w3.org/ns/earl#> . <a> earl:",
    "nothing asserted": "@prefix earl: <http://www.w3.org/ns/earl#> . <a> a earl:Assertor .",
    "nesting without end": '{"x": "http://www.w3.org/ns/earl#", "y": ' + "[" * 900 + "]" * 900 + "}",
}


@pytest.mark.parametrize("text", HOSTILE.values(), ids=HOSTILE)
def test_a_report_that_is_none_costs_that_file_only(tool, tmp_path, text):
    (tmp_path / "r.earl").write_text(text)
    (tmp_path / "whole.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    done = tool("judge", "r.earl", "whole.xml", "--json")
    assert "error: r.earl" in done.err
    assert "Traceback" not in done.err
    assert json.loads(done.out)["counts"]["passed"] == 1


def test_rules_that_are_written_come_back_the_same(tool, tmp_path):
    (tmp_path / "r.ttl").write_text(earl())
    (tmp_path / "scan.sarif").write_text(
        log(result(locations=[PLACE]), result(locations=[PLACE]), result("a", kind="notApplicable"))
    )
    several = ("r.ttl", "scan.sarif")
    before = json.loads(
        tool("report", *several, "--earl", "out/rules.jsonld", "--json", "--detail", "--out", "v.html").out
    )
    after = json.loads(tool("judge", "out/rules.jsonld", "--json", "--detail").out)
    told = [
        sorted((check["suite"], check["name"], check["outcome"]) for check in summary["checks"])
        for summary in (before, after)
    ]
    assert told[0] == told[1]
    assert before["rules"] | {"failed_by_severity": 0} == after["rules"] | {"failed_by_severity": 0}
    again = tool("report", "out/rules.jsonld", "--earl", "again.jsonld", "--out", "w.html")
    assert again.code == 0
    once, twice = (
        json.loads((tmp_path / name).read_text())["@graph"] for name in ("out/rules.jsonld", "again.jsonld")
    )
    assert sorted(map(json.dumps, once)) == sorted(map(json.dumps, twice))


def finding(at, state, risks=()):
    own = {
        "title": f"AC-{at} is kept",
        "description": "People sign in by name.",
        "target": {
            "type": "objective-id",
            "target-id": f"ac-{at}_obj",
            "status": {"state": state, "remarks": "one account is shared"},
        },
    }
    return {
        "uuid": f"f{at}",
        **own,
        "related-observations": [{"observation-uuid": "o1"}],
        "associated-risks": [{"risk-uuid": one} for one in risks],
    }


# Findings by the states of OSCAL 1.1's assessment results, their risks, and how each ends.
OSCAL = {
    "satisfied": (finding(1, "satisfied"), "AC-1 is kept passed medium"),
    "not satisfied, at a high risk": (finding(2, "not-satisfied", ["high"]), "AC-2 is kept failed high"),
    "not satisfied, at a low risk": (finding(3, "not-satisfied", ["low"]), "AC-3 is kept failed low apart"),
    "a deviation that is approved": (finding(4, "not-satisfied", ["approved"]), "AC-4 is kept failed high apart"),
    "one of two risks is approved": (finding(5, "not-satisfied", ["approved", "low"]), "AC-5 is kept failed high"),
    "an approved deviation that ended": (finding(6, "not-satisfied", ["ended"]), "AC-6 is kept failed high"),
    "a state that is none": (finding(7, "maybe"), "AC-7 is kept undecided medium"),
}  # fmt: skip
RISKS = {
    "high": ("open", "high", ""), "low": ("open", "low", ""), "approved": ("deviation-approved", "high", "2099-01-01T00:00:00Z"), "ended": ("deviation-approved", "high", "2020-01-01T00:00:00Z"),
}  # fmt: skip


def oscal():
    risks = [
        {"uuid": name, "title": f"Risk {name}", "description": "d", "statement": "s", "status": status, "characterizations": [{"facets": [{"name": "impact", "system": "x", "value": grade}]}],
         **({"deadline": deadline} if deadline else {}), "remediations": [{"title": "t", "description": "Give everybody an account"}]}
        for name, (status, grade, deadline) in RISKS.items()
    ]  # fmt: skip
    seen = [
        {
            "uuid": "o1",
            "title": "Accounts",
            "description": "Two people share one",
            "methods": ["TEST"],
            "collected": "2026-11-22T03:00:00Z",
            "subjects": [{"type": "component", "title": "desk.test"}],
            "relevant-evidence": [{"href": "list.txt"}],
        }
    ]
    one = {
        "uuid": "r",
        "title": "Yearly look",
        "description": "d",
        "start": "2026-11-22T02:00:00Z",
        "observations": seen,
        "risks": risks,
        "findings": [given for given, _ in OSCAL.values()],
    }
    return {
        "assessment-results": {
            "uuid": "u",
            "metadata": {"title": "Quay", "oscal-version": "1.1.2"},
            "results": [one],
        }
    }


SINGULAR = {"results": "result", "observations": "observation", "risks": "risk", "findings": "finding", "methods": "method", "subjects": "subject", "related-observations": "related-observation",
            "associated-risks": "associated-risk", "characterizations": "characterization", "facets": "facet", "remediations": "response", "relevant-evidence": "relevant-evidence"}  # fmt: skip
FLAGS = ("uuid", "type", "target-id", "state", "observation-uuid", "risk-uuid", "name", "system", "value", "href")


def as_xml(name, value):
    """The same document as XML: what OSCAL has as flags are attributes, prose stands in paragraphs."""
    if isinstance(value, str):
        return (
            f"<{name}><p>{escape(value)}</p></{name}>"
            if name in ("description", "remarks", "statement")
            else f"<{name}>{escape(value)}</{name}>"
        )
    flags = "".join(f' {key}="{value[key]}"' for key in FLAGS if key in value)
    inside = "".join(
        "".join(as_xml(SINGULAR[key], one) for one in own) if isinstance(own, list) else as_xml(key, own) for key, own in value.items() if key not in FLAGS
    )  # fmt: skip
    return f"<{name}{flags}>{inside}</{name}>"


# Risks with their status and deadline, on 22 November 2026: overdue, or why the number is not sure (model 1.1, risk).
DEADLINES = {
    "open and past": ("open", "2026-11-01T00:00:00Z", 1, ""),
    "without a zone": ("investigating", "2026-11-01T12:00:00", 1, ""),
    "the day itself": ("open", "2026-11-22T23:00:00Z", 0, ""),
    "to come": ("remediating", "2026-12-24T00:00:00Z", 0, ""),
    "closed": ("closed", "2026-11-01T00:00:00Z", 0, ""),
    "an approved deviation": ("deviation-approved", "2026-11-01T00:00:00Z", 0, ""),
    "a deviation that is asked for": ("deviation-requested", "2026-11-01T00:00:00Z", 1, ""),
    "no deadline": ("open", "", 0, ""),
    "a day that is none": ("open", "2026-02-31", 0, "has 1 deadline that can't be read: “2026-02-31”"),
}


@pytest.mark.parametrize("named", [True, False], ids=["named by a finding", "in no finding"])
@pytest.mark.parametrize(("status", "deadline", "overdue", "note"), DEADLINES.values(), ids=DEADLINES)
def test_open_risks_past_their_deadline_are_late_and_bound_by_a_condition(
    tool, tmp_path, monkeypatch, status, deadline, overdue, note, named
):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1795316400")
    risk = {"uuid": "r1", "title": "Shared accounts", "description": "d", "statement": "s", "status": status}
    one = {"uuid": "r", "title": "Yearly look", "description": "d", "start": "2026-11-20T02:00:00Z",
           "risks": [{**risk, **({"deadline": deadline} if deadline else {})}],
           "findings": [finding(1, "satisfied", ["r1"] if named else ()) | {"related-observations": []}]}  # fmt: skip
    (tmp_path / "a.json").write_text(
        json.dumps({"assessment-results": {"metadata": {"title": "Quay"}, "results": [one]}})
    )
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "overdue risks"\nat_most = 0\n')
    done = tool("report", "a.json", "--json", "--detail", "--out", "v.html")
    summary = json.loads(done.out)
    assert len(summary["overdue_risks"]) == overdue
    assert summary["verdict"] == ("not fit" if overdue else "undecided" if note else "fit")
    assert note in done.err
    page = (tmp_path / "v.html").read_text()
    assert ("is past its deadline" in page) == (">Overdue risk<" in page) == bool(overdue)
    assert ("a risk that no finding names" in page) != named


def test_a_risk_without_an_id_or_closed_elsewhere_hides_none(tool, tmp_path, monkeypatch):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1795316400")
    risks = [
        {"uuid": uuid, "title": title, "status": status, "deadline": "2026-11-01T00:00:00Z"}
        for uuid, title, status in (("", "One", "open"), ("", "Two", "open"), ("r", "Three", "open"), ("r", "Three", "closed"))
    ]  # fmt: skip
    results = [{"title": "Look", "start": "2026-11-20T02:00:00Z", "risks": [risk], "findings": [finding(1, "satisfied") | {"related-observations": []}]} for risk in risks]  # fmt: skip
    (tmp_path / "a.json").write_text(
        json.dumps({"assessment-results": {"metadata": {"title": "Quay"}, "results": results}})
    )
    summary = json.loads(tool("report", "a.json", "--json", "--out", "v.html").out)
    assert [risk["title"] for risk in summary["overdue_risks"]] == ["One", "Three", "Two"]


def test_observations_that_no_finding_names_are_shown_for_information(tool, tmp_path):
    document = oscal()
    (result_,) = document["assessment-results"]["results"]
    result_["observations"].append(
        {"uuid": "o2", "description": "The office door was open", "methods": ["EXAMINE"], "collected": "x"}
    )
    (tmp_path / "a.json").write_text(json.dumps(document))
    summary = json.loads(tool("report", "a.json", "--json", "--detail", "--out", "v.html").out)
    assert rules_of(summary)[-1] == "The office door was open skipped none"
    assert "an observation that no finding names" in (tmp_path / "v.html").read_text()


@pytest.mark.parametrize("form", ["json", "xml"])
def test_findings_of_assessments_mean_the_same_in_both_forms(tool, tmp_path, form):
    text = json.dumps(oscal())
    if form == "xml":
        text = as_xml("assessment-results", oscal()["assessment-results"]).replace(
            ">", ' xmlns="http://csrc.nist.gov/ns/oscal/1.0">', 1
        )
    (tmp_path / f"a.{form}").write_text(text)
    done = tool("report", f"a.{form}", "--json", "--detail", "--out", "v.html")
    summary = json.loads(done.out)
    assert rules_of(summary) == [told for _, told in OSCAL.values()]
    assert "“maybe”, which the model does not know" in done.err
    assert "The suppression of" in tool("judge", f"a.{form}").out
    page = (tmp_path / "v.html").read_text()
    for words in (
        "one account is shared",
        "Two people share one",
        "evidence: list.txt",
        "Give everybody an account",
        "ac-2_obj",
        "AC-2",
        "desk.test",
        "Risk high: open",
        "until 2099-01-01",
    ):
        assert words in page, words


NO_FINDINGS = {
    "no result": ('{"assessment-results": {"metadata": {}}}', "holds no result of an assessment"),
    "no finding": ('{"assessment-results": {"results": [{"title": "x", "observations": [{}]}]}}', "without findings, of 1 observation"),
    "truncated": (json.dumps(oscal())[:-40], "is not a readable assessment results document"),
    "a DTD": ('<!DOCTYPE a [<!ENTITY b "c">]><assessment-results xmlns="http://csrc.nist.gov/ns/oscal/1.0"/>', "has a DOCTYPE, which is refused"),
    "a list where a text belongs": ('{"assessment-results": {"results": [{"findings": [{"title": []}]}]}}', "Expected `str`, got `array`"),
}  # fmt: skip


@pytest.mark.parametrize(("text", "what"), NO_FINDINGS.values(), ids=NO_FINDINGS)
def test_an_assessment_without_findings_is_never_fit(tool, tmp_path, text, what):
    (tmp_path / "a.oscal").write_text(text)
    (tmp_path / "whole.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    done = tool("judge", "a.oscal", "whole.xml", "--json")
    assert what in done.err
    assert json.loads(done.out)["verdict"] == "undecided"


# What a waiver names, and whether the run is fit with it: Q1 is broken at src/a.js on one host, and nowhere else.
WAIVERS = {
    "by severity": ('severity = "high"', True),
    "by severity and above": ('severity = "medium or above"', True),
    "by another severity": ('severity = "critical"', False),
    "by place": ('place = "src/*"', True),
    "by another place": ('place = "lib/*"', False),
    "by rule and place": ('check = "Q1*", place = "*.js:3"', True),
    "by a subject that it has not": ('subject = "desk.test"', False),
}  # fmt: skip


@pytest.mark.parametrize(("match", "fit"), WAIVERS.values(), ids=WAIVERS)
def test_waivers_know_rules_by_severity_subject_and_place(tool, tmp_path, match, fit):
    where = {"physicalLocation": {"artifactLocation": {"uri": "src/a.js"}, "region": {"startLine": 3}}}
    (tmp_path / "scan.sarif").write_text(log(result(locations=[where])))
    (tmp_path / "plain-verdict.toml").write_text(
        f'[[waiver]]\nreason = "old code"\nuntil = 2099-01-01\nmatch = {{ {match} }}\n'
    )
    assert (json.loads(tool("judge", "scan.sarif", "--json").out)["verdict"] == "fit") == fit


def test_a_waiver_of_places_never_covers_those_that_are_not_told(tool, tmp_path):
    def at(folder, number):
        return result(
            locations=[
                {
                    "physicalLocation": {
                        "artifactLocation": {"uri": f"{folder}/{number}.js"},
                        "region": {"startLine": number + 1},
                    }
                }
            ]
        )

    (tmp_path / "plain-verdict.toml").write_text(
        '[[waiver]]\nreason = "old"\nuntil = 2099-01-01\nmatch = { place = "old/*" }\n'
    )
    for name, several in (
        ("few", [at("old", one) for one in range(50)]),
        ("many", [at("old", one) for one in range(60)] + [at("new", 3)]),
    ):
        (tmp_path / "scan.sarif").write_text(log(*several))
        summary = json.loads(tool("report", "scan.sarif", "--json", "--out", "v.html", "--overwrite").out)
        assert summary["verdict"] == ("fit" if name == "few" else "not fit")
        assert summary["rules"]["findings"] == len(several)
        assert ("new/3.js:4" in (tmp_path / "v.html").read_text()) == (name == "many")


def test_one_rule_on_two_hosts_is_waived_on_the_one_that_is_named(tool, tmp_path):
    for host in ("desk", "fares"):
        (tmp_path / f"{host}.xml").write_text(
            xccdf(rule_result("R1", "fail"), RULE.format(severity="high"), f"{host}.test")
        )
    (tmp_path / "plain-verdict.toml").write_text(
        '[[waiver]]\nreason = "old"\nuntil = 2099-01-01\nmatch = { subject = "desk.test" }\n'
    )
    summary = json.loads(tool("judge", "desk.xml", "fares.xml", "--json", "--detail").out)
    assert {check["file"]: check["waived"] for check in summary["checks"]} == {"desk.xml": True, "fares.xml": False}
    (tmp_path / "plain-verdict.toml").write_text(
        '[[waiver]]\nreason = "old"\nuntil = 2099-01-01\nmatch = { severity = "dire" }\n'
    )
    assert "'dire' is not a severity" in tool("judge", "desk.xml").err


def count_sarif(text):
    """Count what a log holds, without our reader: findings, and the rules that they break."""
    results = [result for run in json.loads(text)["runs"] for result in run["results"]]
    broken = [
        one
        for one in results
        if one.get("kind", "fail") == "fail"
        and one.get("baselineState") != "absent"
        and not one.get("suppressions")
    ]
    return len(broken), len({one["ruleId"] for one in broken}), 0, 0


def count_xccdf(text):
    """Count results in the same way: those that fail, pass, and were not checked."""
    words = Counter(re.findall(r"<(?:[\w.-]+:)?result>(\w+)</", text))
    return words["fail"], words["fail"], words["pass"], words["notchecked"]


def count_oval(text):
    """Count definitions in the same way, by their class: faults are true where something is wrong."""
    sorts = dict(re.findall(r'<definition id="([^"]+)"[^>]* class="(\w+)"', text))
    results = dict(re.findall(r'<definition definition_id="([^"]+)" result="([^"]+)"', text))
    told = Counter(
        (sorts[id_] in ("vulnerability", "patch"), result)
        for id_, result in results.items()
        if sorts[id_] != "inventory"
    )
    broken = told[True, "true"] + told[False, "false"]
    return broken, broken, told[True, "false"] + told[False, "true"], 0


def count(name):
    if name.endswith("sarif"):
        return count_sarif
    return count_oval if "oval" in name else count_xccdf


PRODUCERS = sorted(path.name for path in (EXAMPLES / "rules").iterdir())


@pytest.mark.parametrize("name", PRODUCERS)
def test_real_files_give_the_numbers_that_counting_gives(tool, tmp_path, name):
    text = (EXAMPLES / "rules" / name).read_text()
    (tmp_path / name).write_text(text)
    findings, broken, kept, person = count(name)(text)
    summary = json.loads(tool("report", name, "--json", "--out", "v.html").out)
    rules = summary["rules"]
    assert (rules["findings"], rules["failed"], rules["passed"], rules["undecided"]) == (
        findings,
        broken,
        kept,
        person,
    )
    assert summary["files"][0]["rules"]["findings"] == findings
    assert not summary["files"][0]["notes"]
    assert findings > 0


def test_a_machine_s_own_results_say_why_it_breaks_a_rule(tool, tmp_path, browser):
    (tmp_path / "arf.xml").write_bytes((EXAMPLES / "rules" / "openscap-arf.xml").read_bytes())
    (tmp_path / "plain-verdict.toml").write_text('[compliance]\nbreaks_from = "low"\n')
    tool("report", "arf.xml", "--out", "v.html")
    browser.get((tmp_path / "v.html").as_uri())
    text = browser.find_element(By.TAG_NAME, "body").get_attribute("textContent")
    for words in (
        "not so: only its owner may write the settings of the till",
        "found: filepath /etc/quay/till.conf; path /etc/quay; filename till.conf; gwrite is true, must be false; owrite",
        "so, and must not be: the old settings are there",
    ):
        assert words in text, words
    assert "the list of users" not in text


OVAL = """<oval_results xmlns="o"><oval_definitions><definitions><definition id="d1" class="{sort}"/><definition id="d2"/></definitions>
<tests>{told}</tests><states><x_state id="s"><n operation="less than">5</n></x_state></states></oval_definitions><results><system>
<definitions><definition definition_id="d1">{criteria}</definition><definition definition_id="d2"><criteria result="false">
<criterion test_ref="t2" result="false"/></criteria></definition></definitions><tests><test test_id="t1" result="true"><tested_item item_id="1" result="true"/></test>
<test test_id="t3" result="false">{items}</test></tests><oval_system_characteristics><system_data><x_item id="1"><name>a</name><n>9</n></x_item></system_data>
</oval_system_characteristics></system></results></oval_results>"""
# Results of OVAL definitions by their class (NIST SP 800-126r2, 4.5.2), and how each ends.
DEFINITIONS = {
    "compliance": {"true": "passed", "false": "failed", "error": "errored", "unknown": "undecided", "not evaluated": "undecided", "not applicable": "skipped", "odd": "undecided"},
    "vulnerability": {"true": "failed", "false": "passed", "error": "errored"},
    "patch": {"true": "failed", "false": "passed"},
    "miscellaneous": {"true": "passed", "false": "failed"},
    "inventory": {"true": "skipped", "false": "skipped", "error": "errored"},
}  # fmt: skip


def test_definitions_in_a_file_of_their_own_mean_what_their_class_says(tool, tmp_path):
    rows = [(f"oval:q:def:{sort}.{result}", sort, result, ends) for sort, ends_by_result in DEFINITIONS.items() for result, ends in ends_by_result.items()]  # fmt: skip
    defined = "".join(
        f'<definition id="{id_}" class="{sort}"><metadata><title>{id_}</title></metadata></definition>'
        for id_, sort, *_ in rows
    )
    found = "".join(f'<definition definition_id="{id_}" result="{result}"/>' for id_, _, result, _ in rows)
    (tmp_path / "o.xml").write_text(
        '<oval_results xmlns="http://oval.mitre.org/XMLSchema/oval-results-5">'
        f"<oval_definitions><definitions>{defined}</definitions></oval_definitions>"
        f"<results><system><definitions>{found}</definitions></system></results></oval_results>"
    )
    done = tool("judge", "o.xml", "--json", "--detail")
    outcomes = {check["name"]: check["outcome"] for check in json.loads(done.out)["checks"]}
    assert outcomes == {id_: ends for id_, _, _, ends in rows}
    assert "has 1 definition “odd”, which the standard does not know" in done.err


OVAL_SYSTEMS = """<oval_results xmlns="http://oval.mitre.org/XMLSchema/oval-results-5"><oval_definitions><definitions>
<definition id="d1" class="compliance"><metadata><title>One</title></metadata></definition><definition id="d2" class="compliance"/></definitions></oval_definitions>
<results><system><definitions><definition definition_id="d1" result="false"/><definition definition_id="d2" variable_instance="1" result="false"/>
<definition definition_id="d2" variable_instance="2" result="true"/></definitions></system>
<system><definitions><definition definition_id="d1" result="true"/></definitions></system></results></oval_results>"""


def test_no_system_instance_or_cut_hides_a_definition_that_failed(tool, tmp_path):
    (tmp_path / "o.xml").write_text(OVAL_SYSTEMS)
    counts = json.loads(tool("judge", "o.xml", "--json").out)["counts"]
    assert (counts["failed"], counts["passed"]) == (2, 2)
    (tmp_path / "o.xml").write_text(OVAL_SYSTEMS[: OVAL_SYSTEMS.index(' variable_instance="2"')])
    done = tool("judge", "o.xml", "--json")
    summary = json.loads(done.out)
    assert (summary["counts"]["failed"], summary["verdict"]) == (2, "not fit")
    assert "is truncated: results may be missing" in done.err


TOGETHER = EXAMPLES / "rules-together"


def test_definitions_say_why_a_rule_failed_and_count_once(tool, tmp_path):
    for path in TOGETHER.iterdir():
        (tmp_path / path.name).write_bytes(path.read_bytes())
    done = tool("report", "strict.xml", "quay-oval-results.xml", "--json", "--detail", "--out", "v.html")
    summary = json.loads(done.out)
    assert [(check["name"], check["outcome"]) for check in summary["checks"]] == [
        ("The patch of October is missing", "skipped"),
        ("The till is installed", "skipped"),
        ("The settings of the till can be written by all", "skipped"),
        ("There are users", "passed"),
        ("Passwords have 10 letters", "failed"),
    ]
    assert "not so: the least length is set" in (tmp_path / "v.html").read_text()
    # A definition that failed where its rule passed stays.
    text = (tmp_path / "quay-oval-results.xml").read_text()
    swapped = text.replace('def:1" result="true"', 'def:1" result="false"')
    (tmp_path / "quay-oval-results.xml").write_text(swapped)
    assert swapped != text
    summary = json.loads(tool("judge", "strict.xml", "quay-oval-results.xml", "--json").out)
    assert summary["counts"]["failed"] == 2


def test_values_and_tailorings_stand_in_the_texts_of_rules(tool, tmp_path):
    for name in ("north.xml", "tailoring.xml", "quay-oval.xml"):
        (tmp_path / name).write_bytes((TOGETHER / name).read_bytes())
    done = tool("report", ".", "--out", "v.html", "--json", "--detail")
    assert [check["name"] for check in json.loads(done.out)["checks"]] == [
        "There are users",
        "Passwords have 12 letters",
    ]
    text = (tmp_path / "v.html").read_text()
    for words in ("At least 12 (Least length of a password).", "Shorter than 12 is guessed.", "Set minlen=12."):
        assert words in text, words
    # Results that do not say what was set: as the profile refines it; and a text that has a name.
    found = (TOGETHER / "strict.xml").read_text()
    found = re.sub(r"<set-value idref=[^/]*/set-value>", "", found).replace(
        "letters</title>", '<sub idref="kind"/></title>'
    )
    refined = '<refine-value idref="xccdf_test.quay_value_minlen" selector="strict"/></Profile>'
    found = found.replace("</Profile>", refined).replace(
        "<Profile ", '<plain-text id="kind">signs</plain-text><Profile ', 1
    )
    (tmp_path / "refined.xml").write_text(found)
    summary = json.loads(tool("judge", "refined.xml", "--json", "--detail").out)
    assert summary["checks"][1]["name"] == "Passwords have 14 signs"
    for name, what in (("tailoring.xml", "a tailoring"), ("quay-oval.xml", "OVAL definitions")):
        assert f"{name}: holds {what} without results" in tool("judge", name).err


# What a definition is for, its criteria, and the lines that say why.
WHYS = {
    "a fault that is there": ("vulnerability", '<criteria result="true"><criterion test_ref="t1" result="true"/><criterion test_ref="t2" result="false"/></criteria>', ["so, and must not be: first", "  found: name a; n 9"]),
    "by another definition": ("compliance", '<criteria result="false"><extend_definition definition_ref="d2" result="false"/></criteria>', ["not so: second", "checked by"]),
    "turned round": ("compliance", '<criteria result="false" negate="true"><criterion test_ref="t1" result="true"/><criterion test_ref="t2" result="false"/></criteria>', ["so, and must not be: first", "  found: name a; n 9"]),
    "bounds, and more items than are shown": ("compliance", '<criteria result="false"><criterion test_ref="t3" result="false"/></criteria>', ["not so: third", *["  found: name a; n is 9, must be under 5"] * 5, "  and 2 more items"]),
    "round and round": ("compliance", '<criteria result="false"><extend_definition definition_ref="d1" result="false"/></criteria>', ["checked by"]),
    "what nobody defines": ("compliance", '<criteria result="error"><criterion test_ref="gone" result="error"/></criteria>', ["not so: gone"]),
}  # fmt: skip


@pytest.mark.parametrize(("sort", "criteria", "lines"), WHYS.values(), ids=WHYS)
def test_why_a_definition_is_not_as_it_should_be(tool, tmp_path, sort, criteria, lines):
    told = "".join(
        f'<x_test id="t{at}" comment="{word}"><state state_ref="s"/></x_test>'
        for at, word in ((2, "second"), (3, "third"))
    )
    oval = OVAL.format(sort=sort, criteria=criteria, told=f'{told}<x_test id="t1" comment="first"/>', items='<tested_item item_id="1" result="false"/>' * 7)  # fmt: skip
    ref = '<check><check-content-ref href="#oval0" name="d1"/></check>'
    text = xccdf(rule_result("R1", "fail", ref), RULE.format(severity="high"))
    arf = '<a:asset-report-collection xmlns:a="http://scap.nist.gov/schema/asset-reporting-format/1.1"><a:report id="x">{}</a:report><a:report id="oval0">{}</a:report></a:asset-report-collection>'
    (tmp_path / "arf.xml").write_text(arf.format(text, oval))
    tool("report", "arf.xml", "--out", "v.html")
    page = (tmp_path / "v.html").read_text()
    detail = page[page.index("the machine does not meet it" if lines == ["checked by"] else lines[0]) :]
    for line in lines:
        assert line in detail, line


def test_a_rule_that_holds_for_several_things_of_one_machine_is_several_checks(tool, tmp_path):
    several = [rule_result("R1", word, f"<instance>{disk}</instance>", weight="10.0") for word, disk in (("fail", "/srv"), ("pass", "/var"))]  # fmt: skip
    (tmp_path / "x.xml").write_text(xccdf("".join(several), RULE.format(severity="high")))
    summary = json.loads(tool("report", "x.xml", "--json", "--detail", "--out", "v.html").out)
    assert [check["outcome"] for check in summary["checks"]] == ["failed", "passed"]
    assert summary["rules"]["failed"] == 1
    text = " ".join(re.sub(r"<[^>]+>", " ", (tmp_path / "v.html").read_text()).split())
    assert "weight 10" in text
    assert "Nobody signs in as root desk.test, /srv" in text
    tool("report", "x.xml", "--earl", "own.jsonld", "--out", "w.html")
    again = json.loads(tool("judge", "own.jsonld", "--json", "--detail").out)
    assert [check["outcome"] for check in again["checks"]] == ["failed", "passed"]


def test_a_benchmark_beside_results_is_left_alone_and_an_error_is_never_slight(tool, tmp_path):
    folder = tmp_path / "results"
    folder.mkdir()
    (folder / "x.xml").write_text(xccdf(rule_result("R1", "error"), RULE.format(severity="low")))
    (folder / "benchmark.xml").write_text(
        XCCDF.format(version="1.2", rules=RULE.format(severity="low"), results="")
    )
    summary = json.loads(tool("judge", "results", "--json", "--detail").out)
    assert rules_of(summary) == ["Nobody signs in as root errored low"]
    assert summary["verdict"] == "not fit"
    assert [file["path"] for file in summary["files"]] == ["results/x.xml"]
    alone = tool("judge", "results/benchmark.xml")
    assert "holds a benchmark without results" in alone.err


# A condition on scores and subjects, and how it stands: the hosts have 81.5 and 90 of 100.
SCORES = {
    'measure = "score"\nat_least = "80 %"': ("fit", "81.5"),
    'measure = "score"\nat_least = "85 %"': ("not fit", "81.5"),
    'measure = "score"\nat_least = "85 %"\nscope = { subject = "fares*" }': ("fit", "90"),
    'measure = "findings"\nat_most = 0\nscope = { subject = "fares*" }': ("fit", "0"),
}  # fmt: skip


@pytest.mark.parametrize(
    ("condition", "told"), SCORES.items(), ids=["kept", "broken", "by subject", "findings by subject"]
)
def test_conditions_bound_scores_and_look_at_one_subject(tool, tmp_path, condition, told):
    for host, score in (("desk.test", "81.5"), ("fares.test", "90")):
        text = xccdf(
            rule_result("R1", "fail" if host == "desk.test" else "pass"), RULE.format(severity="low"), host
        )
        (tmp_path / f"{host}.xml").write_text(text.replace("81.5", score))
    (tmp_path / "plain-verdict.toml").write_text(f"[[condition]]\n{condition}\n")
    done = tool("report", "desk.test.xml", "fares.test.xml", "--json", "--out", "v.html")
    summary = json.loads(done.out)
    assert summary["verdict"] == told[0]
    assert told[1] in (tmp_path / "v.html").read_text()
    assert summary["findings"] == summary["rules"]["findings"] == 1


def test_artifacts_that_a_log_holds_are_evidence(tool, tmp_path):
    artifacts = [
        {"location": {"uri": "src/a.js"}, "contents": {"text": "run(everything)"}},
        {"location": {"uri": "b.bin"}, "contents": {"binary": "%%%"}},
        {"contents": {"text": "of nobody"}},
    ]
    places = [{"physicalLocation": {"artifactLocation": {"index": at}}} for at in (0, 1, 40)]
    (tmp_path / "scan.sarif").write_text(log(result(locations=places), artifacts=artifacts))
    done = tool("report", "scan.sarif", "--out", "v.html")
    page = (tmp_path / "v.html").read_text()
    assert "Traceback" not in done.err
    assert "run(everything)" in page
    assert "base64 that can" in page
    assert "of nobody" not in page


SEVERITY_RULES = {
    "a whole tool": ('{ tool = "QuayLint" }', ["low", "low"]),
    "one rule by its id": ('{ tool = "Quay*", rule = "Q1" }', ["low", "critical"]),
    "one rule by its name": ('{ rule = "no-eval" }', ["low", "critical"]),
    "no part of an id": ('{ rule = "Q" }', ["high", "critical"]),
    "by an expression": ('{ rule = "/^Q[13]$/" }', ["low", "low"]),
    "by what it was": ('{ severity = "critical" }', ["high", "low"]),
    "another tool": ('{ tool = "DeskLint" }', ["high", "critical"]),
}


@pytest.mark.parametrize(("match", "severities"), SEVERITY_RULES.values(), ids=SEVERITY_RULES)
def test_the_team_sets_the_severity_of_a_tool_s_rules(tool, tmp_path, match, severities):
    (tmp_path / "scan.sarif").write_text(log(result(), result("Q3")))
    (tmp_path / "plain-verdict.toml").write_text(f'[[severity]]\nmatch = {match}\nis = "low"\n')
    summary = json.loads(tool("judge", "scan.sarif", "--json", "--detail").out)
    assert [check["severity"] for check in summary["checks"]] == severities
    assert summary["verdict"] == ("fit" if severities == ["low", "low"] else "not fit")
    assert ("matches no rule of any tool" in str(summary["rule_notes"])) == (severities == ["high", "critical"])
