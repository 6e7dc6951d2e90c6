"""Nothing that a reader can fill is lost: every field of a check stands on the page, in a folder, and folded."""

import base64
import gzip
import re
from datetime import UTC, datetime

import msgspec
import pytest
from lxml import html

from plain_verdict import PageInfo, Report, Rules, judge, render
from plain_verdict.model import (
    Attempt,
    Body,
    Check,
    Content,
    ContentKind,
    Evidence,
    Exchange,
    Expectation,
    Fact,
    HttpRequest,
    HttpResponse,
    Kind,
    LogEntry,
    Outcome,
    Output,
    PictureRole,
    Problem,
    ResultFile,
    Rule,
    Run,
    Severity,
    SourceLocation,
    Step,
    Timings,
)
from plain_verdict.text.formatting import format_duration
from plain_verdict.writers.html.writer import PageWriter

NOT_SHOWN = {
    "Check.id": "it is the check's link",
    "Check.attempts": "each is shown by its own fields",
    "Evidence.path": "it would name the machine's folders",
    "Evidence.data": "once collected it is the content's",
    "Evidence.content": "it is the key of what is shown",
    "Expectation.exchange": "it decides which exchange is wrong",
    "Exchange.request": "it is shown by its own fields",
    "Exchange.response": "it is shown by its own fields",
    "Body.binary": "it is shown as evidence",
    "Check.rule": "it is shown by its own fields",
    "Rule.findings": "they are counted where rules are given, and shown one by one as problems",
    "Rule.new_findings": "a condition bounds them",
    "Rule.allowed": "the waiver that it becomes is shown",
    "Rule.risks": "each is a fact of the check as well; those past their deadline stand in the compliance section",
}
CONTAINERS = ("problems", "outputs", "logs", "evidence", "steps", "expectations", "exchanges", "body", "timings")
"""Fields whose structs are looked for themselves."""
API = (Exchange, Expectation, HttpRequest, HttpResponse, Body, Timings)
MOMENT = datetime(2026, 11, 22, 2, 10, 33, tzinfo=UTC)


def filled(struct: type[msgspec.Struct], mark: str, /, **given: object) -> tuple[msgspec.Struct, dict[str, str]]:
    """A struct with its own text in each field that is not given, and what to look for, by field."""
    values, wanted = dict(given), {}
    for field in msgspec.structs.fields(struct):
        key = f"{struct.__name__}.{field.name}"
        if field.name not in given:
            values[field.name] = f"{mark}-{field.name}"
            wanted[key] = values[field.name]
    return struct(**values), wanted


def whole_check() -> tuple[Check, tuple[Content, ...], dict[str, str]]:
    """A check with everything in it, its contents, and what must be found of it, by field."""
    wanted: dict[str, str] = {}

    def make(struct: type[msgspec.Struct], mark: str, also: dict[str, str] | None = None, /, **given: object):
        made, found = filled(struct, mark, **given)
        wanted.update(
            {f"{mark} {key}": text for key, text in (found | (also or {})).items() if key not in NOT_SHOWN}
        )
        return made

    def evidence(mark: str) -> Evidence:
        also = {"Evidence.at": "02:10:33", "Content.text": f"{mark}-content"}
        also |= {"Evidence.role": "poster, 02:10:33", "Evidence.began": "begins 02:10:33"}
        times = {"at": MOMENT, "began": MOMENT, "role": PictureRole.POSTER}
        return make(Evidence, mark, also, content=mark, path="/srv/secret", data=b"", unavailable="", **times)

    def expectation(mark: str) -> Expectation:
        return make(
            Expectation, mark, {"Expectation.outcome": "outcome failed"}, outcome=Outcome.FAILED, exchange=0
        )

    def body(mark: str) -> Body:
        also = {"Body.form": f"{mark}-form-value", "Body.size_bytes": "7.7 MB"}
        form = (Fact(f"{mark}-form-key", f"{mark}-form-value"),)
        piece = Evidence(f"{mark}-binary", unavailable=f"{mark}-unavailable")
        return make(Body, mark, also, form=form, binary=piece, size_bytes=7_700_000)

    def message(struct, mark: str, **more: object):
        headers = tuple(Fact(f"{mark}-header-{number}", f"{mark}-value-{number}") for number in range(8))
        told = {f"{struct.__name__}.{name}": str(value) for name, value in more.items()}
        also = told | {f"{struct.__name__}.headers": f"{mark}-value-7", f"{struct.__name__}.wire_bytes": "88 kB"}
        return make(struct, mark, also, headers=headers, body=body(f"{mark}body"), wire_bytes=88_000, **more)

    def exchange(mark: str) -> Exchange:
        seconds = {name: 0.5 + number / 10 for number, name in enumerate(Timings.__struct_fields__)}
        wanted.update({f"{mark} Timings.{name}": format_duration(took_s) for name, took_s in seconds.items()})
        return make(
            Exchange,
            mark,
            {"Exchange.took_s": "1 min 6 s", "Exchange.sent": "02:10:33", "Exchange.only_shown": "judges nothing"},
            request=message(HttpRequest, f"{mark}request"),
            response=message(HttpResponse, f"{mark}response", status=599),
            no_answer="",
            took_s=66,
            timings=Timings(**seconds),
            sent=MOMENT,
            only_shown=True,
        )

    def silent(mark: str) -> Exchange:
        wanted[f"{mark} Exchange.no_answer"] = f"{mark}-no-answer"
        return Exchange(HttpRequest("GET", "http://quay.test/silent"), no_answer=f"{mark}-no-answer")

    def parts(mark: str) -> dict[str, object]:
        return {
            "problems": (
                make(Problem, f"{mark}problem", {"Problem.outcome": "failure of type"}, outcome=Outcome.FAILED),
            ),
            "outputs": (make(Output, f"{mark}output"),),
            "logs": (make(LogEntry, f"{mark}log", {"LogEntry.at": "02:10:33"}, at=MOMENT),),
            "expectations": (expectation(f"{mark}expectation"),),
            "exchanges": (exchange(f"{mark}exchange"), silent(f"{mark}silent")),
            "evidence": (evidence(f"{mark}shot"), Evidence(f"{mark}gone", unavailable=f"{mark}-unavailable")),
        }

    wanted |= {f"{mark} Evidence.unavailable": f"{mark}-unavailable" for mark in ("last", "step", "earlier")}
    times = {"outcome": Outcome.FAILED, "started": MOMENT}
    shown = {"Step.took_s": "1 min 17 s", "Step.started": "began 02:10:33", "Step.outcome": "failed"}
    inner = make(
        Step,
        "inner",
        shown,
        **times,
        took_s=77,
        **dict.fromkeys(("problems", "outputs", "logs", "evidence", "steps", "expectations", "exchanges"), ()),
    )
    step = make(Step, "step", shown, **times, took_s=77, steps=(inner,), **parts("step"))
    about = {
        "Attempt.outcome": "outcome failed",
        "Attempt.took_s": "1 min 19 s",
        "Attempt.started": "02:10:33",
        "Attempt.number": "attempt 7",
    }
    earlier = make(Attempt, "earlier", about, **times, took_s=79, number=7, steps=(), cause="", **parts("earlier"))
    last = make(
        Attempt,
        "last",
        {"Attempt.took_s": "1 min 20 s", "Attempt.number": "attempt 9"},
        **times,
        took_s=80,
        number=9,
        steps=(step,),
        **parts("last"),
    )
    check = make(
        Check,
        "check",
        {"Check.kind": ">compliance<", "Check.location": "desk.py:52", "Check.variant": "firefox"}
        | {f"Check.{name}": f"check-{name}-value" for name in ("parameters", "facts")}
        | {f"Check.{name}": f"check-{name}" for name in ("suite", "tags", "requirements")}
        | {"Check.links": "https://example.test/check-links"},
        id="c-0123456789ab",
        kind=Kind.COMPLIANCE,
        attempts=(earlier, last),
        suite=("check-suite",),
        parameters=(Fact("check-parameters-key", "check-parameters-value"),),
        location=SourceLocation("desk.py", 52),
        facts=(Fact("check-facts-key", "check-facts-value"),),
        tags=("check-tags",),
        requirements=("check-requirements",),
        links=(Fact("check-links-key", "https://example.test/check-links"),),
        variant=(Fact("browser", "firefox"),),
        rule=Rule(Severity.CRITICAL, "check-why", "check-mend", findings=1, suppressed_findings=7),
    )
    shown_of_rule = {
        "severity": "critical",
        "why": "check-why",
        "remediation": "check-mend",
        "suppressed_findings": "7 places",
    }
    wanted.update({f"check Rule.{name}": mark for name, mark in shown_of_rule.items()})
    contents = tuple(
        Content(mark, ContentKind.TEXT, "text/plain", text=f"{mark}-content")
        for mark in ("lastshot", "stepshot", "earliershot")
    )
    return check, contents, wanted


def texts_of(writer: object, report: Report) -> str:
    """Everything that an output holds, what is folded unpacked."""
    parts = []
    for file in render(report, writer):
        text = file.content.decode("utf-8", "replace") if isinstance(file.content, bytes) else "".join(file.content)
        if not file.name.endswith(".html"):
            continue
        parts.append(text)
        packed = html.fromstring(text).cssselect("#columns, script[id^='block-']")
        parts += [gzip.decompress(base64.b64decode(script.text)).decode() for script in packed]
    return "\n".join(parts)


@pytest.mark.parametrize("writer", ["page", "folder", PageWriter(fold_after=0)], ids=["page", "folder", "folded"])
def test_every_field_of_a_check_is_shown(writer, monkeypatch):
    # Past this number of failures the page folds them; here one that failed must be folded.
    monkeypatch.setattr("plain_verdict.writers.html.folding.PLAIN_FAILURES", 0)
    monkeypatch.setattr("plain_verdict.writers.html.folding.PLAIN_OF_ALL_CAUSES", 0)
    check, contents, wanted = whole_check()
    run = Run((ResultFile("r.xml", "record", 1, (check,)),), contents=contents)
    report = Report(run, judge(run, Rules(), MOMENT.date()), PageInfo(MOMENT))
    text = texts_of(writer, report)
    text = f"{text}{re.sub('<[^<>]+>', '', text)}".lower()  # what differs is marked inside values
    missing = {key: mark for key, mark in wanted.items() if mark.lower() not in text}
    assert missing == {}
    looked_for = {key.partition(" ")[2] for key in wanted} | NOT_SHOWN.keys()
    fields = {
        f"{struct.__name__}.{name}"
        for struct in (*(Check, Rule, Attempt, Step, Problem, LogEntry, Output, Evidence), *API)
        for name in struct.__struct_fields__
        if name not in CONTAINERS
    }
    assert fields - looked_for == set()
    assert "/srv/secret" not in text
