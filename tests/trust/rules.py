"""Compliance: SARIF, XCCDF, EARL and OSCAL."""

import json

from builders import GOOD

DRIVER = {"name": "QuayLint", "rules": [{"id": "Q1", "defaultConfiguration": {"level": "error"}}]}


def log(*results, driver=DRIVER, extensions=(), **run):
    tool = {"driver": driver, "extensions": list(extensions)}
    return json.dumps({"version": "2.1.0", "runs": [{"tool": tool, "results": list(results), **run}]})


def called(**invocation):
    return {"r.sarif": log(invocations=[invocation])}


def finding(rule="Q1", **own):
    return {"ruleId": rule, "message": {"text": "wrong"}, **own}


def scored(score):
    return {"name": "QuayLint", "rules": [{"id": "Q1", "properties": {"security-severity": score}, "defaultConfiguration": {"level": "error"}}]}  # fmt: skip


NOTE = {"level": "error", "message": {"text": "rules could not be loaded"}}
BY_EXTENSION = {"rule": {"index": 0, "toolComponent": {"index": 0}}, "message": {"text": "x"}}
LOWERED = {"executionSuccessful": True, "ruleConfigurationOverrides": [{"descriptor": {"index": 0}, "configuration": {"level": "none"}}]}  # fmt: skip
LOWERED_THERE = {"executionSuccessful": True, "ruleConfigurationOverrides": [{"descriptor": {"index": 0, "toolComponent": {"index": 0}}, "configuration": {"level": "none"}}]}  # fmt: skip
MORE = {"name": "more", "rules": [{"id": "M1", "defaultConfiguration": {"level": "error"}}]}

XCCDF = '<Benchmark xmlns="http://checklists.nist.gov/xccdf/1.2" id="b"><title>Quay</title><Rule id="R1" severity="high"><title>One</title></Rule>%s<TestResult id="t"><target>desk.test</target>%s</TestResult></Benchmark>'
ARF = '<a:asset-report-collection xmlns:a="http://scap.nist.gov/schema/asset-reporting-format/1.1"><a:reports>%s</a:reports></a:asset-report-collection>'


def xccdf(*results, rules=""):
    return XCCDF % (rules, "".join(f'<rule-result idref="R1">{result}</rule-result>' for result in results))


def is_(*words):
    return "".join(f"<result>{word}</result>" for word in words)


EARL = """@prefix earl: <http://www.w3.org/ns/earl#> .
<#g> a earl:Assertion ; earl:subject <https://desk.test/> ; earl:test <https://x.test/#two> ; earl:result [ earl:outcome earl:passed ] .
<#a> a earl:Assertion ; earl:subject <https://desk.test/> ; earl:test <https://x.test/#one> ; earl:result [ a earl:TestResult ; earl:outcome %s ] .
%s"""


def earl(outcome, more=""):
    return {"r.ttl": EARL % (outcome, more)}


CONTEXT = {"earl": "http://www.w3.org/ns/earl#"}


def assertion(outcome):
    return {"@type": "earl:Assertion", "earl:test": {"@id": f"https://x.test/#{outcome}"}, "earl:result": {"earl:outcome": {"@id": f"earl:{outcome}"}}}  # fmt: skip


def graphs(*several, named=()):
    top = [assertion(outcome) for outcome in several]
    top += [{"@id": f"urn:g{at}", "@graph": [assertion(outcome)]} for at, outcome in enumerate(named)]
    return {"r.jsonld": json.dumps({"@context": CONTEXT, "@graph": top})}


def oscal(state="not-satisfied", risks=(), known=(), observations=("o",), more=""):
    own = {
        "title": "AC-1",
        "target": {"target-id": "ac-1_obj", "status": {"state": state}},
        "associated-risks": [{"risk-uuid": risk} for risk in risks],
    }
    own["related-observations"] = [{"observation-uuid": one} for one in observations]
    risk = [
        {
            "uuid": uuid,
            "title": uuid,
            "status": status,
            "characterizations": [{"facets": [{"name": "impact", "value": grade}]}],
        }
        for uuid, status, grade in known
    ]
    good = {"title": "AC-2", "target": {"target-id": "ac-2_obj", "status": {"state": "satisfied"}}}
    return json.dumps({"assessment-results": {"metadata": {"title": "Quay"}, "results": [{"title": "Look", "observations": [{"uuid": "o"}], "risks": risk, "findings": [good, own]}]}}).replace('"AC-1",', f'"AC-1",{more}')  # fmt: skip


APPROVED = ("r", "deviation-approved", "high")

NOT_FIT = {
    # A scan that did not do all of its work: SARIF 2.1.0, 3.20 and 3.58.
    **{
        f"a scan, {label}": called(**invocation)
        for label, invocation in {
            "killed": {"exitSignalName": "SIGKILL"}, "killed by number": {"exitSignalNumber": 9, "executionSuccessful": True}, "killed, as shells say": {"exitCode": 137},
            "never started": {"processStartFailureMessage": "no such file"}, "not successful": {"executionSuccessful": False}, "an error": {"toolExecutionNotifications": [NOTE]},
            "an error, and successful": {"executionSuccessful": True, "toolExecutionNotifications": [NOTE]}, "rules not loaded": {"toolConfigurationNotifications": [NOTE]},
            "rules not loaded, and successful": {"executionSuccessful": True, "toolConfigurationNotifications": [NOTE]}, "never started, and successful": {"executionSuccessful": True, "processStartFailureMessage": "x"},
            "an error without words": {"executionSuccessful": True, "toolExecutionNotifications": [{"level": "error"}]},
        }.items()
    },
    "the second call was killed": {"r.sarif": log(invocations=[{"executionSuccessful": True}, {"exitSignalName": "SIGKILL"}])},
    "an error beside findings that pass": {"r.sarif": log(finding(kind="pass"), invocations=[{"toolExecutionNotifications": [NOTE]}])},
    "an override for a rule of the driver, found by an extension": {"r.sarif": log(BY_EXTENSION, extensions=[MORE], invocations=[LOWERED])},
    "an override for an extension's rule, found by the driver": {"r.sarif": log(finding(), extensions=[MORE], invocations=[LOWERED_THERE])},
    **{f"a score of {score!r}": {"r.sarif": log(finding(), driver=scored(score))} for score in ("0,0", "0,5", "0'0", " ", "0.0.0", "none", "٠.٠", "-0.0x")},
    "results twice in a run": {"r.sarif": log(finding()).replace('"results": [', '"results": [').replace("}]}]}", '}], "results": []}]}')},
    "runs twice in a log": {"r.sarif": log(finding())[:-1] + ', "runs": []}'},
    "a kind twice": {"r.sarif": log(finding()).replace('"ruleId": "Q1"', '"ruleId": "Q1", "kind": "fail", "kind": "pass"')},
    "half a pair in a message": {"r.sarif": log(finding()).replace("wrong", "\\ud83d wrong")},
    "a second log behind": {"r.sarif": log() + "\n" + log(finding())},
    "a log cut in the middle": {"r.sarif": log(finding())[:-9], "g.xml": GOOD},
    "a kind in capitals": {"r.sarif": log(finding(kind="Fail"))},
    "no kind, and a level of none": {"r.sarif": log(finding(kind="review", level="none"))},
    # Results of rules on machines: NIST IR 7275r4.
    "two results, the failure first": {"r.xml": xccdf(is_("fail", "pass"))},
    "two results, the failure last": {"r.xml": xccdf(is_("pass", "fail"))},
    "three results": {"r.xml": xccdf(is_("pass", "error", "pass"))},
    "a result and one that nobody knows": {"r.xml": xccdf(is_("pass", "odd"))},
    "a result that is empty": {"r.xml": xccdf("<result/>")},
    "no result": {"r.xml": xccdf("")},
    "a result in capitals": {"r.xml": xccdf(is_("FAIL"))},
    "a result in an element": {"r.xml": xccdf("<result><b>fail</b></result>")},
    "a failure between passes": {"r.xml": xccdf(is_("pass"), is_("fail"), is_("pass"))},
    "a result of another namespace": {"r.xml": xccdf('<x:result xmlns:x="urn:x">fail</x:result>')},
    "two benchmarks in one file": {"r.xml": xccdf(is_("pass")) + xccdf(is_("fail"))},
    "the second machine of a report": {"r.xml": ARF % "".join(f"<a:report>{one}</a:report>" for one in (xccdf(is_("pass")), xccdf(is_("fail"))))},
    "two results in a report": {"r.xml": ARF % f"<a:report>{xccdf(is_('pass', 'fail'))}</a:report>"},
    "a report truncated": {"r.xml": (ARF % f"<a:report>{xccdf(is_('pass'))}</a:report>")[:-40]},
    "an override that made it worse": {"r.xml": xccdf(is_("fail") + '<override authority="x"><old-result>pass</old-result><new-result>fail</new-result></override>')},
    # Assertions: EARL 1.0 Schema.
    **{
        f"outcome {outcome:.40}": earl(outcome)
        for outcome in (
            "earl:failed", "<urn:other#passed>", "<https://evil.test/ns#passed>", "<http://www.w3.org/ns/other#passed>", "earl:Passed", "earl:pass", "<passed>", '"well"', '"failed"', '"PASSED!"',
            "earl:passed , earl:failed", "earl:failed , earl:passed", "earl:passed , earl:cantTell", "[ a earl:Pass , earl:Fail ]", "[ a earl:Fail ]", "[ a earl:CannotTell , earl:Pass ]", "[]", "earl:untested",
        )
    },
    "a known outcome that is called another": earl("earl:passed , <#o>", "<#o> a earl:Fail ."),
    "a failure in a named graph": graphs("passed", named=["failed"]),
    "the second named graph": graphs(named=["passed", "failed"]),
    "nothing but a named graph": graphs(named=["failed"]),
    "an outcome twice": {"r.jsonld": graphs("passed")["r.jsonld"].replace('"earl:outcome"', '"earl:outcome": {"@id": "earl:failed"}, "earl:outcome"')},
    # Findings of assessments: OSCAL 1.1.
    "an approved risk that is not there": {"r.json": oscal(risks=["gone"])},
    "one approved, one not there": {"r.json": oscal(risks=["r", "gone"], known=[APPROVED])},
    "an open risk": {"r.json": oscal(risks=["r"], known=[("r", "open", "high")])},
    "approved in capitals": {"r.json": oscal(risks=["r"], known=[("r", "Deviation-Approved", "high")])},
    "a state twice": {"r.json": oscal("satisfied").replace('"state": "satisfied"', '"state": "not-satisfied", "state": "satisfied"', 2)},
    **{f"a state of {state!r}": {"r.json": oscal(state)} for state in ("", "Satisfied", "not satisfied", "partly-satisfied", "unknown")},
    "two documents of results": {"r.json": oscal("satisfied") + oscal(), "g.xml": GOOD},
}  # fmt: skip

FIT = {
    "a scan that found nothing": {"r.sarif": log(invocations=[{"executionSuccessful": True, "exitCode": 0}])},
    "a scan with a warning": {"r.sarif": log(invocations=[{"executionSuccessful": True, "toolExecutionNotifications": [{"level": "warning", "message": {"text": "slow"}}]}])},
    "a scan that exits with 1": {"r.sarif": log(finding(kind="pass"), invocations=[{"executionSuccessful": True, "exitCode": 1}])},
    "a finding too slight": {"r.sarif": log(finding(), driver=scored("0.0"))},
    "an override of the rule itself": {"r.sarif": log(finding(), invocations=[LOWERED])},
    "an override in the extension": {"r.sarif": log(BY_EXTENSION, extensions=[MORE], invocations=[LOWERED_THERE])},
    "a pair in a message": {"r.sarif": log(finding(kind="pass")).replace("wrong", "\\ud83d\\udea2 right")},
    "a rule that is kept": {"r.xml": xccdf(is_("pass"), is_("fixed"))},
    "the same result twice": {"r.xml": xccdf(is_("pass", "pass"))},
    "an outcome as a resource": earl("earl:passed"),
    "an outcome of a class": earl("[ a earl:Pass ]"),
    "an outcome that is described": earl("earl:passed", 'earl:passed <urn:label> "well" .'),
    "what does not apply": earl("earl:inapplicable"),
    "named graphs": graphs("passed", named=["passed"]),
    "an approved risk": {"r.json": oscal(risks=["r"], known=[APPROVED])},
    "an objective that is satisfied": {"r.json": oscal("satisfied")},
}  # fmt: skip
