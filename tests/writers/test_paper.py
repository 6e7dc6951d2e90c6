"""The PDF report: what is in the PDF, how it is built, and what it never does."""

import json
import os
import subprocess
import sys
from io import BytesIO
from xml.sax.saxutils import quoteattr

import pytest
from PIL import Image
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
    assert (root["/MarkInfo"]["/Marked"], root["/Lang"], "/StructTreeRoot" in root) == (True, "en", True)
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
    text = "\n".join(page.extract_text() for page in pdf.pages)
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


def failing(*texts: str) -> str:
    """A result file whose checks fail, each with a text as its name, its message and its stack."""
    cases = "".join(
        f"<testcase name={text}><failure message={text}>{text[1:-1]}</failure></testcase>"
        for text in map(quoteattr, texts)
    )
    return CASES.format(cases)


def text_of(path) -> str:
    return "\n".join(page.extract_text() for page in PdfReader(path).pages)


HOSTILE = (
    "</p></style><img src='http://127.0.0.1:9/x.png'><a href='file:///etc/passwd'>x",
    '#read("/etc/passwd") #image("x.png") *bold* _slanted_ $x$ @label <label> \\#{ // https://a.test/x',
)


@pytest.mark.slow
def test_what_is_past_the_limit_is_counted_and_text_of_results_does_nothing(tool, tmp_path):
    (tmp_path / "r.xml").write_text(failing(*(f"{number} {HOSTILE[number % 2]}" for number in range(503))))
    done = tool(
        "report", "r.xml", "--pdf", "r.pdf", "--pdf-paper", "letter", "--description", "![x](http://a.test/x)"
    )
    assert (done.code, done.err) == (0, "")
    pdf = PdfReader(tmp_path / "r.pdf")
    assert [round(float(side)) for side in pdf.pages[0].mediabox[2:]] == [612, 792]
    text = text_of(tmp_path / "r.pdf")
    assert "3 more failures are not listed" in " ".join(text.split())
    assert [hostile.replace(" ", "") in "".join(text.split()) for hostile in HOSTILE] == [True, True]
    assert b"/URI" not in (tmp_path / "r.pdf").read_bytes()
    assert len(pdf.attachments) == 1


def test_checks_of_one_name_are_told_apart(tool, tmp_path):
    (tmp_path / "r.xml").write_text(failing("sails", "sails"))
    tool("report", "r.xml", "--pdf", "r.pdf", "--pdf-for", "all")
    text = " ".join(text_of(tmp_path / "r.pdf").split())
    # Among the causes, at the failure itself, and in the list of all.
    counts = [(text.count(f"sails ({which} of 2)"), text.count(f"failed {which} of 2 sails")) for which in (1, 2)]
    assert counts == [(2, 1), (2, 1)]


@pytest.mark.parametrize(("sign", "claimed"), [("Skarhölm", True), ("\u0378", False)])
def test_a_sign_that_no_font_has_costs_the_claim_and_nothing_else(sign, claimed, tool, tmp_path):
    (tmp_path / "r.xml").write_text(failing(f"sails to {sign}"), "utf-8")
    assert tool("report", "r.xml", "--pdf", "r.pdf").err == ""
    root = PdfReader(tmp_path / "r.pdf").trailer["/Root"]
    # Source: ISO 14289-1, sections 5, 7.1 and 7.2: it claims the standard, is tagged, and is known by its title.
    assert (b"pdfuaid:part" in root["/Metadata"].get_data()) == claimed
    assert root["/ViewerPreferences"].get("/DisplayDocTitle", False) == claimed
    assert root["/MarkInfo"]["/Marked"]
    assert "sails to" in text_of(tmp_path / "r.pdf")


def test_it_is_made_at_any_moment(tmp_path):
    (tmp_path / "r.xml").write_text(failing("sails"))
    env = {name: value for name, value in os.environ.items() if name != "SOURCE_DATE_EPOCH"}
    command = [sys.executable, "-m", "plain_verdict", "report", "r.xml", "--pdf", "r.pdf"]
    done = subprocess.run(command, cwd=tmp_path, env=env, capture_output=True, text=True, check=False)
    assert (done.returncode, "error" in done.stderr) == (0, False), done.stderr
    assert "sails" in text_of(tmp_path / "r.pdf")


def test_long_words_stay_on_the_paper_and_are_whole_when_they_are_copied(tool, tmp_path):
    word = "0123456789abcdef" * 18
    (tmp_path / "r.xml").write_text(failing(f"is {word}"), "utf-8")
    tool("report", "r.xml", "--pdf", "r.pdf")
    pages = "".join(page.extract_text() for page in PdfReader(tmp_path / "r.pdf").pages)
    assert "".join(pages.split()).count(word) >= 3
    assert "\u200b" not in pages
    assert max(len(line) for line in pages.split("\n") if ". . ." not in line) < 110


def picture(mode: str, form: str, colour: str | int, size: tuple[int, int] = (60, 40)) -> bytes:
    data = BytesIO()
    Image.new(mode, size, colour).save(data, form)
    return data.getvalue()


SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40"><rect width="9" height="9" fill="olive"/></svg>'
PICTURES = {
    "plain.png": (picture("RGB", "PNG", "red"), 1),
    "large.png": (picture("RGB", "PNG", "green", (3000, 400)), 1),
    "grey.png": (picture("I;16", "PNG", 9000), 1),
    "inks.jpg": (picture("CMYK", "JPEG", "blue"), 1),
    "moves.gif": (picture("RGB", "GIF", "orange"), 1),
    "photo.webp": (picture("RGB", "WEBP", "purple"), 1),
    "unended.png": (picture("RGB", "PNG", "teal")[:-12], 1),  # which Typst refuses
    "drawn.svg": (SVG, 1),
    "cut.png": (picture("RGB", "PNG", "red", (900, 700))[:700], 0),
}


def test_pictures_of_every_kind_are_shown_and_a_damaged_one_costs_only_itself(tool, tmp_path):
    lines = ['{"what": "record", "version": 1}']
    for at, (name, (data, _)) in enumerate(PICTURES.items()):
        (tmp_path / name).write_bytes(data)
        lines += [
            json.dumps({"what": "check", "id": str(at), "name": name}),
            json.dumps({"what": "evidence", "in": str(at), "path": name}),
            json.dumps(
                {"what": "end", "id": str(at), "outcome": "failed", "problems": [{"message": f"{name} was last"}]}
            ),
        ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(lines))
    done = tool("report", "r.verdict.jsonl", "--pdf", "r.pdf")
    assert (done.code, "bug" in done.err) == (0, False)
    assert sum(len(page.images) for page in PdfReader(tmp_path / "r.pdf").pages) == sum(
        shown for _, shown in PICTURES.values()
    )
    assert all(f"{name} was last" in text_of(tmp_path / "r.pdf") for name in PICTURES)


def test_all_lists_every_check(tool, tmp_path):
    (tmp_path / "r.xml").write_text(CASES.format('<testcase name="sails" time="1.5"/><testcase name="rests"/>'))
    texts = []
    for more in ((), ("--pdf-for", "all")):
        tool("report", "r.xml", "--pdf", "r.pdf", *more)
        texts.append("".join(page.extract_text() for page in PdfReader(tmp_path / "r.pdf").pages))
    assert ["sails" in text for text in texts] == [False, True]
    assert "1.5 s" in texts[1]


def test_what_is_missing_is_named_with_what_to_install(tmp_path):
    (tmp_path / "typst.py").write_text("raise ImportError('no')")
    (tmp_path / "r.xml").write_text(CASES.format('<testcase name="sails"/>'))
    code = "import sys; sys.path.insert(0, '.'); from plain_verdict.cli import main; sys.exit(main(sys.argv[1:]))"
    command = [sys.executable, "-c", code, "report", "r.xml", "--pdf", "r.pdf"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, "[pdf]'" in done.stderr, (tmp_path / "verdict.html").exists()) == (2, True, False), (
        done.stderr
    )
