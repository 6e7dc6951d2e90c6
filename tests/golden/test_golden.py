"""One run that has everything, and what every output makes of it: whole files, to be read as a difference.

After a change that is meant: ``scripts/refresh-golden``, and read what it changed.
"""

import email
import email.policy
import json
import os
import pickle
import re
import shutil
import subprocess
from pathlib import Path
from types import SimpleNamespace

import msgspec
import pytest
from lxml import html
from pypdf import PdfReader

import plain_verdict
from plain_verdict import model
from plain_verdict.cli import main
from plain_verdict.cli import report as command
from plain_verdict.report.part import Parts
from plain_verdict.writers import all_writers
from plain_verdict.writers.html.checks.check import CheckHtml
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.renderer import Renderer

HERE = Path(__file__).parent
INPUTS, EXPECTED = HERE / "inputs", HERE / "expected"
REFRESH = os.environ.get("REFRESH_GOLDEN")
MADE = 1795312800
DAY = 86_400


def samples(slower=0, days=0):
    """A quarter of an hour of two requests; in two minutes of it one of them fails often."""
    rows = ["started_ms,request,took_ms,status,bytes,users,message,queue"]
    for at in range(1800):
        if 1200 <= at < 1224 or (days and at % 50 == 49):
            continue
        bad = (600 <= at < 840 and at % 4 == 0) or at in (100, 1500)
        took = 40 + at * 37 % 60 + (slower if at % 3 else 0) + (60 if at < 360 else 0)
        name = "Pay" if at % 3 else "Quote"
        name = ("Refund" if days else "Cancel") if at % 90 == 45 else name
        took = 13_500 if at == 1199 else took
        start = (MADE - 7200 - days * DAY) * 1000 + at * 500
        rows.append(
            f"{start},{name},{took},{503 if bad else 200},{900 + at % 7},{2 + at // 300},{'busy' if bad else ''},{at % 11}"
        )
    return "\n".join(rows) + "\n"


def days_before(results, days):
    """Let all results be of so many days earlier."""
    for path in results.iterdir():
        text = path.read_text("utf-8")
        text = re.sub(r"2026-11-22", f"2026-11-{22 - days}", text)
        path.write_text(re.sub(r"\b17953\d{5}\b", lambda at: str(int(at[0]) - days * DAY), text), "utf-8")


def quietly(monkeypatch, *arguments, made=MADE):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", str(made))
    return main(list(arguments))


def commits_in(folder):
    """Commit some files in a repository around the results, and return the hashes: always the same."""
    who = {f"GIT_{role}_{key}": value for role in ("AUTHOR", "COMMITTER") for key, value in WHO.items()}
    variables = {**os.environ, **who, "GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_NOSYSTEM": "1"}

    def git(*arguments):
        return subprocess.run(
            ["git", *arguments], cwd=folder, env=variables, check=True, capture_output=True, text=True
        ).stdout.strip()

    (folder / "CODEOWNERS").write_text("/desk/ @brindle/desk\n")
    git("init", "--quiet", "--initial-branch", "summer")
    hashes = []
    for subject, file in COMMITS:
        (folder / file).parent.mkdir(exist_ok=True)
        (folder / file).write_text(subject + "\n")
        git("add", file)
        git("commit", "--quiet", "--message", subject)
        hashes.append(git("rev-parse", "HEAD"))
    return hashes


COMMITS = (
    ("Open the desk", "desk/booking.py"),
    ("Round receipts up", "desk/receipt.py"),
    ("Number the seats", "desk/seats.py"),
    ("Say when the desk opens", "words.md"),
)
WHO = {"NAME": "Kari Nord", "EMAIL": "kari@desk.test", "DATE": "2026-11-21T12:00:00+01:00"}


@pytest.fixture(scope="module")
def outputs(tmp_path_factory):
    """Make the run, with four builds before it, of which one is missing, and all of its outputs."""
    patch = pytest.MonkeyPatch()
    folder = tmp_path_factory.mktemp("golden")
    shutil.copytree(INPUTS, folder, dirs_exist_ok=True)
    patch.chdir(folder)
    patch.setenv("COLUMNS", "100")
    patch.setenv("PLAIN_VERDICT_TRUST", "1")
    made = []
    real = command.publish
    patch.setattr(command, "publish", lambda report, *rest: made.append(report) or real(report, *rest))
    (folder / "before.csv").write_text(samples(days=7))
    text = (
        (folder / "results" / "desk.xml")
        .read_text("utf-8")
        .replace("8.75", "3.5")
        .replace('time="0.61"', 'time="2.9"')
    )
    receipt = re.compile(r"<failure type=\"AssertionError\".*?</failure>", re.DOTALL)
    # The receipt is new today; the bicycle fails since 4211; the dots failed in 4209 and are well again.
    earlier = {
        4208: re.sub(r"<(failure|error)[ >].*?(/>|</\1>)", "", text, flags=re.DOTALL),
        4209: text.replace('time="0.42"/>', 'time="0.42"><failure message="no dots"/></testcase>'),
        4211: receipt.sub("", text).replace("<testcase", '<testcase name="The old gate opens"/><testcase', 1),
        4212: receipt.sub("", text).replace('time="0.42"/>', 'time="0.42"><failure message="no dots"/></testcase>'),
    }
    earlier |= {build: receipt.sub("", text).replace("3.5", f"3.{build % 7}") for build in range(4199, 4208)}
    for build in (4202, 4205, 4206):  # an incident: three checks that fail with each other
        offline = r'\1><failure message="The printer is offline"/></testcase>'
        earlier[build] = re.sub(r"(<testcase [^>]*)/>", offline, earlier[build], count=3)
    before, *_, now = commits_in(folder)
    for build, content in sorted(earlier.items()):
        days, results = 4213 - build, folder / str(build)
        shutil.copytree(folder / "results", results)
        (results / "desk.xml").write_text(content, "utf-8")
        days_before(results, days)
        (results / "load.csv").write_text(samples(2, days))
        record = results / "fares.verdict.jsonl"
        record.write_text(record.read_text("utf-8").replace('"value": 31', '"value": 11'), "utf-8")
        told = [
            "--build",
            str(build),
            "--fact",
            "branch=summer",
            "--fact",
            f"commit={before if build == 4212 else f'c0ffee{build}'}",
            "--no-git",
        ]
        outs = ["--quiet", "--out", f"{build}.html", "--digest", f"earlier/{build}.json"]
        assert quietly(patch, "report", str(build), *told, *outs, made=MADE - days * DAY) == 0
    (folder / "results" / "load.csv").write_text(samples(30))
    page = (folder / "4208.html").read_bytes()
    (folder / "earlier" / "cut.html").write_bytes(page[: len(page) // 2])
    outs = ["--json", "--detail", "--markdown", "report.md", "--junit", "junit.xml", "--tables", "tables", "--mail", "mail.eml", "--pdf", "paper.pdf", "--earl", "rules.jsonld", "--digest", "digest.json"]  # fmt: skip
    run = ["report", "results", "--evidence", "shots", "--previous", "earlier", "--build", "4213", "--fact", "branch=summer", "--fact", f"commit={now}"]  # fmt: skip
    printed = {}
    for name, more in (("json", [*outs, "--out", "page.html"]), ("terminal", ["--out", "again.html"])):
        with patch.context() as inner:
            out, err = Stream(), Stream()
            inner.setattr("sys.stdout", out)
            inner.setattr("sys.stderr", err)
            assert quietly(patch, *run, *more) == 0
            printed[name] = "".join(out.pieces if name == "json" else (*err.pieces, *out.pieces))
    (folder / "first.xml").write_text(first_of_many(), "utf-8")
    (folder / "first.toml").write_text('[report]\ntitle = "First"\n')
    outs = [
        "--config",
        "first.toml",
        "--markdown",
        "first/report.md",
        "--tables",
        "first/tables",
        "--mail",
        "first/mail.eml",
    ]
    with patch.context() as inner:
        out = Stream()
        inner.setattr("sys.stdout", out)
        assert quietly(patch, "report", "first.xml", "--no-git", *outs, "--out", "first/page.html") == 0
        printed["first"] = "".join(out.pieces)
    yield SimpleNamespace(folder=folder, report=made[-3], printed=printed | over_months(folder, patch))
    patch.undo()


def over_months(folder, patch):
    """Make what is told of several of these runs: the trends, the index of their pages, and two of them side by side."""
    (folder / "pages").mkdir()
    for name in ("4207", "4211", "4212", "page"):
        shutil.copy(folder / f"{name}.html", folder / "pages")
    earlier = ["--previous", "earlier", "page.html"]
    side = ["compare", "earlier/4208.json", "page.html"]
    printed = {}
    for name, arguments in (
        ("trends.txt", ["history", "trends", *earlier, "--out", "trends.csv"]),
        ("trends.json", ["history", "trends", *earlier, "--json"]),
        ("index", ["index", "pages"]),
        ("compare.txt", [*side, "--out", "side.html", "--markdown", "side.md"]),
        ("compare.json", [*side, "--json"]),
    ):
        with patch.context() as inner:
            out = Stream()
            inner.setattr("sys.stdout", out)
            assert quietly(patch, *arguments) == 0
            printed[name] = "".join(out.pieces)
    return printed


THINGS = ["anchor", "barge", "candle", "dredger", "ensign", "ferry", "gangway", "harbour", "iceberg", "jetty", "keel", "lantern", "mast", "net", "oar", "pier", "quay", "rudder", "sail", "tide"]  # fmt: skip


def first_of_many():
    """More failures of more causes than any output lists, with no run before."""
    cases = "".join(
        f'<testcase name="The {thing} holds {number}" time="{number}.5"><failure message="No {thing} of {thing}s {thing}ed"/></testcase>'
        for number, thing in enumerate(THINGS + [thing[::-1] for thing in THINGS], 1)
    )
    cases += '<testcase name="The fog waits"><skipped message="fog"/></testcase>'
    return f'<testsuite name="Quay" timestamp="2026-11-22T08:00:00Z">{cases}</testsuite>'


class Stream:
    """What is printed, kept."""

    encoding = "utf-8"

    def __init__(self):
        self.pieces = []

    def write(self, text):
        self.pieces.append(text)

    def flush(self):
        pass

    def isatty(self):
        return False


def text_of(element):
    """The text of a part of a page, a line for each block, without what scripts and drawings hold."""
    for part in element.cssselect("script, style, template"):
        part.drop_tree()
    blocks = "|".join(("p", "li", "tr", "h1", "h2", "h3", "h4", "dt", "dd", "summary", "figcaption", "div", "text"))
    for part in element.xpath(f".//*[{' or '.join(f'local-name()={name!r}' for name in blocks.split('|'))}]"):
        part.tail = "\n" + (part.tail or "")
    for part in element.cssselect("td, th, span, button, option"):
        part.tail = " " + (part.tail or "")
    lines = (" ".join(line.split()) for line in element.text_content().split("\n"))
    return "\n".join(line for line in lines if line)


def page_text(made):
    page = html.fromstring((made.folder / "page.html").read_text("utf-8"))
    parts = page.cssselect("body > header, main > *, body > footer")
    return "\n\n".join(f"== {part.get('id') or part.get('class') or part.tag}\n{text_of(part)}" for part in parts)


def mail_text(made, name="mail.eml"):
    message = email.message_from_bytes((made.folder / name).read_bytes(), policy=email.policy.default)
    heads = "\n".join(f"{name}: {message[name]}" for name in ("Subject", "From", "Date"))
    plain, rich = (message.get_body((kind,)).get_content() for kind in ("plain", "html"))
    names = [part.get_filename() for part in message.walk() if part.get_filename()]
    return f"{heads}\nParts: {names}\n\n== plain\n{plain}\n== html\n{text_of(html.fromstring(rich))}\n"


def paper_text(made):
    pages = [page.extract_text() for page in PdfReader(made.folder / "paper.pdf").pages]
    return "\n\n".join(f"== page {number}\n{text}" for number, text in enumerate(pages, 1)).replace("\x00", "")


def as_json(data):
    return json.dumps(json.loads(data), indent=1, ensure_ascii=False)


def rendered(made, name):
    writer = next(one for one in all_writers() if one.name == name)
    return b"".join(chunk for file in writer.render(made.report) for chunk in file.chunks()).decode()


def a_file(name):
    return lambda made: (made.folder / name).read_text("utf-8")


OUTPUTS = {
    "page.txt": page_text,
    "summary.json": lambda made: as_json(made.printed["json"]),
    "terminal.txt": lambda made: made.printed["terminal"],
    "report.md": a_file("report.md"),
    "junit.xml": lambda made: (made.folder / "junit.xml").read_text("utf-8").replace("><", ">\n<"),
    "mail.txt": mail_text,
    "paper.txt": paper_text,
    "notice.json": lambda made: as_json(rendered(made, "notice")),
    "digest.json": lambda made: as_json((made.folder / "digest.json").read_bytes()),
    "rules.jsonld": lambda made: as_json((made.folder / "rules.jsonld").read_bytes()),
    "trends.txt": lambda made: made.printed["trends.txt"],
    "trends.json": lambda made: as_json(made.printed["trends.json"]),
    "trends.csv": a_file("trends.csv"),
    "index.txt": lambda made: text_of(html.fromstring((made.folder / "pages" / "index.html").read_text("utf-8"))),
    "compare.txt": lambda made: made.printed["compare.txt"],
    "compare.json": lambda made: as_json(made.printed["compare.json"]),
    "compare.md": a_file("side.md"),
    "compare-page.txt": lambda made: text_of(html.fromstring((made.folder / "side.html").read_text("utf-8"))),
    "first/terminal.txt": lambda made: made.printed["first"],
    "first/mail.txt": lambda made: mail_text(made, "first/mail.eml"),
    "first/report.md": a_file("first/report.md"),
    "first/tables/checks.csv": a_file("first/tables/checks.csv"),
    **{f"tables/{path.name}": a_file(f"tables/{path.name}") for path in sorted((EXPECTED / "tables").glob("*"))},
}


def plain(text, made):
    """Text without what differs from machine to machine."""
    text = text.replace(str(made.folder), "FOLDER").replace(plain_verdict.__version__, "VERSION")
    text = re.sub(r"Took \d+\.\d+ s", "Took a while", text)
    return "\n".join(line.rstrip() for line in text.replace("\r\n", "\n").split("\n")).rstrip() + "\n"


@pytest.mark.parametrize("name", OUTPUTS)
def test_what_an_output_says_changes_only_where_it_is_meant_to(name, outputs):
    found = plain(OUTPUTS[name](outputs), outputs)
    path = EXPECTED / name
    if REFRESH:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(found, "utf-8")
    assert found == path.read_text("utf-8"), f"{name}: scripts/refresh-golden, and read the difference"


def test_every_table_is_among_them(outputs):
    names = {path.name for path in (outputs.folder / "tables").iterdir()}
    if REFRESH:
        for name in names:
            (EXPECTED / "tables").mkdir(parents=True, exist_ok=True)
            (EXPECTED / "tables" / name).write_text(plain(a_file(f"tables/{name}")(outputs), outputs), "utf-8")
    assert {f"tables/{name}" for name in names} <= OUTPUTS.keys()


NEVER = {
    # Pictures that are too wide, secrets that are known, histories that are in a store or of folded pages.
    *(
        "Content.remark",
        "Masked.known",
        "Run.engine_notes",
        "HistoryContext.masked",
        "KeptRun.coarse",
        "CheckIndex.ordered",
        "AlignedHistory.are_coarse",
        "ChangesSince.pace",
        "Incident.is_now",
    ),
    # Samples of months, and what stands inside a file that can't be read: tests of their own have them.
    *("LoadRun.notes", "Unread.where", "HistoryContext.notes"),
    *("CommitsSince.trouble", "CommitsSince.is_known"),
    *("Run.baseline_notes", "Comparison.too_short", "Comparison.needed_s"),
    "OperationResult.p95_s",  # of fewer calls than it needs
    "Payload.kind",  # of what others are made from
}


def filled(value, seen):
    """Note which fields of which structs hold anything but what they hold by default."""
    if isinstance(value, msgspec.Struct):
        for field in msgspec.structs.fields(value):
            own = getattr(value, field.name)
            if own != field.default and own not in (None, "", (), {}):
                seen.add(f"{type(value).__name__}.{field.name}")
            filled(own, seen)
    elif isinstance(value, model.Checks):
        filled((value.detailed, value.plain), seen)
    elif isinstance(value, tuple | list):
        for part in value:
            filled(part, seen)
    elif isinstance(value, dict):
        for part in value.values():
            filled(part, seen)


def test_the_run_has_every_field_of_the_model(outputs):
    seen = set()
    filled(outputs.report.run, seen)
    filled(outputs.report.verdict, seen)
    filled(outputs.report.kept, seen)
    kept = outputs.report.kept
    filled(model.kept_run(kept.build, kept.check_index, kept.outcomes, kept.times), seen)
    # In this run no two plain checks of a suite follow each other, so that none are in columns.
    filled(
        model.Checks.of([model.Check("c-1", model.Kind.API, ("Desk",), "seats", model.passed_in(1.0))] * 2), seen
    )
    kinds = [kind for kind in vars(model).values() if isinstance(kind, type) and issubclass(kind, msgspec.Struct)]
    missing = {f"{kind.__name__}.{field.name}" for kind in kinds for field in msgspec.structs.fields(kind)} - seen
    assert missing == NEVER


def test_a_part_of_the_report_that_was_sent_renders_the_same(outputs):
    report = outputs.report
    parts, line = Parts(report), Renderer(report).index_line
    whole, pages = CheckHtml(report, Links(None)), Links(dict.fromkeys(report.run.checks.ids(), "s.html"), "s.html")
    opened = 0
    for group in report.suites:
        packed = pickle.dumps((parts.of(model.Checks.joined([group.checks])), group))
        sent_part, sent_group = pickle.loads(packed)
        sent = sent_part.report()
        part = CheckHtml(sent, Links(None))
        for check, there in zip(group.checks, sent.run.checks, strict=True):
            assert part.text(there) == whole.text(check)
            opened += "<details" in whole.text(check)
        more = {"files": ["s.html"], "suite_name": "Desk"}
        page = "".join(Renderer(report).suite(pages, group=group, **more))
        assert "".join(Renderer(sent, line).suite(pages, group=sent_group, **more)) == page
    assert opened > 10
