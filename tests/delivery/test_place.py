"""Where pages go: names, counters, what is kept and removed, folders, zip files, mail."""

import email
import email.policy
import json
import os
import subprocess
import sys
import zipfile

import pytest

from plain_verdict.delivery.local.naming import safe_name

GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sinks"><failure message="water"/></testcase></testsuite>'


@pytest.fixture
def report(tool, tmp_path):
    """Report on one result and give the name of the page relative to the folder, and stdout."""
    (tmp_path / "good.xml").write_text(GOOD)
    (tmp_path / "bad.xml").write_text(BAD)

    def make(*arguments: str, results: str = "good.xml") -> str:
        done = tool("report", results, *arguments)
        assert done.code == 0, done.err
        return os.path.relpath(done.out.splitlines()[-1], tmp_path)

    return make


@pytest.mark.parametrize(
    ("out", "made"),
    [
        ("{date}-{time}.html", "2026-11-22-020000.html"),
        ("pages/{verdict}/{title}.html", "pages/not-fit/Desk-north.html"),
        ("{fact:branch}.html", "fix-..-..-etc.html"),
        ("{fact:Branch}-{fact:none}.html", "fix-..-..-etc-unknown.html"),
        ("deep/er/", "deep/er/verdict.html"),
        (".", "verdict.html"),
        ("plain", "plain"),
    ],
)
def test_a_pattern_names_the_page(out, made, report, tmp_path):
    arguments = ("--title", "Desk: north?", "--fact", "branch=fix/../../etc", "--out", out)
    assert report(*arguments, results="bad.xml") == made
    assert (tmp_path / made).is_file()


@pytest.mark.parametrize(
    "text", ["../..", "a/b\\c:d", "con", "CON.txt", "...", "\x00\n", "ø" * 300, "", " x. ", "aux."]
)
def test_any_value_makes_a_name_that_every_system_takes(text):
    name = safe_name(text)
    assert name.split(".")[0].lower() not in ("con", "aux", "")
    assert not set(name) & set('<>:"/\\|?*\x00\n ')
    assert len(name) <= 81
    assert name[-1] not in ". "


def test_the_same_name_gets_a_counter_and_overwrite_does_not(report, tmp_path):
    assert [report(), report(), report()] == ["verdict.html", "verdict-2.html", "verdict-3.html"]
    old = (tmp_path / "verdict.html").read_bytes()
    assert report("--overwrite", results="bad.xml") == "verdict.html"
    assert (tmp_path / "verdict.html").read_bytes() != old
    folders = [report("--layout", "folder", "--out", "f") for _ in range(2)]
    assert folders == ["f/index.html", "f-2/index.html"]
    assert report("--layout", "folder", "--out", "f", "--overwrite", results="bad.xml") == "f/index.html"
    assert "Not fit" in (tmp_path / "f" / "index.html").read_text()
    assert not list(tmp_path.glob(".*.part"))


def test_pages_of_parallel_jobs_never_meet(tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    command = [sys.executable, "-m", "plain_verdict", "report", "good.xml", "--quiet"]
    jobs = [subprocess.Popen(command, cwd=tmp_path) for _ in range(6)]
    assert [job.wait() for job in jobs] == [0] * 6
    names = {f"verdict{number}.html" for number in ("", "-2", "-3", "-4", "-5", "-6")}
    assert {path.name for path in tmp_path.glob("verdict*.html")} == names


def test_the_newest_is_kept_and_the_oldest_of_this_tool_go_and_nothing_else(report, tmp_path, monkeypatch):
    pages = tmp_path / "pages"
    pages.mkdir()
    (pages / "a-letter.html").write_text("<p>not of this tool</p>")
    (pages / "zzz.txt").write_text("x")
    for day in range(5):
        monkeypatch.setenv("SOURCE_DATE_EPOCH", str(1795312800 + day * 86400))
        report("--out", "pages/{date}.html", "--latest", "latest.html", "--keep", "3")
    left = sorted(path.name for path in pages.iterdir())
    assert left == [
        "2026-11-24.html",
        "2026-11-25.html",
        "2026-11-26.html",
        "a-letter.html",
        "latest.html",
        "zzz.txt",
    ]
    assert (pages / "latest.html").read_bytes() == (pages / "2026-11-26.html").read_bytes()
    # Folders and their zip files likewise; a foreign file of the name is skipped, and said.
    for day in range(3):
        monkeypatch.setenv("SOURCE_DATE_EPOCH", str(1795312800 + day * 86400))
        report("--zip", "--out", "f/{date}", "--latest", "newest", "--keep", "1")
    assert sorted(path.name for path in (tmp_path / "f").iterdir()) == ["2026-11-24", "2026-11-24.zip", "newest"]


def test_what_this_tool_did_not_make_is_never_replaced(tool, report, tmp_path):
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "thesis.txt").write_text("years of work")
    (tmp_path / "latest.html").write_text("mine")
    (tmp_path / "f.zip").write_text("mine")
    for arguments in (
        ("--layout", "folder", "--out", "mine", "--overwrite"),
        ("--latest", "latest.html"),
        ("--zip", "--out", "f"),
    ):
        done = tool("report", "good.xml", *arguments)
        assert done.code == 2
        assert "this program" in done.err
    assert (tmp_path / "mine" / "thesis.txt").read_text() == "years of work"
    assert (tmp_path / "latest.html").read_text() == (tmp_path / "f.zip").read_text() == "mine"


def test_a_folder_is_whole_or_the_old_one_stays(report, tmp_path):
    report("--layout", "folder", "--out", "f")
    before = {path.name: path.read_bytes() for path in (tmp_path / "f").rglob("*") if path.is_file()}
    code = "import resource,signal,sys;signal.signal(signal.SIGXFSZ,signal.SIG_IGN);resource.setrlimit(resource.RLIMIT_FSIZE,(6000,6000));from plain_verdict.cli import main;sys.exit(main(['report','bad.xml','--layout','folder','--out','f','--overwrite']))"
    done = subprocess.run(
        [sys.executable, "-B", "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert (done.returncode, "could not be written" in done.stderr) == (2, True)
    assert {path.name: path.read_bytes() for path in (tmp_path / "f").rglob("*") if path.is_file()} == before
    assert not list(tmp_path.glob(".*.part"))


def test_a_packed_folder_is_whole_and_the_same_each_time(report, tmp_path):
    report("--zip", "--out", "f")
    first = (tmp_path / "f.zip").read_bytes()
    report("--zip", "--out", "f", "--overwrite")
    assert (tmp_path / "f.zip").read_bytes() == first
    with zipfile.ZipFile(tmp_path / "f.zip") as packed:
        names = {
            f"f/{path.relative_to(tmp_path / 'f').as_posix()}"
            for path in (tmp_path / "f").rglob("*")
            if path.is_file()
        }
        assert set(packed.namelist()) == names
        assert packed.read("f/index.html") == (tmp_path / "f" / "index.html").read_bytes()


def failing(number: int, message: str) -> str:
    cases = "".join(
        f'<testcase name="{"n" * 300} {one}"><failure type="T{one}" message="{message} {chr(97 + one % 26) * 12}"/></testcase>'
        for one in range(number)
    )
    return f'<testsuite name="&lt;script&gt;alert(1)&lt;/script&gt; ☃">{cases}</testsuite>'


@pytest.mark.parametrize(
    ("number", "message"), [(1, "x"), (60, "☃" * 400), (900, "&lt;img src=x onerror=alert(1)&gt;")]
)
def test_the_digest_is_a_small_safe_mail_that_opens_anywhere(number, message, tool, tmp_path):
    (tmp_path / "r.xml").write_text(failing(number, message))
    (tmp_path / "logo.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>'
    )
    toml = '[brand]\nlogo = "logo.svg"\ncontact = "kari@brindle-quay.test"\n[mail]\nto = ["Crew ø <crew@brindle-quay.test>"]'
    (tmp_path / "plain-verdict.toml").write_text(toml)
    assert tool("report", "r.xml", "--mail", "d/digest.eml", "--size-limit", "900kB", "--title", "Desk ☃").code == 0
    data = (tmp_path / "d" / "digest.eml").read_bytes()
    message = email.message_from_bytes(data, policy=email.policy.default)
    assert not message.defects
    assert str(message["subject"]) == "Not fit: Desk ☃"
    assert message["from"].addresses[0].addr_spec == "kari@brindle-quay.test"
    assert message["to"].addresses[0].display_name == "Crew ø"
    parts = {part.get_content_type(): part for part in message.walk()}
    attached = [part for part in message.iter_attachments() if part.get_filename() == "verdict.html"]
    assert len(attached) == (1 if number < 900 else 0)
    whole = len(data) - sum(len(part.as_bytes()) for part in attached)
    assert whole <= 100_000
    text = parts["text/plain"].get_content()
    page = message.get_body(("html",)).get_content()
    assert "Not fit" in text
    assert "Not fit" in page
    assert "cid:logo" in page
    assert parts["image/png"]["content-id"] == "<logo>"
    lower = page.lower()
    assert not any(bad in lower for bad in ("<script", "<style", "<link", "<img src=x", "javascript:", "class="))
    assert lower.count("<img") == 1


def test_a_mail_that_can_not_be_written_is_said_before_any_work(tool, report, tmp_path):
    (tmp_path / "file").touch()
    for place in ("file/digest.eml", "."):
        done = tool("report", "good.xml", "--mail", place)
        assert (done.code, done.err.count("error: ")) == (2, 1)
        assert "bug" not in done.err
    assert not (tmp_path / "verdict.html").exists()


def test_the_json_names_what_was_written(tool, report, tmp_path):
    done = tool(
        "report", "good.xml", "--zip", "--out", "f", "--latest", "now", "--mail", "m.eml", "--fact", "a=b", "--json"
    )
    summary = json.loads(done.out)
    paths = {name: summary[name] for name in ("page", "packed", "latest", "mail")}
    wanted = {"page": "f/index.html", "packed": "f.zip", "latest": "now", "mail": "m.eml"}
    assert paths == {name: str(tmp_path / path) for name, path in wanted.items()}
    assert summary["facts"] == {"a": "b"}
