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
    Check,
    Content,
    ContentKind,
    Evidence,
    Fact,
    Kind,
    LogEntry,
    Outcome,
    Output,
    Place,
    Problem,
    ResultFile,
    Run,
    Step,
)
from plain_verdict.writers.html.writer import PageWriter

NOT_SHOWN = {
    "Check.id": "it is the check's link",
    "Check.attempts": "each is shown by its own fields",
    "Evidence.path": "it would name the machine's folders",
    "Evidence.data": "once collected it is the content's",
    "Evidence.content": "it is the key of what is shown",
}
CONTAINERS = ("problems", "outputs", "logs", "evidence", "steps")
"""Fields whose structs are looked for themselves."""
MOMENT = datetime(2026, 11, 22, 2, 10, 33, tzinfo=UTC)


def filled(struct: type[msgspec.Struct], mark: str, /, **given: object) -> tuple[msgspec.Struct, dict[str, str]]:
    """A struct with a text of its own in each field that is not given, and what to look for, by field."""
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
        return make(Evidence, mark, also, content=mark, at=MOMENT, path="/srv/secret", data=b"", unavailable="")

    def parts(mark: str) -> dict[str, object]:
        return {
            "problems": (
                make(Problem, f"{mark}problem", {"Problem.outcome": "failure of type"}, outcome=Outcome.FAILED),
            ),
            "outputs": (make(Output, f"{mark}output"),),
            "logs": (make(LogEntry, f"{mark}log", {"LogEntry.at": "02:10:33"}, at=MOMENT),),
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
        **dict.fromkeys(("problems", "outputs", "logs", "evidence", "steps"), ()),
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
        {"Check.kind": ">compliance<", "Check.place": "desk.py:52", "Check.variant": "firefox"}
        | {f"Check.{name}": f"check-{name}-value" for name in ("parameters", "facts")}
        | {f"Check.{name}": f"check-{name}" for name in ("suite", "tags", "requirements")}
        | {"Check.links": "https://example.test/check-links"},
        id="c-0123456789ab",
        kind=Kind.COMPLIANCE,
        attempts=(earlier, last),
        suite=("check-suite",),
        parameters=(Fact("check-parameters-key", "check-parameters-value"),),
        place=Place("desk.py", 52),
        facts=(Fact("check-facts-key", "check-facts-value"),),
        tags=("check-tags",),
        requirements=("check-requirements",),
        links=(Fact("check-links-key", "https://example.test/check-links"),),
        variant=(Fact("browser", "firefox"),),
    )
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
        for struct in (Check, Attempt, Step, Problem, LogEntry, Output, Evidence)
        for name in struct.__struct_fields__
        if name not in CONTAINERS
    }
    assert fields - looked_for == set()
    assert "/srv/secret" not in text
