"""The PDF report: what is in the PDF, how it is built, and what it never does."""

import subprocess
import sys

import pytest
from pypdf import PdfReader

from conftest import DEMO

CASES = '<testsuite name="Quay">{}</testsuite>'


def titles(outline: list) -> list[str]:
    return [name for one in outline for name in (titles(one) if isinstance(one, list) else [one.title])]


@pytest.fixture(scope="module")
def paper(tmp_path_factory):
    """The demo's paper, made twice."""
    folder = tmp_path_factory.mktemp("paper")
    for name in ("a.pdf", "b.pdf"):
        command = [
            sys.executable,
            "-W",
            "error",
            "-m",
            "plain_verdict",
            "report",
            *DEMO,
            "--pdf",
            name,
            "--overwrite",
        ]
        env = {"SOURCE_DATE_EPOCH": "1795312800", "PATH": "/usr/bin:/bin", "HOME": str(folder)}
        subprocess.run([*command, "--quiet"], cwd=folder, env=env, check=True, capture_output=True)
    return folder


@pytest.mark.slow
def test_the_paper_is_tagged_and_has_its_chapters_pictures_and_drawings(paper):
    assert (paper / "a.pdf").read_bytes() == (paper / "b.pdf").read_bytes()
    pdf = PdfReader(paper / "a.pdf")
    root = pdf.trailer["/Root"]
    # Source: ISO 14289-1, sections 7.1 and 7.2: it says that it is tagged, in which language, and its title.
    assert (root["/MarkInfo"]["/Marked"], root["/Lang"], "/StructTreeRoot" in root) == (True, "en", True)
    assert root["/ViewerPreferences"]["/DisplayDocTitle"]
    assert b"pdfuaid:part" in root["/Metadata"].get_data()
    assert pdf.metadata.title == "Not fit: Booking desk and fares, nightly"
    chapters = [
        "By kind",
        "Contents",
        "Conditions",
        "Causes",
        "Changes since 4210",
        "Failures",
        "Load",
        "API",
        "Compliance",
    ]
    chapters += ["Requirements", "Inputs"]
    told = titles(pdf.outline)
    assert [one for one in told if one in chapters] == chapters
    text = "\n".join(page.extract_text() for page in pdf.pages).replace("\x00", "")  # as it tells two-byte fonts
    assert "The total on the receipt is not the fare that was quoted." in text
    assert f"1 of {len(pdf.pages)}" in text
    assert sum(len(page.images) for page in pdf.pages) > 5
    links = [
        note.get_object()
        for page in pdf.pages
        for note in page.get("/Annots", ())
        if note.get_object()["/Subtype"] == "/Link"
    ]
    assert len(links) > 20
    assert not [link for link in links if "/URI" in str(link.get("/A", ""))]


@pytest.mark.slow
def test_what_is_past_the_limit_is_counted_and_text_of_results_does_nothing(tool, tmp_path):
    hostile = (
        "&lt;/p&gt;&lt;/style&gt;&lt;img src='http://127.0.0.1:9/x.png'&gt;&lt;a href='file:///etc/passwd'&gt;x"
    )
    cases = "".join(
        f'<testcase name="{number} {hostile}"><failure message="{hostile}">{hostile}</failure></testcase>'
        for number in range(503)
    )
    (tmp_path / "r.xml").write_text(CASES.format(cases))
    done = tool(
        "report", "r.xml", "--pdf", "r.pdf", "--pdf-paper", "letter", "--description", "![x](http://a.test/x)"
    )
    assert (done.code, done.err) == (0, "")
    pdf = PdfReader(tmp_path / "r.pdf")
    assert [round(float(side)) for side in pdf.pages[0].mediabox[2:]] == [612, 792]
    text = pdf.pages[-2].extract_text() + pdf.pages[-1].extract_text()
    assert "3 more failures are not listed" in " ".join(text.split())
    assert "<img src='http://127.0.0.1:9/x.png'>" in "".join(page.extract_text() for page in pdf.pages[:5]).replace(
        "\n", ""
    )
    assert b"/URI (" not in (tmp_path / "r.pdf").read_bytes()


def test_all_lists_every_check(tool, tmp_path):
    (tmp_path / "r.xml").write_text(CASES.format('<testcase name="sails" time="1.5"/><testcase name="rests"/>'))
    texts = []
    for more in ((), ("--pdf-for", "all")):
        tool("report", "r.xml", "--pdf", "r.pdf", *more)
        texts.append("".join(page.extract_text() for page in PdfReader(tmp_path / "r.pdf").pages))
    assert ["sails" in text for text in texts] == [False, True]
    assert "1.5 s" in texts[1]


@pytest.mark.parametrize(
    ("broken", "said"),
    [
        ("raise ImportError('no')", "[pdf]'"),
        ("raise OSError('cannot load library libpango-1.0-0')", "apt-get install libpango-1.0-0"),
    ],
)
def test_what_is_missing_is_named_with_what_to_install(broken, said, tmp_path):
    (tmp_path / "weasyprint.py").write_text(broken)
    (tmp_path / "r.xml").write_text(CASES.format('<testcase name="sails"/>'))
    code = "import sys; sys.path.insert(0, '.'); from plain_verdict.cli import main; sys.exit(main(sys.argv[1:]))"
    command = [sys.executable, "-c", code, "report", "r.xml", "--pdf", "r.pdf"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, said in done.stderr, (tmp_path / "verdict.html").exists()) == (2, True, False), (
        done.stderr
    )
