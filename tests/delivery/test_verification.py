"""Reports can be verified: that they are whole, and that their results, judged again, give them."""

import contextlib
import gzip
import io
import json
import random
import shutil
import tarfile
import warnings
import zipfile

import pytest

from conftest import DEMO, EXAMPLES
from plain_verdict.delivery.verification.opened import open_report
from plain_verdict.report import judged_content
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import LOGGER

DESK = '<testsuite name="Desk"><testcase name="seats"/><testcase name="refund">{}</testcase></testsuite>'
FARES = '<testsuite name="Fares"><testcase name="quote"/></testsuite>'
FAILURE = '<failure message="The fare service did not answer"/>'
WAIVER = '[[waiver]]\nreason = "{}"\nuntil = 2027-12-24\nwho = "Kari"\nmatch = {{ check = "refund" }}\n'
RECORD = """{"what": "record", "version": 1}
{"what": "check", "id": "1", "suite": ["Tide"], "name": "gauge"}
{"what": "end", "id": "1", "outcome": "undecided"}
"""
DECISION = (
    '{"what": "record", "version": 1}\n{"what": "decision", "check": "ID", "outcome": "OUTCOME", "by": "Mara"}\n'
)


@pytest.fixture
def run(tool, tmp_path):
    """A run of two files under a waiver, with its report in all forms."""
    (tmp_path / "results").mkdir()
    (tmp_path / "results" / "desk.xml").write_text(DESK.format(FAILURE))
    (tmp_path / "results" / "fares.xml").write_text(FARES)
    (tmp_path / "s.toml").write_text(WAIVER.format("tide"))
    assert tool("report", "results", "--config", "s.toml", "--out", "p.html").code == 0
    return tmp_path


def found(tool, *arguments):
    done = tool("verify", *arguments, "--json")
    return done.code, json.loads(done.out)


def test_a_report_is_verified_in_each_of_its_forms(run, tool):
    outputs = ("--mail", "p.eml", "--pdf", "p.pdf", "--output", "summary=s.json", "--overwrite")
    tool("report", "results", "--config", "s.toml", "--out", "p.html", *outputs)
    tool("report", "results", "--config", "s.toml", "--out", "folder", "--zip")
    with zipfile.ZipFile(run / "artifact.zip", "w") as packed:
        packed.write(run / "p.html", "report/p.html")
    forms = {
        "p.html": ("page", "all its bytes"),
        "p.eml": ("page in a mail", "all its bytes, as it is attached, not the mail's own text"),
        "artifact.zip": ("page in a zip file", "all its bytes"),
        "p.pdf": ("PDF report", "its attached summary, not its pages"),
        "s.json": ("summary", "its verdict, and what was judged"),
        "folder": ("folder", "all bytes of its "),
        "folder/index.html": ("folder", "all bytes of its "),
        "folder.zip": ("zip file", "all bytes of its "),
    }
    for file, (form, checked) in forms.items():
        code, said = found(tool, file, "results", "--config", "s.toml")
        assert (code, said["form"], said["checked"].startswith(checked)) == (0, form, True), file
        assert said["judged_again"] == {"same": True, "same_inputs": 2}
        assert said["content"]["fingerprint"] == found(tool, "p.html")[1]["content"]["fingerprint"]
    shown = tool("verify", "p.html").out
    assert "No signature was checked: this shows accidents, not malice" in shown
    assert (
        said["content"]["fingerprint"] in (run / "p.html").read_text("utf-8").partition("plain-verdict verify")[2]
    )


def test_any_changed_byte_of_a_page_is_noticed(run):
    page = (run / "p.html").read_bytes()
    chance = random.Random(40)
    changed = [
        (at, bytes([(page[at] + chance.randrange(1, 256)) % 256])) for at in chance.choices(range(len(page)), k=500)
    ]
    damaged = [page[:at] + byte + page[at + 1 :] for at, byte in changed]
    damaged += [page[:-1], page[: len(page) // 2], page + b"\n", page.replace(b"\n", b"\r\n"), page[:400]]
    damaged += [page[:at] + page[at + 1 :] for at, _ in changed[:20]]
    unnoticed = []
    for number, data in enumerate(damaged):
        (run / "d.html").write_bytes(data)
        try:
            if not open_report(run / "d.html").damage:
                unnoticed.append(number)
        except ReadError:
            continue  # not even known as a page: noticed as well
    assert unnoticed == []


def test_whatever_is_damaged_is_noticed_or_named(run, tool, caplog):
    caplog.set_level("DEBUG", LOGGER)
    outputs = ("--mail", "p.eml", "--pdf", "p.pdf", "--output", "summary=s.json", "--overwrite")
    tool("report", "results", "--config", "s.toml", "--out", "p.html", *outputs)
    tool("report", "results", "--config", "s.toml", "--out", "folder", "--zip")
    chance = random.Random(41)
    for name in ("p.eml", "p.pdf", "folder.zip", "s.json"):
        data = (run / name).read_bytes()
        for at in (*chance.choices(range(len(data)), k=60), *range(0, len(data), len(data) // 9 + 1)):
            torn = data[:at] if at % 2 else data[:at] + bytes([data[at] ^ 0x15]) + data[at + 1 :]
            (run / f"torn-{name}").write_bytes(torn)
            with contextlib.suppress(ReadError):
                open_report(run / f"torn-{name}")
    assert not any("bug" in record.getMessage() or record.exc_info for record in caplog.records)


def test_each_file_of_a_folder_is_part_of_the_page(run, tool):
    tool("report", "results", "--config", "s.toml", "--out", "folder", "--layout", "folder")
    whole = {file: file.read_bytes() for file in (run / "folder").rglob("*") if file.is_file()}
    for file, data in whole.items():
        file.write_bytes(data[:-2] + b"x" + data[-1:])
        assert tool("verify", "folder").code == 1, file
        file.write_bytes(data + b"\n")
        assert tool("verify", "folder").code == 1, file
        file.unlink()
        assert tool("verify", "folder").code == (3 if file.name == "index.html" else 1), file
        file.write_bytes(data)
    done = tool("verify", str(next((run / "folder" / "suites").glob("*.html"))))
    assert (done.code, "is one page of a report in a folder" in done.err) == (3, True)
    (run / "folder" / "more.html").write_text("x")
    assert found(tool, "folder")[1]["differences"] == ["Not part of the report: more.html."]


def replaced(run, name, text):
    (run / name).write_text(text)
    return ("results",)


def moved(run, name):
    (run / "deep").mkdir()
    (run / "results").rename(run / "deep" / name)
    return ("deep",)


def zipped(run):
    with zipfile.ZipFile(run / "r.zip", "w") as packed:
        for file in (run / "results").iterdir():
            packed.write(file, file.name)
    return ("r.zip",)


def gzipped(run):
    for file in list((run / "results").iterdir()):
        file.with_name(f"{file.name}.gz").write_bytes(gzip.compress(file.read_bytes()))
        file.unlink()
    return ("results",)


def missing(run, name):
    (run / name).unlink()
    return ("results",)


OTHER_SETTINGS, SAME_SETTINGS = (
    WAIVER.format("tide").replace("2027", "2028"),
    "# The desk\n" + WAIVER.format("tide") + "\n[report]\ntitle = 'x'\n",
)
CHANGES = {
    "nothing changed": lambda _: ("results",),
    "a file is missing": lambda run: missing(run, "results/fares.xml"),
    "a file is more": lambda run: replaced(run, "results/other.xml", FARES.replace("quote", "other")),
    "a file is another": lambda run: replaced(run, "results/desk.xml", DESK.format("")),
    "they stand elsewhere": lambda run: moved(run, "down"),
    "they are packed as zip": zipped,
    "they are packed as gzip": gzipped,
    "one is given as a rerun": lambda _: ("results/fares.xml", "--retry", "results/desk.xml"),
    "nothing is there": lambda _: ("gone.xml",),
    "settings are others": lambda run: replaced(run, "s.toml", OTHER_SETTINGS),
    "settings look otherwise": lambda run: replaced(run, "s.toml", SAME_SETTINGS),
    "there are no settings": lambda run: replaced(run, "s.toml", ""),
}
CASES = {
    "nothing is there": (1, 0, ["results/desk.xml is missing", "The verdict was “fit”, and is “undecided” here."]),
    "nothing changed": (0, 2, []),
    "a file is missing": (1, 1, ["results/fares.xml is missing", "Counts differ: passed 2, here 1.", "not here"]),
    "a file is more": (1, 2, ["results/other.xml is not among the inputs", "not in the report, passed here"]),
    "a file is another": (1, 1, ["results/desk.xml is another file", "refund: failed in the report, passed here."]),
    "they stand elsewhere": (
        0,
        2,
        ["2 files have other paths; results/desk.xml in the report is deep/down/desk.xml here."],
    ),
    "they are packed as zip": (0, 2, ["2 files have other paths"]),
    "they are packed as gzip": (0, 2, ["results/desk.xml.gz here"]),
    "one is given as a rerun": (1, 2, ["results/desk.xml was no rerun, and is rerun 1 here (--retry)."]),
    "settings are others": (1, 2, ["The settings are not those", "Which failures do not count, or why, differs."]),
    "settings look otherwise": (0, 2, []),
    "there are no settings": (1, 2, ["The verdict was “fit”, and is “not fit” here.", "(1 in the report, 0 here)"]),
}


@pytest.mark.parametrize("case", CASES)
def test_what_differs_when_results_are_judged_again_is_listed(case, run, tool):
    expected, same_inputs, lines = CASES[case]
    code, said = found(tool, "p.html", *CHANGES[case](run), "--config", "s.toml")
    assert (code, said["verified"], said["whole"]) == (expected, not expected, True)
    assert said["judged_again"] == {"same": not expected, "same_inputs": same_inputs}
    text = " ".join((*said["differences"], *said["notes"]))
    assert [line for line in lines if line not in text] == []
    assert bool(said["differences"]) == bool(expected)


def test_names_that_come_from_files_are_the_same_packed(tool, tmp_path):
    (tmp_path / "results").mkdir()
    (tmp_path / "results" / "t.tap").write_text("TAP version 14\n1..2\nok 1 - a\nnot ok 2 - b\n")
    (tmp_path / "results" / "a.xml").write_text(DESK.format(FAILURE).replace("refund", "seats"))
    (tmp_path / "results" / "b.xml").write_text(DESK.format(""))
    tool("report", "results", "--out", "p.html")
    assert found(tool, "p.html", *zipped(tmp_path))[1]["differences"] == []
    code, said = found(tool, "p.html", *gzipped(tmp_path))  # “seats (b.xml)” is “seats (b.xml.gz)” now
    assert (code, "give the results under the names that the report has" in said["notes"][-1]) == (1, True)


def test_what_a_person_decided_is_part_of_it(tool, tmp_path):
    (tmp_path / "t.verdict.jsonl").write_text(RECORD)
    id_ = json.loads(tool("judge", "t.verdict.jsonl", "--json", "--detail").out)["checks"][0]["id"]
    decision = DECISION.replace("ID", id_)
    (tmp_path / "d.verdict.jsonl").write_text(decision.replace("OUTCOME", "passed"))
    tool("report", "t.verdict.jsonl", "d.verdict.jsonl", "--out", "p.html")
    assert found(tool, "p.html", "t.verdict.jsonl", "d.verdict.jsonl")[0] == 0
    (tmp_path / "d.verdict.jsonl").write_text(decision.replace("OUTCOME", "failed"))
    code, said = found(tool, "p.html", "t.verdict.jsonl", "d.verdict.jsonl")
    assert code == 1
    assert "What persons decided differs." in said["differences"]
    assert "Tide › gauge: passed in the report, failed here." in said["differences"]


@pytest.mark.parametrize(
    ("text", "code", "note"), [(DESK.format(FAILURE), 0, "stands"), (DESK.format(""), 1, "here 3")]
)
def test_of_a_page_of_another_version_it_says_what_can_be_told(text, code, note, run, tool, monkeypatch):
    monkeypatch.setattr(judged_content, "__version__", "0.0.9")
    tool("report", "results", "--config", "s.toml", "--out", "old.html")
    monkeypatch.undo()
    monkeypatch.chdir(run)
    (run / "results" / "desk.xml").write_text(text)
    found_code, said = found(tool, "old.html", "results", "--config", "s.toml")
    assert found_code == code
    assert "made by version 0.0.9" in said["notes"][0]
    assert note in " ".join((*said["notes"], *said["differences"]))


def test_load_numbers_history_and_all_kinds_are_judged_again_the_same(tool, tmp_path):
    tool("report", *DEMO, "--out", "deep/p.html")
    read = [word for name in ("--previous", "--requirements") for word in (name, DEMO[DEMO.index(name) + 1])]
    code, said = found(tool, "deep/p.html", *DEMO[:2], *read)
    assert (code, said["differences"], said["notes"]) == (0, [], [])
    code, said = found(tool, "deep/p.html", *DEMO[:2], *read[2:])
    assert "The report was compared with 18 earlier builds, here with 0" in said["notes"][0]


def test_inputs_tell_their_hash_and_when_they_were_written(tool, tmp_path, monkeypatch):
    monkeypatch.delenv("SOURCE_DATE_EPOCH")
    with tarfile.open(tmp_path / "r.tar", "w") as packed:
        entry = tarfile.TarInfo("in.xml")
        entry.size, entry.mtime = len(FARES), 1_795_000_000
        packed.addfile(entry, io.BytesIO(FARES.encode()))
    with zipfile.ZipFile(tmp_path / "r.zip", "w") as packed_zip:
        packed_zip.writestr("z.xml", DESK.format(""))
    files = {file["path"]: file for file in json.loads(tool("judge", "r.tar", "r.zip", "--json").out)["files"]}
    assert files["r.zip/z.xml"]["written"] is None  # a zip tells no zone
    (tmp_path / "t.xml").write_text(FARES)
    found_hash = json.loads(tool("judge", "t.xml", "--json").out)["files"][0]
    assert found_hash["sha256"] == files["r.tar/in.xml"]["sha256"]
    assert found_hash["size_bytes"] == len(FARES)
    assert found_hash["taken"] == {"checks": 1}
    assert found_hash["written"]


SUMMARY = (
    b'{"schema": "plain-verdict/summary/1", "judged": {"schema": "plain-verdict/judged/1", "version": "1", "title": "x", '
    b'"made": "2026-11-22T00:00:00Z", "verdict": "fit", "sentence": "Fit.", "counts": {}, "outcomes": "", "numbers": ""}}'
)
TWICE = io.BytesIO()
with zipfile.ZipFile(TWICE, "w") as _packed, warnings.catch_warnings(action="ignore"):
    for _text in ("a", "b"):
        _packed.writestr("index.html", _text)
MISTAKES = {
    "twice.zip": (TWICE.getvalue(), "has several files of one name"),
    "nothing.html": (None, "does not exist"),
    "empty.html": (b"", "is not a report of this program, nor a mail with one attached"),
    "notes.json": (b'{"a": 1}', "is not a report of this program"),
    "cut.json": (b'{"schema": "plain-verdict/sum', "is not a report of this program"),
    "old.json": (b'{"schema": "plain-verdict/summary/1"}', "was made by a version that wrote no fingerprint"),
    "old.html": (
        b'<!doctype html>\n<meta name="plain-verdict-page" content="made x">',
        "made by a version that wrote no checksum",
    ),
    "bad.pdf": (b"%PDF-1.7\nnothing", "is a PDF that can't be read"),
    "bad.zip": (b"PK\x03\x04nothing", "is a damaged zip file"),
    "nest.zip": ("zip in zip in zip", "is not a report of this program"),
    "mail.eml": (b"From: a@desk.test\nSubject: x\n\nno report", "nor a mail with one attached"),
    "results": ("folder", "has no index.html of a report"),
    "naive.json": (SUMMARY.replace(b"00:00Z", b"00:00"), "was made at no moment of a calendar"),
    "early.json": (SUMMARY.replace(b"2026", b"0001"), "was made at no moment of a calendar"),
    "newer.json": (SUMMARY.replace(b"judged/1", b"judged/2"), "is of another version of the program"),
}


@pytest.mark.parametrize("name", MISTAKES)
def test_what_is_no_report_is_named_in_a_line(name, tool, tmp_path):
    content, line = MISTAKES[name]
    if content == "folder":
        shutil.copytree(EXAMPLES / "tap" / "good", tmp_path / name)
    elif content == "zip in zip in zip":
        data = b"x"
        for _ in range(4):
            target = io.BytesIO()
            with zipfile.ZipFile(target, "w") as packed:
                packed.writestr("inner.zip", data)
            data = target.getvalue()
        (tmp_path / name).write_bytes(data)
    elif content is not None:
        (tmp_path / name).write_bytes(content)
    done = tool("verify", name)
    assert done.code == 3
    assert f"error: {name}: " in done.err
    assert line in done.err
    assert "Traceback" not in done.err
