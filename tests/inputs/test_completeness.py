"""What arrives: archives of all sorts, the same file twice, last week's files, shards that are missing."""

import gzip
import io
import json
import random
import tarfile
import zipfile

import pytest


def suite(name: str, stamp: str = "2026-11-22T02:10:00+00:00") -> bytes:
    return f'<testsuite name="{name}" timestamp="{stamp}" time="60"><testcase name="sails {name}"/></testsuite>'.encode()


def zipped(files: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def tarred(files: dict[str, bytes], mode: str = "w") -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=mode) as archive:
        for name, data in files.items():
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            archive.addfile(entry, io.BytesIO(data))
        link = tarfile.TarInfo("link.xml")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        archive.addfile(link)
    return buffer.getvalue()


INSIDE = {"a/one.xml": suite("one"), "two.xml": suite("two"), "notes.txt": b"words", "__MACOSX/._two.xml": b"\0"}
ARCHIVES = [
    ("r.zip", zipped(INSIDE), ["r.zip/a/one.xml", "r.zip/two.xml"], ""),
    ("r.tar", tarred(INSIDE), ["r.tar/a/one.xml", "r.tar/two.xml"], ""),
    ("r.tar.gz", tarred(INSIDE, "w:gz"), ["r.tar.gz/a/one.xml", "r.tar.gz/two.xml"], ""),
    ("named-like-nothing", gzip.compress(suite("one")), ["named-like-nothing"], ""),
    ("nested.zip", zipped({"in.zip": zipped(INSIDE)}), ["nested.zip/in.zip/a/one.xml", "nested.zip/in.zip/two.xml"], ""),
    ("deep.zip", zipped({"a.zip": zipped({"b.zip": zipped(INSIDE)}), "c.xml": suite("c")}), ["deep.zip/c.xml"], "deep.zip/a.zip/b.zip: can't be opened (it is nested deeper than 2 archives)"),
    ("out.zip", zipped({"../../evil.xml": suite("evil"), "good.xml": suite("good")}), ["out.zip/good.xml"], "its path points outside the archive"),
    ("cut.zip", zipped(INSIDE)[:-60], [], "cut.zip: is a damaged archive"),
    ("cut.tar.gz", tarred(INSIDE, "w:gz")[:-40], [], "cut.tar.gz: is a damaged archive"),
    ("empty.zip", zipped({}), [], "empty.zip: is an archive without any file"),
    ("bomb.zip", zipped({f"{n}.txt": b" " * 120_000_000 for n in range(5)}), [], "bomb.zip: unpacks, with the archives before it, to more than 500 MB"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "paths", "error"), ARCHIVES, ids=[row[0] for row in ARCHIVES])
def test_archives(name, data, paths, error, tool, tmp_path):
    (tmp_path / name).write_bytes(data)
    (tmp_path / "beside.xml").write_bytes(suite("beside"))
    done = tool("report", name, "beside.xml", "--json")
    assert done.code == 0
    files = {file["path"]: file for file in json.loads(done.out)["files"]}
    assert [path for path, file in files.items() if file["format"] and path != "beside.xml"] == paths
    assert error in done.err
    assert files["beside.xml"]["counts"]["passed"] == 1
    assert json.loads(done.out)["verdict"] == ("undecided" if error else "fit")


def test_a_damaged_archive_never_ends_the_report(tool, tmp_path):
    rng = random.Random(7)
    (tmp_path / "good.xml").write_bytes(suite("good"))
    for whole in (zipped(INSIDE), tarred(INSIDE), tarred(INSIDE, "w:gz")):
        for _ in range(40):
            damaged = bytearray(whole)
            # The end of a zip is its directory: the offsets there lead anywhere.
            for place in (rng.randrange(len(whole)), len(whole) - rng.randrange(1, 40)):
                damaged[place] = rng.randrange(256)
            (tmp_path / "r.any").write_bytes(damaged)
            done = tool("inspect", "r.any", "good.xml")
            assert (done.code, done.err) == (0, "")
            assert "good.xml\n" in done.out


def summary_of(tool, *arguments):
    done = tool("judge", *arguments, "--json")
    return json.loads(done.out), done.err


def test_the_same_bytes_count_once_in_any_order(tool, tmp_path):
    for name in ("a.xml", "b.xml"):
        (tmp_path / name).write_bytes(suite("one"))
    (tmp_path / "c.zip").write_bytes(zipped({"d.xml": suite("one")}))
    summary, err = summary_of(tool, "a.xml", "c.zip", "b.xml")
    assert summary["counts"]["passed"] == 1
    assert err.count("is identical to a.xml and counts once") == 2
    assert summary_of(tool, "b.xml", "a.xml", "c.zip")[0] == summary


def test_old_files_are_named_and_can_be_left_out(tool, tmp_path):
    (tmp_path / "new.xml").write_bytes(suite("new"))
    (tmp_path / "old.xml").write_bytes(suite("old", "2026-11-15T02:10:00+00:00"))
    (tmp_path / "untimed.xml").write_bytes(b'<testsuite><testcase name="x"/></testsuite>')
    arguments = ("new.xml", "old.xml", "untimed.xml")
    summary, err = summary_of(tool, *arguments)
    assert summary["counts"]["passed"] == 3
    assert "old.xml is 168 h older than the newest results and may be left over from an earlier run" in err
    for age in ("2d", "2026-11-20"):
        summary, err = summary_of(tool, *arguments, "--newer-than", age)
        assert summary["counts"]["passed"] == 2
        assert summary["verdict"] == "fit"
        assert "old.xml was left out: its results are from Sunday 15 November 2026, 02:11 (UTC)" in err
    assert tool("judge", "new.xml", "--newer-than", "soon").code == 2


@pytest.mark.parametrize(
    ("toml", "arguments", "missing"),
    [
        ("", ["--expect-files", "2"], ""),
        ("", ["--expect-files", "3"], "the run is incomplete: 3 result files were expected, but 2 arrived."),
        ("expect_files = 3", [], "the run is incomplete: 3 result files were expected, but 2 arrived."),
        ("expect_files = 3", ["--expect-files", "2"], ""),
        ('expect = ["shard-*/r.xml", "shard-2/*.xml"]', [], ""),
        ('expect = ["shard-3/*.xml"]', [], "shard-3/*.xml was expected, but no such file arrived."),
    ],
)
def test_what_did_not_arrive_makes_the_verdict_undecided_and_is_named(toml, arguments, missing, tool, tmp_path):
    for number in (1, 2):
        (tmp_path / f"shard-{number}").mkdir()
        (tmp_path / f"shard-{number}" / "r.xml").write_bytes(suite(f"s{number}"))
    (tmp_path / "plain-verdict.toml").write_text(f"[input]\n{toml}")
    summary, _ = summary_of(tool, "shard-*/*.xml", *arguments)
    assert summary["verdict"] == ("undecided" if missing else "fit")
    if missing:
        assert missing in summary["reasons"]


def run_file(browser: str, start: str, outcomes: dict[str, bool]) -> bytes:
    cases = ""
    for name, passed in outcomes.items():
        failure = "" if passed else f'<failure message="{name} found no harbour pilot aboard"/>'
        cases += f'<testcase name="{name}" time="5">{failure}</testcase>'
    facts = f'<properties><property name="browser" value="{browser}"/></properties>' if browser else ""
    return (
        f'<testsuite name="Desk" timestamp="2026-11-22T{start}:00Z" time="60">{facts}{cases}</testsuite>'.encode()
    )


BOTH = {"pay": ["failed", "passed"], "quote": ["failed", "passed"]}
AGAIN = [
    ("one after the other", ("", "02:10"), ("", "02:12"), [], BOTH, ["a.xml", "z.xml"]),
    ("at the same time", ("", "02:10"), ("", "02:10"), [], BOTH, ["a.xml", "z.xml"]),
    ("other browsers", ("firefox", "02:10"), ("chromium", "02:12"), [], BOTH, ["By browser 2 variants", "only in firefox"]),
    ("one browser again", ("firefox", "02:10"), ("firefox", "02:12"), [], BOTH, ["a.xml", "z.xml"]),
    ("a retry", ("", "02:10"), ("", "02:12"), ["--retry"], {"pay": ["passed"], "quote": ["failed"]}, ["passed on attempt 2", "4 cases became 2 checks: 2 were reruns"]),
    ("a retry in one browser", ("firefox", "02:10"), ("firefox", "02:12"), ["--retry"], {"pay": ["passed"], "quote": ["failed"]}, ["passed on attempt 2"]),
]  # fmt: skip


@pytest.mark.parametrize("row", AGAIN, ids=[row[0] for row in AGAIN])
def test_a_check_in_two_files(row, checks_of, tmp_path):
    _, first, second, retry, outcomes, texts = row
    (tmp_path / "z.xml").write_bytes(run_file(*first, {"pay": False, "quote": True}))
    (tmp_path / "a.xml").write_bytes(run_file(*second, {"pay": True, "quote": False}))
    found = checks_of("z.xml", *retry, "a.xml")
    by_name: dict[str, list[str]] = {}
    for check in found.checks:
        by_name.setdefault(check.name.split()[0], []).append(check.outcome)
    assert {name: sorted(several) for name, several in by_name.items()} == outcomes
    assert len({check.id for check in found.checks}) == len(found.checks)
    text = " ".join(found.page.text_content().split())
    assert all(part in text for part in texts), text
    assert ("passed on attempt 2" in text) == bool(retry)
    assert found.summary["reruns"] == (["pay", "quote"] if retry else [])


def test_paths_make_variants(checks_of, tmp_path):
    for python, fails in (("py311", False), ("py312", True)):
        (tmp_path / "results" / python).mkdir(parents=True)
        (tmp_path / "results" / python / "junit.xml").write_bytes(run_file("", "02:10", {"pay": fails}))
    (tmp_path / "plain-verdict.toml").write_text('[input]\nvariants_from = "results/{python}/*.xml"')
    found = checks_of("results")
    text = " ".join(found.page.text_content().split())
    assert "By python 2 variants" in text
    assert "only in py311" in text
    (tmp_path / "plain-verdict.toml").write_text('[input]\nvariants_from = "other/{python}/*.xml"')
    assert found.err == ""
    assert (
        "results/py311/junit.xml does not fit “other/{python}/*.xml”, so it is not a variant"
        in checks_of("results").err
    )


def test_lanes_show_who_was_busy_when(checks_of, tmp_path):
    lines = []
    for number in range(4):
        lines += [
            {
                "what": "check",
                "id": f"c{number}",
                "name": f"check {number}",
                "worker": f"w{number % 2}",
                "at": 1795312800 + 5 * (number // 2),
            },
            {"what": "end", "id": f"c{number}", "outcome": "passed", "took_s": 5 if number % 2 else 2.5},
        ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    found = checks_of("r.verdict.jsonl")
    text = " ".join(found.page.text_content().split())
    assert "10.0 s from first to last, 15.0 s of checks, 1.5 at once." in text
    lanes = [
        [(rect.get("x"), rect.get("width")) for rect in lane.cssselect("rect[x]")]
        for lane in found.page.cssselect(".tracks li")
    ]
    assert lanes == [[("0.0%", "25.0%"), ("50.0%", "25.0%")], [("0.0%", "50.0%"), ("50.0%", "50.0%")]]
