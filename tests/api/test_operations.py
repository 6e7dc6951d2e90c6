"""Operations: templates, OpenAPI documents, numbers, conditions, causes; and the kinds of a run."""

import csv
import json
import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plain_verdict.api.document import read_document
from plain_verdict.api.numbers import LEAST_VALUES, percentile
from plain_verdict.api.templates import Templates, guess_template
from plain_verdict.runtime.errors import ReadError, UsageError

PATHS = {
    "/sailings/42/fares": "/sailings/{…}/fares",
    "/bookings/0189b2f0-7c1e-7d52-9c4e-3d6a5a1b2c3d": "/bookings/{…}",
    "/files/9f86d081884c7d659a2feaa0c55ad015": "/files/{…}",
    "/sailings/BQ-2203": "/sailings/{…}",
    "/days/2026-07-04/sailings": "/days/{…}/sailings",
    "/users/ida@brindle-quay.test": "/users/{…}",
    "/t/[masked, 8 to 15 characters]/x": "/t/{…}/x",
    "/v/aB3dE5fG7hI9jK1lM": "/v/{…}",
    "/v2/sailings": "/v2/sailings",
    "/oauth2/token": "/oauth2/token",
    "/facade/decade": "/facade/decade",
    "/s3/bucket-1": "/s3/bucket-1",
    "/sha256": "/sha256",
    "/": "/",
}


@pytest.mark.parametrize(("path", "template"), PATHS.items())
def test_only_what_clearly_is_a_value_leaves_a_path(path, template):
    assert guess_template(path) == template


def test_a_fixed_path_wins_over_a_template_that_would_swallow_it():
    found = Templates(
        ["/{kind}/{id}", "/bookings/{id}", "/bookings/open", "/bookings/{id}/seats", "/{kind}/open", "/a.{ext}"]
    )
    asked = [
        "/bookings/open",
        "/bookings/7",
        "/sailings/open",
        "/sailings/7",
        "/bookings/7/seats",
        "/a.json",
        "/bookings",
    ]
    wanted = [
        "/bookings/open",
        "/bookings/{id}",
        "/{kind}/open",
        "/{kind}/{id}",
        "/bookings/{id}/seats",
        "/a.{ext}",
        "",
    ]
    assert [found.find(path) for path in asked] == wanted


@given(st.lists(st.floats(0, 1e6), min_size=1, max_size=400), st.sampled_from(sorted(LEAST_VALUES)))
def test_a_percentile_is_the_nearest_rank_or_nothing(values, per_cent):
    ordered = sorted(values)
    found = percentile(ordered, per_cent)
    if len(values) < LEAST_VALUES[per_cent]:
        assert found is None
    else:
        # Source: Hyndman & Fan 1996, definition 1: the least value that as large a part of all does not exceed.
        assert found == next(
            value for value in ordered if sum(other <= value for other in ordered) * 100 >= per_cent * len(values)
        )


def test_a_percentile_needs_so_many_values_that_it_is_bounded():
    assert {
        per_cent: math.ceil(math.log(0.05) / math.log(per_cent / 100)) for per_cent in LEAST_VALUES
    } == LEAST_VALUES


GOOD = """
openapi: 3.1.0
info: {title: Fares}
servers: [{url: "https://{place}.test/v2", variables: {place: {default: fares}}}, {url: /v3/}, {url: "http://[bad"}]
paths:
  /sailings/{id}: {get: {operationId: one, responses: {200: {}, default: {}}}}
  /sailings/{other}: {get: {responses: {"200": {}}}}
  /sailings/{id}/fares: {$ref: "#/components/pathItems/Fares"}
  /loop: {$ref: "#/paths/~1loop"}
  /far: {$ref: "https://elsewhere.test/api.yaml#/x"}
  /gone: {$ref: "#/components/pathItems/Gone"}
  /odd: {get: 7, parameters: [], post: {responses: {2XX: {}}}}
  x-own: {}
components:
  pathItems:
    Fares: {get: {summary: Fares of a sailing, responses: {"404": {}}}}
"""


def test_a_document_gives_operations_and_notes_what_it_can_not_follow(tmp_path):
    (tmp_path / "a.yaml").write_text(GOOD)
    found = read_document(str(tmp_path / "a.yaml"))
    assert [(one.method, one.path, one.title, one.statuses) for one in found.operations] == [
        ("GET", "/sailings/{id}", "one", ("200", "default")),
        ("GET", "/sailings/{id}/fares", "Fares of a sailing", ("404",)),
        ("POST", "/odd", "", ("2XX",)),
    ]
    assert found.bases == (("fares.test", "/v2"), ("", "/v3"))
    for said in (
        "is the same as GET /sailings/{id}",
        "/loop refers to itself",
        "which is not fetched",
        "/gone refers to a missing part",
    ):
        assert sum(said in note for note in found.notes) == 1


BOMB = "a: &a {x: 1, y: 2, z: 3}\n" + "".join(
    f"{name}: &{name} {{<<: [{', '.join(f'*{before}' for _ in range(9))}]}}\n"
    for before, name in zip("abcdefgh", "bcdefghi", strict=True)
)
BAD = {
    "empty": ("", "is empty"),
    "swagger 2": ('{"swagger": "2.0", "paths": {}}', "is a Swagger 2.0 document; OpenAPI 3.0 and 3.1 are read"),
    "version 4": ("openapi: 4.0.0\n", "is of version 4.0.0"),
    "no version": ("paths: {}", "names no version of OpenAPI"),
    "no operations": ("openapi: 3.0.0\npaths: {/a: {}}", "describes no operation"),
    "a list": ("- a\n- b\n", "is not an OpenAPI document"),
    "broken yaml": ("openapi: [3.0", "can't be read"),
    "broken json": ('{"openapi": ', "can't be read"),
    "aliases that explode": (BOMB, "so no call is compared with it"),
    "an object of python": ("openapi: !!python/object/apply:os.system [ls]", "can't be read"),
    "no text": ("\xff\xfe\x00", "is not UTF-8 text"),
}  # fmt: skip


@pytest.mark.parametrize(("text", "said"), BAD.values(), ids=BAD)
def test_a_bad_document_costs_the_comparison_and_nothing_else(tool, tmp_path, text, said):
    path = tmp_path / "api.yaml"
    path.write_bytes(text.encode("latin-1"))
    with pytest.raises(ReadError):
        read_document(str(path))
    (tmp_path / "r.xml").write_text('<testsuite name="Desk"><testcase name="x"/></testsuite>')
    done = tool("report", "r.xml", "--api-document", "api.yaml")
    assert done.out.startswith("Fit: ")
    assert said in done.err
    assert "Traceback" not in done.err


def test_the_settings_check_says_what_the_document_holds(tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[api]\ndocument = "a.yaml"\n')
    (tmp_path / "a.yaml").write_text(GOOD)
    done = tool("check")
    assert (done.code, "API document: Fares, 3 operations" in done.out, "refers to itself" in done.out) == (
        0,
        True,
        True,
    )
    (tmp_path / "a.yaml").write_text("")
    assert "a.yaml is empty, so no call is compared with it" in tool("check").out
    (tmp_path / "a.yaml").unlink()
    assert tool("check").code == 2


def test_a_document_that_is_not_there_is_wrong_usage(tool, tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite name="Desk"><testcase name="x"/></testsuite>')
    assert tool("report", "r.xml", "--api-document", "gone.yaml").code == 2
    with pytest.raises(UsageError):
        read_document(str(tmp_path / "gone.yaml"))


def line(what, **keys):
    return json.dumps({"what": what, **keys}) + "\n"


def check(number, path, status, took_s=0.01, *, expected=None, suite="Book", method="GET", body=""):
    """The lines of a check with one exchange; without a status nothing came back."""
    response = (
        {
            "response": {
                "status": status,
                "reason": "Said",
                "headers": [["content-type", "application/problem+json"]],
                "body": body,
            }
        }
        if status
        else {}
    )
    bad = expected is not None and expected != status
    yield line("check", id=str(number), name=f"check {number}", suite=[suite], kind="api")
    yield line(
        "exchange",
        **{"in": str(number)},
        took_s=took_s,
        request={"method": method, "url": f"https://fares.test{path}", "headers": [["x-way", "north"]]},
        **response,
    )
    if expected is not None:
        yield line(
            "expectation",
            **{"in": str(number)},
            subject="status",
            outcome="failed" if bad else "passed",
            expected=str(expected),
            actual=str(status),
        )
    yield line("end", id=str(number), outcome="failed" if bad or not status else "passed")


@pytest.fixture
def calls(tmp_path):
    """A record of 70 calls: 60 sailings, 8 bookings of which two are wrong, one refused as expected, one silent."""
    lines = [line("record", version=1)]
    for number in range(60):
        lines += check(number, f"/sailings/{number}", 200, (number + 1) / 100, suite="Timetable")
    busy = '{"title": "Fare service busy", "detail": "queue"}'
    for number in range(60, 68):
        lines += check(
            number, "/bookings", 503 if number < 62 else 201, 1.5, expected=201, method="POST", body=busy
        )
    lines += check(68, "/bookings/7", 404, expected=404)
    lines += check(69, "/bookings/8", None, 30)
    (tmp_path / "r.verdict.jsonl").write_text("".join(lines))
    document = "openapi: 3.1.0\ninfo: {title: Fares}\npaths:\n  /sailings/{id}: {get: {responses: {200: {}}}}\n"
    document += "  /bookings: {post: {responses: {201: {}}}, get: {responses: {200: {}}}}\n"
    (tmp_path / "api.yaml").write_text(document)


def test_the_numbers_of_each_operation_are_those_a_loop_counts(calls, tool):
    done = json.loads(tool("inspect", "r.verdict.jsonl", "--json").out)
    keys = ("operation", "calls", "wrong", "unanswered", "statuses", "mean_ms", "p50_ms", "p95_ms", "longest_ms")
    assert [tuple(row[key] for key in keys) for row in done["operations"]] == [
        ("POST /bookings", 8, 2, 0, {"201": 6, "503": 2}, 1500.0, 1500.0, None, 1500.0),
        ("GET /bookings/{…}", 2, 1, 1, {"404": 1}, 15005.0, None, None, 30000.0),
        ("GET /sailings/{…}", 60, 0, 0, {"200": 60}, 305.0, 300.0, 570.0, 600.0),
    ]
    assert done["kinds"] == [
        {
            "kind": "api",
            "verdict": "not fit",
            "sentence": "Not fit: 3 of 70 checks failed; 67 of 70 calls to 3 operations as expected.",
            "counts": {"passed": 67, "failed": 3, "errored": 0, "skipped": 0, "undecided": 0},
        }
    ]


CONDITIONS = {
    'measure = "calls"\nat_least = 70': ("Met", "Calls: at least 70", "70 calls"),
    'measure = "wrong calls"\nat_most = 2': ("Not met", "Wrong calls: at most 2", "3 wrong calls"),
    'measure = "wrong calls"\nat_most = 0\nscope = { operation = "GET /sailings/{id}" }': ("Met", "Wrong calls of GET /sailings/{id}: at most 0", "0 wrong calls"),
    'measure = "calls"\nexactly = 2\nscope = { status = "5xx" }': ("Met", "Calls answered 5xx: exactly 2", "2 calls"),
    'measure = "calls"\nexactly = 1\nscope = { status = "no answer" }': ("Met", "Calls answered no answer: exactly 1", "1 call"),
    'measure = "calls"\nexactly = 60\nscope = { suite = "Timetable" }': ("Met", "Calls in Timetable: exactly 60", "60 calls"),
    'measure = "p95"\nat_most = "1 s"\nscope = { operation = "GET /sailings/*" }': ("Met", "p95 of GET /sailings/*: at most 1.0 s", "570 ms"),
    'measure = "p95"\nat_most = "1 s"\nscope = { operation = "POST /bookings" }': ("Open", "p95 of POST /bookings: at most 1.0 s", "8 calls; p95 needs at least 59 with a time"),
    'measure = "p50"\nat_most = "1 s"\nscope = { operation = "POST /bookings" }': ("Not met", "p50 of POST /bookings: at most 1.0 s", "1.5 s"),
    'measure = "p99"\nat_most = "1 s"': ("Open", "p99: at most 1.0 s", "70 calls; p99 needs at least 299 with a time"),
    'measure = "longest"\nat_most = "2 s"': ("Not met", "Longest: at most 2.0 s", "30.0 s"),
    'measure = "operations not called"\nat_most = 0': ("Not met", "Operations not called: at most 0", "1 operation not called"),
    'measure = "undocumented answers"\nat_most = 0': ("Not met", "Undocumented answers: at most 0", "3 undocumented answers"),
}  # fmt: skip


@pytest.mark.parametrize(("rule", "wanted"), CONDITIONS.items(), ids=list(CONDITIONS))
def test_a_condition_on_calls_is_weighed(calls, tool, tmp_path, rule, wanted):
    (tmp_path / "plain-verdict.toml").write_text(f'[api]\ndocument = "api.yaml"\n[[condition]]\n{rule}\n')
    tool("report", "r.verdict.jsonl", "--tables", "t")
    state, words, met = wanted
    with (tmp_path / "t" / "conditions.csv").open(encoding="utf-8", newline="") as file:
        rows = [(row["state"].capitalize(), row["words"], row["value"]) for row in csv.DictReader(file)]
    assert (state, words, met) in rows


def test_without_a_document_there_is_nothing_to_compare_with(calls, tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "operations not called"\nat_most = 0\n')
    done = json.loads(tool("judge", "r.verdict.jsonl", "--json").out)
    assert "operations not called" not in done["sentence"].lower()
    assert done["verdict"] == "not fit"
    (tmp_path / "plain-verdict.toml").write_text(
        '[[condition]]\nmeasure = "checks"\nat_least = 1\nscope = { operation = "x" }\n'
    )
    assert "the measure 'checks' has no scope 'operation'" in tool("judge", "r.verdict.jsonl").err


MATCHES = {'status = "503"': 2, 'status = "5xx"': 2, 'status = "no answer"': 1, 'method = "POST"': 2, 'url = "/bookings/8"': 1,
           'header = "x-way: north"': 3, 'body = "queue"': 2, 'status = "503", url = "/sailings"': 0, 'body = "/Fare \\\\w+/"': 2}  # fmt: skip


@pytest.mark.parametrize(("match", "number"), MATCHES.items())
def test_a_cause_rule_looks_at_exchanges(calls, tool, tmp_path, match, number):
    (tmp_path / "plain-verdict.toml").write_text(f'[[cause]]\nname = "Ruled"\nmatch = {{ {match} }}\n')
    causes = json.loads(tool("judge", "r.verdict.jsonl", "--json").out)["causes"]
    assert {cause["name"]: cause["count"] for cause in causes}.get("Ruled", 0) == number


def test_failures_alike_in_status_and_operation_share_a_cause_that_says_so(calls, tool):
    causes = json.loads(tool("judge", "r.verdict.jsonl", "--json").out)["causes"]
    assert [(cause["name"], cause["count"], cause["typical"]) for cause in causes] == [
        ("Fare service busy (503 from POST /bookings)", 2, "Fare service busy: queue"),
        ("No answer from GET /bookings/{…}", 1, "nothing came back"),
    ]


SILENT = {  # paths, why, what the causes are called
    "refused": (("/fares", "/seats"), "Connection refused", ["No answer from fares.test (2 operations)"]),
    "one operation refused": (("/fares",), "Failed to connect", ["No answer from GET /fares"]),
    "a login": ((":8/fares", ":8/seats"), "name not resolved", ["No answer from fares.test:8 (2 operations)"]),
    "no address": (("]/fares",), "Connection refused", ["No answer from GET /fares"]),
    "timed out": (("/fares", "/seats"), "timed out after 30 s", ["No answer from GET /fares", "No answer from GET /seats"]),
}  # fmt: skip


@pytest.mark.parametrize(("paths", "why", "names"), SILENT.values(), ids=list(SILENT))
def test_a_host_that_cannot_be_reached_is_one_cause_and_a_slow_operation_its_own(tool, tmp_path, paths, why, names):
    lines = [line("record", version=1)]
    for number, path in enumerate(paths):
        lines += [
            text.replace('"request"', f'"no_answer": "{why}", "request"') for text in check(number, path, None)
        ]
    (tmp_path / "r.verdict.jsonl").write_text("".join(lines))
    causes = json.loads(tool("judge", "r.verdict.jsonl", "--json").out)["causes"]
    assert [cause["name"] for cause in causes] == names


def test_the_caller_tells_what_kind_a_file_is(tool, tmp_path):
    for name in ("desk", "fares", "rules"):
        (tmp_path / f"{name}.xml").write_text(f'<testsuite name="{name}"><testcase name="x"/></testsuite>')
    done = json.loads(tool("judge", "desk.xml", "api=fares.xml", "compliance=r*.xml", "--json", "--detail").out)
    assert [check["kind"] for check in done["checks"]] == ["functional", "api", "compliance"]
    assert [kind["kind"] for kind in done["kinds"]] == ["functional", "api", "compliance"]
    assert done["sentence"] == "Fit: all 3 checks passed."
    (tmp_path / "plain-verdict.toml").write_text('[input]\nkinds = { api = ["fares*"], load = ["rules.xml"] }\n')
    done = json.loads(tool("judge", ".", "compliance=rules.xml", "--json", "--detail").out)
    assert [check["kind"] for check in done["checks"]] == ["functional", "api", "compliance"]
    assert "is given as api and as load" in tool("judge", "api=desk.xml", "load=desk.xml").err
    (tmp_path / "api=desk.xml").write_text((tmp_path / "desk.xml").read_text())
    assert json.loads(tool("judge", "api=desk.xml", "--json").out)["files"][0]["path"] == "api=desk.xml"


def test_a_kind_is_never_better_than_what_could_be_read(tool, tmp_path):
    (tmp_path / "desk.xml").write_text('<testsuite name="desk"><testcase name="x"/></testsuite>')
    (tmp_path / "fares.xml").write_text('<testsuite name="fares"><testcase name="x"/></testsuite>')
    (tmp_path / "lost.xml").write_text("")
    for results in (
        ["desk.xml", "lost.xml"],
        ["desk.xml", "api=fares.xml", "lost.xml"],
        ["desk.xml", "api=gone.xml"],
    ):
        done = json.loads(tool("judge", *results, "--json").out)
        assert {done["verdict"], *(kind["verdict"] for kind in done["kinds"])} == {"undecided"}
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "checks"\nat_least = 5\n')
    done = json.loads(tool("judge", "desk.xml", "--json").out)
    assert (done["verdict"], done["kinds"][0]["verdict"]) == ("not fit", "not fit")


def test_two_services_never_share_an_operation(tool, tmp_path):
    made = random.Random(4)
    lines = [line("record", version=1)]
    for number in range(40):
        text = "".join(check(number, f"/sailings/{made.randrange(9)}", 200))
        lines.append(text.replace("fares.test", f"quay-{number % 2}.test"))
    (tmp_path / "r.verdict.jsonl").write_text("".join(lines))
    found = json.loads(tool("judge", "r.verdict.jsonl", "--json").out)["operations"]
    assert sorted((row["operation"], row["calls"]) for row in found) == [
        ("GET //quay-0.test/sailings/{…}", 20),
        ("GET //quay-1.test/sailings/{…}", 20),
    ]
