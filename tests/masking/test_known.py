"""Secrets that the job knows are found in every form and place, and in no other text."""

import base64
import email
import email.policy
import gzip
import html
import io
import json
import random
import re
import shlex
import string
import textwrap
import zipfile
from urllib.parse import quote, quote_plus

import pytest
from pypdf import PdfReader

from plain_verdict.masking import KnownValue, Masker, MaskRules
from plain_verdict.masking.variables import secrets_of_environment

SECRET = "Quay-77/harbour+light&lönn$"
SIGNS = 'k@2#"x!9$<7>&\\'
TOKEN = "ZpQ81kLw93TtYvB72mNs"


def b64(text, before=""):
    return base64.b64encode((before + text).encode()).decode()


FORMS = {
    "as it is": str,
    "percent": lambda v: quote(v, safe=""),
    "percent, lower case": lambda v: "".join(chr(b) if b < 128 and chr(b).isalnum() else f"%{b:02x}" for b in v.encode()),
    "percent in a path": quote,
    "percent in a form": quote_plus,
    "percent twice": lambda v: quote(quote(v, safe=""), safe=""),
    "percent, all of it": lambda v: "".join(f"%{b:02X}" for b in v.encode()),
    "JSON": json.dumps,
    "JSON with slashes escaped": lambda v: json.dumps(v).replace("/", "\\/"),
    "JSON as it is written by hand": lambda v: json.dumps(v, ensure_ascii=False),
    "JSON in JSON": lambda v: json.dumps(json.dumps({"x": v})),
    "JSON, all of it": lambda v: "".join(f"\\u{ord(c):04x}" for c in v),
    "HTML": html.escape,
    "HTML twice": lambda v: html.escape(html.escape(v)),
    "HTML, decimal": lambda v: "".join(f"&#{ord(c)};" for c in v),
    "HTML, hexadecimal": lambda v: "".join(f"&#x{ord(c):X};" for c in v),
    "HTML in JSON": lambda v: json.dumps(html.escape(v)),
    "shell quotes": lambda v: shlex.quote(v + "'")[:-1],
    "shell backslashes": lambda v: "".join(c if c.isalnum() else f"\\{c}" for c in v),
    "Base64": b64,
    "Base64 after one byte": lambda v: b64(v, ":"),
    "Base64 after two bytes": lambda v: b64(v, "u:"),
    "Base64 of user and password": lambda v: b64(v, "kari.nord@desk.test:"),
    "Base64 for addresses": lambda v: base64.urlsafe_b64encode(f"desk:{v}:x".encode()).decode(),
    "Base64 of UTF-16": lambda v: base64.b64encode(f"login {v} now".encode("utf-16-le")).decode(),
    "Base64 in an address": lambda v: quote(b64(v, "ab"), safe=""),
    "Base64, wrapped": lambda v: "\n".join(textwrap.wrap(b64(v, "kari.nord of the booking desk:"), 30)),
    "hex": lambda v: v.encode().hex(),
    "hex, upper case": lambda v: v.encode().hex().upper(),
    "hex with colons": lambda v: v.encode().hex(":"),
    "hex with blanks": lambda v: v.encode().hex(" "),
    "hex of a string in C": lambda v: "".join(f"\\x{b:02x}" for b in v.encode()),
    "wrapped by a line break": lambda v: f"{v[:7]}\n{v[7:]}",
    "wrapped and indented": lambda v: f"{v[:7]}\n        {v[7:]}",
    "wrapped by a shell": lambda v: f"{v[:7]}\\\n  {v[7:]}",
    "wrapped as mail is": lambda v: f"{v[:7]}=\r\n{v[7:]}",
    "wrapped in JSON": lambda v: json.dumps(f"{v[:7]}\n{v[7:]}"),
    "bytes read as Latin-1": lambda v: v.encode().decode("latin-1"),
}  # fmt: skip


@pytest.mark.parametrize("secret", [SECRET, SIGNS, TOKEN, "пароль-гавани-7"])
@pytest.mark.parametrize("form", FORMS)
def test_a_known_value_is_found_in_every_form(form, secret):
    written = FORMS[form](secret)
    masker = Masker(MaskRules(known=(KnownValue(secret, "DEPLOY_TOKEN"),)))
    told = masker.text(f"kari typed >{written}< at noon")
    assert told.startswith("kari typed >")
    assert told.endswith("< at noon")
    assert "[masked, DEPLOY_TOKEN]" in told
    assert masker.text(told) == told
    assert secret not in html.unescape(told)
    assert dict(masker.masked.known) == {"DEPLOY_TOKEN": told.count("[masked, DEPLOY_TOKEN]")}


def test_random_values_are_found_in_all_forms_and_nowhere_else():
    rng = random.Random(28)
    for _ in range(60):
        secret = "".join(
            rng.choices(string.ascii_letters + string.digits + string.punctuation, k=rng.randint(10, 50))
        )
        masker = Masker(MaskRules(known=(KnownValue(secret, "S"),)))
        for form, write in FORMS.items():
            assert "[masked, S]" in masker.text(f"a {write(secret)} b"), (form, secret)
        other = "".join(rng.sample(secret, len(secret)))
        assert "[masked, S]" not in masker.text(f"a {other} b") or other == secret


@pytest.mark.parametrize("at", [0, 31_990, 32_000, 63_000, 199_960])
def test_a_long_text_is_looked_at_whole(at):
    text = ("ferry " * 40_000)[:200_000]
    text = text[:at] + f" {TOKEN} " + text[at:]
    told = Masker(MaskRules(known=(KnownValue(TOKEN, "S"),))).text(text)
    assert told == text.replace(TOKEN, "[masked, S]")


# A variable, and the values in it that are looked for.
VARIABLES = {
    ("DEPLOY_TOKEN", "ZpQ81kLw93Tt"): ["ZpQ81kLw93Tt"],
    ("DB_PWD", "Quay-77-light"): ["Quay-77-light"],
    ("PWD", "Quay-77-light"): [],
    ("SIGNING_KEY", "MIIEowIBAAKCAQEA77\nqUay+harb0ur/light"): ["MIIEowIBAAKCAQEA77\nqUay+harb0ur/light", "MIIEowIBAAKCAQEA77", "qUay+harb0ur/light"],
    ("CLOUD_CREDENTIALS", '{"type": "x", "private_key": "Quay-77-light"}'): ['{"type": "x", "private_key": "Quay-77-light"}', "Quay-77-light"],
    ("DATABASE_URL", "postgres://kari:Quay%2F77light@db/desk"): ["Quay%2F77light", "Quay/77light"],
    ("STORE", "Server=db;Uid=kari;Password=Quay77light;"): ["Quay77light"],
    ("API_TOKEN", "short7"): [],
    ("API_TOKEN", "booking-desk"): [],
    ("TOKEN_FILE", "/run/secrets/desk-7/token"): [],
    ("TOKEN_URL", "https://login.desk.test/v2/token"): [],
    ("SECRET_NAME", "Booking Desk 7"): [],
    ("KEY_ROTATED", "2026-11-22T02:10:00Z"): [],
    ("TOKEN_EXPIRES", "1795312800"): [],
    ("KEYBOARD", "Quay-77-light"): [],
    ("HARBOUR", "Quay-77-light"): [],
}  # fmt: skip


@pytest.mark.parametrize(("variable", "values"), VARIABLES.items(), ids=lambda case: str(case)[:40])
def test_which_values_of_the_environment_are_secrets(variable, values):
    name, value = variable
    assert [known.value for known in secrets_of_environment({name: value})] == values


FILES = {
    "secrets.env": "# of the desk\nexport HARBOUR='Quay-77-light'\nPORT=80\nLAMP=lit-at-dusk # every day\n",
    "secrets.json": '{"desk": {"harbour": "Quay-77-light", "lamps": ["lit-at-dusk", 80]}}',
    "secrets.txt": "Quay-77-light\n\nlit-at-dusk\n80\n",
}


@pytest.mark.parametrize("name", FILES)
def test_values_of_files_are_masked_whatever_they_look_like(name, tool, tmp_path):
    (tmp_path / name).write_text(FILES[name])
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="Quay-77-light and lit-at-dusk at 80"/></testsuite>')
    source = {"secrets.env": "HARBOUR", "secrets.json": "harbour"}.get(name, name)
    for arguments in (["--mask-values", name], []):
        done = tool("report", "r.xml", "--json", "--detail", "--overwrite", *arguments)
        shown = json.loads(done.out)["checks"][0]["name"]
        assert shown.startswith(f"[masked, {source}] and [masked, ")
        assert shown.endswith(" at 80")
        assert f"note: {name}: 1 value is too short to be masked." in done.err
        (tmp_path / "plain-verdict.toml").write_text(f'[masking]\nvalues = ["{name}"]')


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["--mask-values", "gone.env"], "error: gone.env: can't be read (No such file or directory)"),
        (["--mask-values", "."], "error: .: can't be read (Is a directory)"),
        (["--mask-values", "latin.env"], "error: latin.env: is not UTF-8 text"),
        (["--mask-values", "cut.json"], "error: cut.json: is not valid JSON"),
        (["--mask-values", "/dev/zero"], "error: /dev/zero: is too large for a file of secrets"),
    ],
)
def test_a_file_of_secrets_that_cannot_be_read_ends_the_command(arguments, told, tool, tmp_path):
    (tmp_path / "r.xml").write_text("<testsuite/>")
    (tmp_path / "latin.env").write_bytes(b"A=\xff\xfe")
    (tmp_path / "cut.json").write_text('{"desk": {"harbour": "Quay-77')
    done = tool("report", "r.xml", *arguments)
    assert (done.code, done.err.splitlines()[0]) == (2, told)


def test_variables_are_named_by_pattern_and_words_are_left_out(tool, tmp_path, monkeypatch):
    monkeypatch.setenv("DESK_LAMP", "lit-at-dusk")
    monkeypatch.setenv("DESK_TOKEN", "Quay-77-light")
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="Quay-77-light, lit-at-dusk"/></testsuite>')

    def shown(settings):
        (tmp_path / "plain-verdict.toml").write_text(settings)
        return json.loads(tool("judge", "r.xml", "--json", "--detail").out)["checks"][0]["name"]

    assert shown("") == "[masked, DESK_TOKEN], lit-at-dusk"
    assert shown('[masking]\nvalues = ["env:DESK_*"]') == "[masked, DESK_TOKEN], [masked, DESK_LAMP]"
    assert shown('[masking]\nignore = ["Quay-77-light"]') == "Quay-77-light, lit-at-dusk"


def zipped(text):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("trace/network.txt", text)
    return buffer.getvalue()


DOWNLOADS = {
    "a.bin": lambda text: b"\x00\x01\x02" + text.encode() + b"\x00",
    "b.bin": lambda text: b"\x00\x01" * 9 + text.encode("utf-16-be"),
    "c.bin": lambda text: b"\x00\x01\x02" + base64.b64encode(b"kari:" + text.encode()),
    "d.zip": zipped,
    "e.gz": lambda text: gzip.compress(text.encode()),
    "f.txt": lambda text: text.encode("utf-16"),
    "g.svg": lambda text: (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><!--{text}--></svg>'.encode()
    ),
}


@pytest.mark.parametrize("name", DOWNLOADS)
def test_files_offered_for_download_hold_no_known_value(name, tool, tmp_path, monkeypatch):
    monkeypatch.setenv("DEPLOY_TOKEN", TOKEN)
    lines = [
        {"what": "record", "version": 1},
        {"what": "check", "id": "c", "name": "sails"},
        {"what": "evidence", "in": "c", "name": name, "path": name},
        {"what": "end", "id": "c", "outcome": "passed"},
    ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    raw = DOWNLOADS[name](f"the token is {TOKEN}")
    (tmp_path / name).write_bytes(raw)
    done = tool("report", "r.verdict.jsonl", "--layout", "folder", "--out", "page", "--json")
    files = [path for path in (tmp_path / "page").rglob("*") if path.is_file()]
    assert all(TOKEN.encode() not in path.read_bytes() and raw not in path.read_bytes() for path in files)
    assert json.loads(done.out)["masked_known"] == {"DEPLOY_TOKEN": 1}
    page = (tmp_path / "page" / "index.html").read_text("utf-8")
    assert "1 secret was masked, in names, texts or facts: 1 from DEPLOY_TOKEN." in page


S = "Quay-77-harbour-light"


@pytest.fixture
def told_everywhere(tmp_path, monkeypatch):
    """Results, settings and options that tell a known secret wherever something is told."""
    monkeypatch.setenv("DEPLOY_TOKEN", S)
    monkeypatch.setenv("PLAIN_VERDICT_TRUST", "1")
    url = f"https://fares.desk.test/{S}/x?{S}=1&a={S}"
    answer = {
        "status": 500,
        "status_text": S,
        "headers": [["x-" + S, S]],
        "body": {"media_type": "application/json", "text": json.dumps({S: [S]})},
    }
    lines = [
        {"what": "record", "version": 1, "title": f"Desk {S}"},
        {"what": "fact", "key": f"quay {S}", "value": f"north {S}"},
        {"what": "check", "id": "c", "name": f"sails {S}", "suite": [f"Desk {S}"], "description": S, "tags": [S], "parameters": {f"p {S}": S}, "requirements": [S], "links": {f"l {S}": url}},
        {"what": "step", "id": "s", "in": "c", "name": f"step {S}"},
        {"what": "log", "in": "s", "text": S},
        {"what": "output", "in": "s", "name": f"out {S}", "text": S},
        {"what": "exchange", "in": "s", "method": "GET", "url": url, "request": {"headers": [[S, S]]}, "response": answer},
        {"what": "expectation", "in": "s", "subject": S, "expected": S, "actual": S, "outcome": "failed"},
        {"what": "evidence", "in": "s", "name": f"{S}.log", "path": f"{S}.log", "caption": S},
        {"what": "end", "id": "s", "outcome": "failed", "problems": [{"message": S, "type": S, "detail": S, "expected": S, "actual": S}]},
        {"what": "end", "id": "c", "outcome": "failed", "problems": [{"message": S}]},
    ]  # fmt: skip
    (tmp_path / f"{S}.log").write_text(f"token {S}")
    (tmp_path / f"r-{S}.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    fail = f'<failure message="{S}" type="{S}">{S}</failure><system-err>{S}</system-err>'
    (tmp_path / "r.xml").write_text(f'<testsuite name="{S}" hostname="{S}"><properties><property name="p-{S}" value="{S}"/></properties><testcase name="{S}" classname="a.{S}">{fail}</testcase></testsuite>')  # fmt: skip
    (tmp_path / "cut.xml").write_text(f'<testsuite name="{S}"><testcase name="a"/><testcase name="{S}')
    (tmp_path / f"n-{S}.xml").write_text(f"<other-{S}/>")
    (tmp_path / "load.csv").write_text(
        f"timestamp,name,duration_ms,ok\n1795312800,Pay {S},20,true\n1795312801,Pay {S},30,false\n"
    )
    (tmp_path / "asked.csv").write_text(f"id,title\n{S},Sails {S}\n")
    (tmp_path / "plain-verdict.toml").write_text(f'''
[report]
title = "T {S}"
description = "D {S}"
index_title = "R {S}"
[brand]
organisation = "O {S}"
footer = "F {S}"
contact = "crew-{S}@desk.test"
link = "https://desk.test/{S}"
[facts]
"k {S}" = "{S}"
[requirements]
files = ["asked.csv"]
[[cause]]
name = "C {S}"
match = {{ message = "masked" }}
advice = "{S}"
owner = "{S}"
link = "https://desk.test/{S}"
[[waiver]]
match = {{ check = "x" }}
reason = "{S}"
who = "{S}"
until = 2027-01-01
[[condition]]
measure = "failed"
at_most = 0
name = "N {S}"
reason = "{S}"
''')
    return [f"r-{S}.verdict.jsonl", "r.xml", "cut.xml", f"n-{S}.xml", "load.csv", f"gone-{S}.xml"]


def texts_of(path):
    """Return everything readable in a file that was written: packed, encoded and typeset text as well."""
    data = path.read_bytes()
    yield data.decode("utf-8", "replace")
    if path.suffix == ".xlsx":
        with zipfile.ZipFile(path) as book:
            yield from (book.read(name).decode("utf-8", "replace") for name in book.namelist())
    if path.suffix == ".pdf":
        yield from (page.extract_text() for page in PdfReader(path).pages)
    if path.suffix == ".eml":
        for part in email.message_from_bytes(data, policy=email.policy.default).walk():
            yield str(part.items())
            if part.get_content_maintype() == "text":
                yield part.get_content()
    for packed in re.findall(rb"H4sI[A-Za-z0-9+/=]+", data):
        yield gzip.decompress(base64.b64decode(packed)).decode("utf-8", "replace")


def test_a_known_secret_leaves_by_no_way(told_everywhere, tool, tmp_path, monkeypatch):
    given = [
        "--title",
        f"T {S}",
        "--description",
        S,
        "--fact",
        f"k-{S}={S}",
        "--build",
        S,
        "--link",
        f"https://desk.test/{S}/",
    ]
    outputs = ["--mail", "m.eml", "--tables", "t.xlsx", "--markdown", "m.md", "--junit", "j.xml", "--pdf", "p.pdf"]
    outputs += ["--digest", "d.json", "--earl", "e.json", "--charts", "charts", "--index", "--history", "kept.db"]
    told = []
    for arguments in (
        ["report", *told_everywhere, *given, *outputs, "--out", "out/p.html"],
        ["report", *told_everywhere, *given, "--layout", "folder", "--zip", "--out", "out/f", "--tables", "csv"],
        ["report", *told_everywhere, *given, "--json", "--detail", "--out", "out/j.html", "--previous", "d.json"],
        ["judge", *told_everywhere],
        ["inspect", *told_everywhere],
        ["inspect", *told_everywhere, "--json"],
        ["history", "list", "--history", "kept.db"],
        ["history", "show", "--history", "kept.db", S],
        ["report", "r.xml", "--config", f"{S}.toml"],
        ["report", "r.xml", "--debug", "--out", f"{S}/x/y.html"],
        ["report", "r.xml", "--history", f"postgresql://u@127.0.0.1:1/{S}", "--out", "out/h.html"],
        ["report", "r.xml", "--engine", f"dask://127.0.0.1:1/{S}"],
        ["repotr", S],
        ["report", "r.xml", "--theme", S],
        ["check"],
        ["index", "out", "--title", S],
    ):
        (tmp_path / "out").mkdir(exist_ok=True)
        done = tool(*arguments)
        told.append((" ".join(arguments), done.out + done.err))
    given_files = {*told_everywhere, f"{S}.log", "asked.csv", "plain-verdict.toml"}
    files = [
        path
        for path in tmp_path.rglob("*")
        if path.is_file() and str(path.relative_to(tmp_path)) not in given_files
    ]
    assert len(files) > 40
    told += [(str(path), text) for path in files for text in texts_of(path)]
    # The only name of a file with a secret is the one that the user typed.
    assert [str(path.relative_to(tmp_path)) for path in files if S in str(path)] == [f"{S}/x/y.html"]
    for form in ("as it is", "percent", "Base64", "JSON, all of it"):
        assert [where for where, text in told if FORMS[form](S) in text] == []
