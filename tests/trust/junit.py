"""JUnit XML: second documents, failures in odd places, words of attributes, counts, cases that were run again."""

from builders import FAIL, GOOD, case, suite

DECLARED = '<?xml version="1.0" encoding="utf-8"?>\n'
BAD = suite(case("sinks", FAIL), name="Desk")
NO_FLAKY = '[[condition]]\nmeasure = "flaky"\nat_most = 0\n'
ERROR = '<error message="no boat"/>'


def both(inside="", attributes="", name="sails"):
    return {"r.xml": suite(case("lands"), case(name, inside, attributes))}


def settled(toml, *cases, **more):
    return {"plain-verdict.toml": toml, "r.xml": suite(*cases, **more)}


NOT_FIT = {
    # Anything behind the first document.
    "two declared documents": {"r.xml": f"{DECLARED}{GOOD}\n{DECLARED}{BAD}"},
    "two declared documents, no line between": {"r.xml": f"{DECLARED}{GOOD}{DECLARED}{BAD}"},
    "two documents, a mark between": {"r.xml": f"{DECLARED}{GOOD}\n\ufeff{DECLARED}{BAD}"},
    "three documents": {"r.xml": "\n".join([DECLARED + GOOD, DECLARED + GOOD, DECLARED + BAD])},
    "a second root of another name": {"r.xml": f"{GOOD}<testsuites>{BAD}</testsuites>"},
    "words behind the root": {"r.xml": f"{GOOD}\nFAILED 1 of 2"},
    "a document behind one in UTF-16": {"r.xml": (DECLARED.replace("utf-8", "utf-16") + GOOD).encode("utf-16") + BAD.encode("utf-16-le")},
    "a document of JSON behind": {"r.xml": f'{GOOD}\n{{"failed": 1}}'},
    # A failure at any depth.
    **{
        f"{name} in {place.split('>')[0]}>": both(place.replace("@", element))
        for name, element in (("failure", FAIL), ("error", ERROR))
        for place in (
            "<properties>@</properties>", '<properties><property name="a" value="b">@</property></properties>', "<flakyFailure>@</flakyFailure>",
            "<rerunFailure>@</rerunFailure>", "<flakyError><stackTrace>x</stackTrace>@</flakyError>", "<system-err>x@</system-err>", "<a><b><c><d><e>@</e></d></c></b></a>",
            "<skipped><why>@</why></skipped>", "<attachments><item>@</item></attachments>",
        )
    },
    "in properties of a suite": {"r.xml": suite(f"<properties>{FAIL}</properties>", case())},
    "in a property of a suite": {"r.xml": suite(f'<properties><property name="a">{FAIL}</property></properties>', case())},
    "in properties of the root": {"r.xml": f"<testsuites><properties>{ERROR}</properties>{GOOD}</testsuites>"},
    "in output of the root": {"r.xml": f"<testsuites><system-out>{FAIL}</system-out>{GOOD}</testsuites>"},
    "of the root itself": {"r.xml": f"<testsuites>{FAIL}{GOOD}</testsuites>"},
    "a case in properties": {"r.xml": suite(case(), f"<properties>{case('x', FAIL)}</properties>")},
    **{f"its own element, <{name}>": both(f"<{name}>no boat</{name}>") for name in ("failed", "Errored", "exception", "FAIL", "crash", "timeout", "errors")},
    # Words of attributes, of cases.
    **{
        f"of a case, {attributes}": both(attributes=attributes)
        for attributes in (
            'outcome="failed"', 'Outcome="Failure"', 'OUTCOME="error"', 'outcome="fail"', 'outcome="rejected"', 'outcome="3"', 'success="false"', 'Success="False"', 'success="no"',
            'success="0"', 'success="maybe"', 'passed="false"', 'Passed="0"', 'passed="no"', 'passed="partly"', 'status="passed" outcome="failed"', 'outcome="passed" success="false"',
            'failures="1"', 'Failures="2"', 'errors="1"', 'error="true"', 'failed="true"', 'failed="1"', 'failure="no boat"', 'failed="some"', 'errors="+1"', 'status="FAILED"',
            'Result="Not OK"', 'x:status="failed" xmlns:x="urn:x"', 'status="passed, then failed"', 'result="-"', 'outcome="passed" result="aborted"',
        )
    },
    # Words of attributes, of suites.
    **{
        f"of a suite, {attributes}": {"r.xml": suite(case(), attributes=attributes)}
        for attributes in (
            'result="Failure"', 'status="failed"', 'outcome="error"', 'success="False"', 'Success="false"', 'passed="false"', 'result="Inconclusive"', 'status="aborted"', 'status="odd"',
            'outcome="timeout" tests="1" failures="0" errors="0"',
        )
    },
    "of the root, result": {"r.xml": f'<testsuites result="failed">{GOOD}</testsuites>'},
    "of a suite in a suite": {"r.xml": suite(suite(case(), attributes='success="false"'), case("x"))},
    # Counts that are no plain digits.
    **{
        f"{key}={value!r:.24}": {"r.xml": suite(case(), attributes=f'{key}="{value}"')}
        for key in ("tests", "failures", "errors")
        for value in ("+1", "1.0", "1,200", "１", "1" * 20, "-1", "1e0", "one", "1 of 2", "0x1", "١")
    },
    "an odd count of the root": {"r.xml": f'<testsuites failures="+1">{GOOD}</testsuites>'},
    "an odd count under a prefix": {"r.xml": suite(case(), attributes='xmlns:x="urn:x" x:failures="1"')},
    # Cases that were run again: the suite's own number tells.
    "run again, and none may be flaky": settled(NO_FLAKY, case(), case(), attributes='tests="1"'),
    "run again twice": settled(NO_FLAKY, case(), case(), case(), case("lands"), attributes='tests="2"'),
    "run again, cases of another worker between": settled(NO_FLAKY, case(), case("lands"), case("turns"), case(), attributes='tests="3"'),
    "two that were run again, one in the other": settled(NO_FLAKY, case(), case("lands"), case(), case("lands"), attributes='tests="2"'),
    "run again with output": settled(NO_FLAKY, case(inside="<system-out>x</system-out>"), case(), attributes='tests="1"'),
    "run again, and failed again": {"r.xml": suite(case(), case(inside=FAIL), attributes='tests="1" failures="1"')},
    "failed in the end, cases between": {"r.xml": suite(case(), case("lands"), case(inside=FAIL), attributes='tests="2" failures="1"')},
    "one of a name failed, and no number tells of attempts": {"r.xml": suite(case(), case(inside=FAIL), case(), attributes='tests="3" failures="1"')},
    "a tear-down that failed, of a case run again": {"r.xml": suite(case(), case(), case(inside='<error message="failed on teardown"/>'), attributes='tests="1" errors="1"')},
}  # fmt: skip

FIT = {
    "a declared document": {"r.xml": DECLARED + GOOD},
    "blank space and comments behind": {"r.xml": f"{DECLARED}{GOOD}\n<!-- made by night -->\n<?done?>\n"},
    **{
        f"well, of a case, {attributes}": both(attributes=attributes)
        for attributes in (
            'outcome="passed"', 'success="true"', 'Success="True"', 'passed="1"', 'passed="yes"', 'failures="0" errors="0"', 'error="false"', 'failed="false"', 'failure=""',
            'status="" result=" "', 'result="PASS" outcome="Success"', 'assertions="3"', 'error="none"',
        )
    },
    **{
        f"well, of a suite, {attributes}": {"r.xml": suite(case(), attributes=attributes)}
        for attributes in ('result="Success"', 'status="passed"', 'success="True"', 'passed="1" failures="0"', 'tests=" 1 "', 'tests="" failures=""', 'tests="1" skipped="n/a"', 'success="1"')
    },
    "a skipped suite": {"r.xml": suite(case("a", "<skipped/>"), case("b"), attributes='status="skipped"')},
    "run again and passed": {"r.xml": suite(case(), case("lands"), case(), attributes='tests="2"')},
    "two of a name, and none may be flaky": settled(NO_FLAKY, case(), case(), attributes='tests="2"'),
    "two of a name without a number": settled(NO_FLAKY, case(), case()),
    "properties in properties": both('<properties><property name="a" value="b"><property name="c" value="d"/></property></properties>'),
}  # fmt: skip
