"""What holds for exchanges of any content: nothing breaks, no secret stays, a large page folds."""

import json
from types import SimpleNamespace

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plain_verdict.http.bodies import read_body
from plain_verdict.http.building import split_url
from plain_verdict.http.curl import curl_command
from plain_verdict.http.har import exchange_of, page_titles
from plain_verdict.masking import Masker, MaskRules
from plain_verdict.masking.structured import Structured
from plain_verdict.model import Body, Fact, HttpRequest
from plain_verdict.model.transform import Change, transform
from plain_verdict.settings.limits import Limits
from plain_verdict_recorder import Recorder

KEYS = ("request", "response", "url", "method", "headers", "name", "value", "status", "content", "text", "encoding", "size",
        "mimeType", "timings", "wait", "time", "startedDateTime", "postData", "params", "comment", "_error")  # fmt: skip
JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=20) | st.sampled_from(("base64", "GET", "-1", "https://f.test/a?b#c")),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(KEYS) | st.text(max_size=6), inner, max_size=6),
    max_leaves=25,
)  # fmt: skip


@given(JSON, JSON)
@settings(max_examples=400, deadline=None)
def test_no_entry_of_any_mapping_breaks_the_reading(entry, more):
    request = {"url": "https://f.test/", "method": "GET", "headers": more, "postData": more}
    for made in (
        entry,
        {"request": request, "response": entry, "timings": more, "time": more, "startedDateTime": more},
    ):
        found = exchange_of(made, Limits())
        if found is not None:
            curl_command(found)
            assert found.took_s is None or found.took_s >= 0
            assert (found.response is None) == bool(found.no_answer)
    page_titles([entry, more], Limits())


@given(st.binary(max_size=300), st.sampled_from(("", "text/xml", "application/json", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x", "image/png", "text/plain; charset=utf-7")), st.sampled_from(("", "gzip", "deflate", "br")))  # fmt: skip
@settings(max_examples=400, deadline=None)
def test_no_body_breaks_the_reading_and_none_is_lost(data, media_type, coding):
    body = read_body(data, media_type, Limits(), coding=coding)
    assert (body is None) == (not data)
    if body is not None:
        assert body.size_bytes is not None
        assert not any(ord(char) < 32 and char not in "\n\t" for char in body.text)


@given(st.text(max_size=60))
def test_every_address_has_a_path(url):
    host, path = split_url(url)
    assert path
    assert "?" not in path
    assert "#" not in path
    assert "/" not in host


SECRET_KEYS = (
    "password",
    "client_secret",
    "api-key",
    "apiKey",
    "Authorization",
    "refresh_token",
    "session_id",
    "Set-Cookie",
    "pin_code",
)
OTHER_KEYS = ("sailing", "adults", "total", "monkey", "tokenizer_name", "keyboard")


@given(
    st.sampled_from(SECRET_KEYS),
    st.from_regex(r"[a-z]{3}[0-9]{2}[a-z]{1,8}", fullmatch=True),
    st.sampled_from(OTHER_KEYS),
    st.integers(0, 3),
)
@settings(max_examples=200, deadline=None)
def test_whatever_stands_under_a_secret_key_is_masked_in_any_form(key, secret, other, depth):
    value = {key: secret, other: "kept-word"}
    for _ in range(depth):
        value = {"inner": [value]}
    query = f"https://f.test/a?{key}={secret}&{other}=kept-word"
    texts = (
        msgspec.json.format(json.dumps(value), indent=2),
        json.dumps({key: [secret, secret], other: "kept-word"}),
        f"<a><{key}>{secret}</{key}><{other}>kept-word</{other}></a>",
        f'<a {key}="{secret}" {other}="kept-word"/>',
    )
    masker = Masker(MaskRules())
    change = Change(
        text=masker.text, whole=Structured(masker, Change(text=masker.text, whole={Fact: masker.fact})).changes
    )
    for text in texts:
        masked = transform(Body("application/json", text), change).text
        assert secret not in masked
        assert "kept-word" in masked
    masked_url = transform(HttpRequest("GET", query), change).url
    assert secret not in masked_url
    assert "kept-word" in masked_url
    form = transform(Body(form=(Fact(key, secret), Fact(other, "kept-word"))), change).form
    assert (secret in form[0].value, form[1].value) == (False, "kept-word")


def test_masking_can_be_off_for_exchanges_as_well(tmp_path, tool):
    record = Recorder(tmp_path / "r.verdict.jsonl")
    with record.check("x", kind="api"):
        record.exchange(method="GET", url="https://f.test/?token=a1b2c3d4", status=200)
    tool("report", "r.verdict.jsonl", "--no-masking", "--out", "p.html")
    assert "token=a1b2c3d4" in (tmp_path / "p.html").read_text()


class Broken:
    """A response whose every part raises."""

    status_code = 200

    def __getattr__(self, name):
        raise RuntimeError(name)


def test_a_recorder_takes_odd_responses_and_never_breaks_the_test(tmp_path):
    record = Recorder(tmp_path / "r.verdict.jsonl")
    odd = SimpleNamespace(
        status_code=200,
        content=b"\xff\xfe",
        headers=[("a", "1"), ("a", "2")],
        request=SimpleNamespace(method="PUT", url="https://f.test/", headers={}, body="x"),
    )
    with record.check("x"):
        with pytest.warns(UserWarning, match="one thing is not recorded"):
            record.exchange(Broken())
        record.exchange(odd)
        record.exchange(request={"method": "GET", "url": "https://f.test/"}, status=204, took_s=0.1)
    lines = [json.loads(line) for line in (tmp_path / "r.verdict.jsonl").read_text().splitlines()]
    told = [line for line in lines if line["what"] == "exchange"]
    assert [line["response"]["status"] for line in told] == [200, 204]
    assert told[0]["response"]["base64"] == "//4="
    assert told[0]["response"]["headers"] == [["a", "1"], ["a", "2"]]


def test_few_checks_with_very_much_text_make_a_folded_page_that_says_its_size(tmp_path, tool):
    record = Recorder(tmp_path / "r.verdict.jsonl")
    for number in range(60):
        with record.check(f"sails {number}", kind="api"):
            for part in range(3):
                body = f'{{"a": "{"".join(chr(97 + (number * part + at) % 26) for at in range(15_000))}"}}'
                record.exchange(
                    request={"method": "POST", "url": "https://f.test/a", "body": body},
                    response={"status": 200, "body": body},
                )
    tool("report", "r.verdict.jsonl", "--out", "p.html")
    page = (tmp_path / "p.html").read_text()
    assert 'id="columns"' in page
    assert "60 checks are folded" in page.replace("\n", " ")
    done = tool("report", "r.verdict.jsonl", "--out", "q.html", "--size-limit", "200kB", "--json")
    assert "can't be kept under 200 kB" in "".join(json.loads(done.out)["evidence_notes"])
    assert "60 API checks: 60 passed" in tool("inspect", "r.verdict.jsonl").out


WRONG = {
    '[input]\nkinds = { ap = ["x"] }': "did you mean",
    "[input]\nkinds = { api = 3 }": "must be a list",
    "[api]\ndocuments = 1": "document",
    '[[condition]]\nmeasure = "p95"\nat_most = 5': "needs a unit of time",
    '[[condition]]\nmeasure = "calls"\nat_most = "5 s"': "is not a count",
    '[[condition]]\nmeasure = "operations not called"\nat_most = 1\nscope = { suite = "x" }': "has no scope 'suite'",
    '[[cause]]\nname = "x"\nmatch = { body = "/(/" }': "is not a regular expression",
}


@pytest.mark.parametrize(("text", "said"), WRONG.items(), ids=list(WRONG))
def test_wrong_settings_of_an_api_are_told_in_one_line(tmp_path, tool, text, said):
    (tmp_path / "plain-verdict.toml").write_text(text)
    done = tool("check")
    assert done.code == 2
    assert said in done.err
    assert done.err.startswith("error: plain-verdict.toml")


def test_an_expectation_that_says_two_things_is_not_believed(tmp_path, tool):
    lines = (
        '{"what": "record", "version": 1}',
        '{"what": "check", "id": "a", "name": "sails"}',
        '{"what": "expectation", "in": "a", "subject": "status", "outcome": "failed", "outcome": "passed"}',
        '{"what": "expectation", "in": "gone", "subject": "status", "outcome": "failed"}',
        '{"what": "end", "id": "a", "outcome": "passed"}',
    )
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(lines) + "\n")
    done = tool("judge", "r.verdict.jsonl")
    assert "stands in it twice" in done.err
    assert "has 1 line for checks or steps that it never starts" in done.err
    assert done.out.startswith("Undecided: ")
