"""The house's own: logo, accent, words, stylesheet; and settings that are wrong in some way."""

import argparse
import base64
import json
import re
import tomllib
from io import BytesIO

import jsonschema
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from lxml import html
from PIL import Image

from conftest import EXAMPLES, ROOT
from logo_shapes import SHAPES, draw_logo
from plain_verdict.cli import report
from plain_verdict.cli.demo.files import SETTINGS
from plain_verdict.report.brand.colour import DARK_GROUNDS, LIGHT_GROUNDS, contrast, readable
from plain_verdict.request import Overrides
from plain_verdict.settings.options import declared_options

SCHEMA = json.loads((ROOT / "src/plain_verdict/settings/schemas/settings.schema.json").read_text("utf-8"))
GOOD = '<testsuite name="Quay" timestamp="2026-11-22T02:10:00+01:00"><testcase name="sails" time="2"/></testsuite>'


@pytest.fixture
def page(tool, tmp_path):
    """Report by settings and give the parsed page; ``page.err`` is what went to stderr."""
    (tmp_path / "r.xml").write_text(GOOD)

    def make(toml: str = "", *arguments: str):
        (tmp_path / "plain-verdict.toml").write_text(toml)
        done = tool("report", "r.xml", "--overwrite", "--out", "page.html", *arguments)
        assert done.code == 0, done.err
        return html.fromstring((tmp_path / "page.html").read_text("utf-8"))

    return make


# Shape, natural size, what stands on a plate where.
FITTED = {
    "1-drawing.svg": ((233, 44), "plate-dark"),
    "2-photograph.jpg": ((59, 44), ""),
    "3-icon.png": ((16, 16), ""),
    "4-banner.png": ((320, 32), ""),
    "5-tower.png": ((16, 64), "plate-dark"),
    "6-white.png": (None, "plate-light"),
    "7-black.png": (None, "plate-dark"),
    "8-margin.jpg": (None, ""),
    "9-square.webp": ((44, 44), ""),
    "10-bare.svg": ((44, 44), ""),
}


@pytest.mark.parametrize("shape", SHAPES)
def test_a_logo_of_any_shape_is_fitted_small_and_seen(shape, page, tmp_path):
    logo = draw_logo(shape, tmp_path)
    (image,) = page("", "--logo", str(logo), "--organisation", "Brindle Quay").cssselect(".band img.logo")
    size, plate = FITTED[shape]
    width, height = int(image.get("width")), int(image.get("height"))
    assert width <= 320
    assert height <= 64
    assert size in (None, (width, height))
    assert image.get("class").split()[1:] == plate.split()
    assert image.get("alt") == "Brindle Quay"
    head, _, data = image.get("src").partition(";base64,")
    content = base64.b64decode(data)
    assert len(content) < 12_000
    if head == "data:image/svg+xml":
        assert not re.search(rb"script|onload|onclick|elsewhere|DOCTYPE", content)
    else:
        embedded = Image.open(BytesIO(content))
        assert embedded.width / embedded.height == pytest.approx(width / height, rel=0.06)
        with Image.open(logo) as original:
            assert width <= original.width


def test_one_logo_for_light_and_another_for_dark_and_the_icon_comes_from_it(page, tmp_path):
    for name in ("6-white.png", "7-black.png", "9-square.webp"):
        draw_logo(name, tmp_path)
    toml = '[brand]\nlogo = "7-black.png"\nlogo_dark = "6-white.png"'
    classes = [image.get("class") for image in page(toml).cssselect("img.logo")]
    assert classes == ["logo on-light", "logo on-dark"]
    assert page(toml).cssselect("link[rel=icon]")[0].get("href").startswith("data:image/svg+xml,")
    # A logo on the command line stands for both.
    branded = page(toml, "--logo", "9-square.webp")
    assert len(branded.cssselect("img.logo")) == 1
    assert branded.cssselect("link[rel=icon]")[0].get("href").startswith("data:image/png;base64,")


def test_who_it_is_whom_to_ask_and_what_was_changed_is_on_the_page(page, tmp_path):
    (tmp_path / "own.css").write_text("h1 { color: rgb(1, 2, 3) }")
    made = page(
        """
[brand]
organisation = "Brindle Quay Ferries"
link = "https://brindle-quay.test"
contact = "quality@brindle-quay.test"
footer = "For the crew."
accent = "#ffd43b"
stylesheet = "own.css"
"""
    )
    assert made.cssselect(".org a")[0].get("href") == "https://brindle-quay.test"
    footer = made.cssselect("footer")[0]
    assert "For the crew." in footer.text_content()
    assert footer.cssselect("a")[0].get("href") == "mailto:quality@brindle-quay.test"
    assert "The accent colour #ffd43b is shown as #" in made.cssselect(".notes")[0].text_content()
    assert "rgb(1, 2, 3)" in made.cssselect("style")[1].text


@given(st.tuples(*[st.integers(0, 255)] * 3))
@example((255, 212, 59))
@example((128, 128, 128))
def test_any_accent_can_be_read_and_one_that_can_is_kept(colour):
    for grounds in (LIGHT_GROUNDS, DARK_GROUNDS):
        made = readable(colour, grounds)
        assert min(contrast(made, ground) for ground in grounds) >= 4.5
        if min(contrast(colour, ground) for ground in grounds) >= 4.5:
            assert made == colour


# What stands in the settings, and the line that says what is wrong, before any result is read.
WRONG = [
    ('[brand]\nlogo = "gone.png"', "gone.png: the logo can't be read"),
    ('[brand]\nlogo = "text.png"', "text.png: the logo is not a PNG, JPEG, WebP or SVG picture"),
    ('[brand]\nlogo = "empty.png"', "empty.png: the logo is empty"),
    ('[brand]\nlogo = "cut.png"', "cut.png: the logo is not a PNG"),
    ('[brand]\nlogo = "clear.png"', "the logo is empty: it has no visible pixels"),
    ('[brand]\nlogo = "entity.svg"', "entity.svg: the logo is not an SVG, or one with entities"),
    ('[brand]\nlogo = "cut.svg"', "cut.svg: the logo is not valid SVG"),
    ('[brand]\nlogo_dark = "sizeless.svg"', "sizeless.svg: the logo has neither a viewBox nor a width"),
    ('[brand]\naccent = "blurple"', "brand.accent: 'blurple' is not a colour"),
    ('[brand]\nlink = "javascript:alert(1)"', "brand.link: is not a link"),
    ('[brand]\nstylesheet = "gone.css"', "gone.css: the stylesheet can't be read"),
    ('[brand]\nstylesheet = "end.css"', "end.css: the stylesheet holds '</'"),
    ('[brand]\nstylesheet = "import.css"', "import.css:1: the stylesheet would fetch another one"),
    ('[brand]\nstylesheet = "broken.css"', "broken.css:1: the stylesheet is broken"),
    ('[brand]\nstylesheet = "large.css"', "large.css: the stylesheet is over 50 KB"),
    ('[report]\ntime_zone = "Atlantis"', "'Atlantis' is not a time zone"),
    ('[report]\nout = "{when}.html"', "{when} is not a placeholder"),
    ('[report]\nlatest = "a/b.html"', "a/b.html: is not a plain name"),
    ('[report]\ntheme = "pink"', "plain-verdict.toml:2: report.theme: 'pink' is not a value of 'theme'"),
    (
        '\n[report]\ntitel = "x"',
        "3: report: has an unknown key, 'titel'\nhint: did you mean 'title'?",
    ),
    ('[brnad]\nlogo = "x"', "1: has an unknown key, 'brnad'\nhint: did you mean 'brand'?"),
    ('[masking]\npatterns = ["("]', "2: masking.patterns[0]: is not a regular expression"),
    ('[[cause]]\nname = "a"\nmatch = { type = "x" }\n[[cause]]\nname = "b"\nmatch = {}', "6: cause[1].match"),
    ('[mail]\nfile = "x.eml"\nto = ["nobody"]', "'nobody' is not a mail address"),
]


@pytest.mark.parametrize(("toml", "line"), WRONG, ids=[line[:50] for _, line in WRONG])
def test_what_is_wrong_in_the_settings_is_said_before_any_work(toml, line, tool, tmp_path):
    (tmp_path / "text.png").write_text("no picture")
    (tmp_path / "empty.png").touch()
    (tmp_path / "cut.png").write_bytes(draw_logo("7-black.png", tmp_path).read_bytes()[:400])
    Image.new("RGBA", (40, 40)).save(tmp_path / "clear.png")
    (tmp_path / "entity.svg").write_text('<!DOCTYPE svg [<!ENTITY a "b">]><svg viewBox="0 0 1 1">&a;</svg>')
    (tmp_path / "cut.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path')
    (tmp_path / "sizeless.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg"/>')
    (tmp_path / "end.css").write_text("a::after { content: '</style><script>' }")
    (tmp_path / "import.css").write_text("@import url(https://elsewhere.test/x.css);")
    (tmp_path / "broken.css").write_text("a { color: red } } b {}")
    (tmp_path / "large.css").write_text("/* wave */" * 6_000)
    (tmp_path / "plain-verdict.toml").write_text(toml)
    done = tool("report", "not-even-there.xml")
    assert done.code == 2
    assert line in done.err
    assert "not-even-there" not in done.err
    assert len(done.err.splitlines()) <= 2
    assert not (tmp_path / "verdict.html").exists()


def test_words_and_facts_stand_in_order_with_safe_links_and_both_times(page, tmp_path, monkeypatch):
    monkeypatch.setenv("BUILD_NUMBER", "4211")
    toml = r"""
[report]
time_zone = "America/New_York"
description = '''
# Plan
**Bold** <img src=x onerror=alert(1)> [good](https://a.test/x) [bad](javascript:alert(1)) ![pic](data:image/png;base64,AA==)
'''
[facts]
team = "desk"
branch = "settings"
[facts_from_environment]
build = "BUILD_NUMBER"
absent = "NOT_SET_ANYWHERE"
"""
    made = page(
        toml,
        "--fact",
        "branch=command line",
        "--fact",
        "pipeline=https://ci.test/1",
        "--fact",
        "note=" + "wave " * 60,
    )
    facts = {
        row.cssselect("dt")[0].text_content(): row.cssselect("dd")[0].text_content().strip()
        for row in made.cssselect(".front > div")
    }
    assert list(facts) == ["Run", "Page written", "Branch", "Pipeline", "Note", "Team", "Build"]
    assert facts["Run"] == "Saturday 21 November 2026, 20:10 (UTC-05:00)"
    assert facts["Page written"] == "Saturday 21 November 2026, 21:00 (UTC-05:00)"
    assert (facts["Branch"], facts["Team"], facts["Build"]) == ("command line", "desk", "4211")
    links = [link.get("href") for link in made.cssselect(".front a, .words a")]
    assert links == ["https://a.test/x", "https://ci.test/1"]
    assert made.cssselect(".front details")
    words = made.cssselect(".words")[0]
    assert words.cssselect("h3")[0].text == "Plan"
    assert not words.cssselect("img")
    assert "<img src=x onerror=alert(1)>" in words.text_content()


def test_branch_and_commit_come_from_the_repository_of_the_results(page, tmp_path):
    import subprocess

    def git(*arguments):
        identity = ["-c", "user.name=Kari Nord", "-c", "user.email=kari@brindle-quay.test"]
        subprocess.run(["git", *identity, *arguments], cwd=tmp_path, check=True, capture_output=True)

    git("init", "-b", "summer")
    git("add", "r.xml")
    git("commit", "-m", "results")
    facts = page().cssselect(".front")[0].text_content()
    assert "summer" in facts
    assert re.search(r"Commit\s*[0-9a-f]{12}", facts)
    assert "summer" not in page("", "--no-git").cssselect(".front")[0].text_content()


def test_init_writes_settings_that_fit_and_hold(tool, tmp_path):
    import subprocess

    (tmp_path / "out" / "deep").mkdir(parents=True)
    (tmp_path / "out" / "deep" / "r.xml").write_text(GOOD)
    (tmp_path / "pom.xml").write_text("<project/>")
    (tmp_path / "package.json").write_text('{"name": "desk"}')
    for name, runner in (("go.json", "go.json"), ("desk.tap", "node.tap")):
        (tmp_path / name).write_bytes((EXAMPLES / "runners" / runner).read_bytes())
    for folder in ("out/screenshots/day-1", "docs/images"):
        (tmp_path / folder).mkdir(parents=True)
        draw_logo("7-black.png", tmp_path).rename(tmp_path / folder / "page.png")
    draw_logo("7-black.png", tmp_path).rename(tmp_path / "company-logo.png")
    subprocess.run(["git", "init"], cwd=tmp_path, check=True, capture_output=True)
    subprocess.run(
        ["git", "remote", "add", "origin", "git@host.test:crew/booking-desk.git"], cwd=tmp_path, check=True
    )
    done = tool("init")
    assert done.code == 0
    assert "Next: plain-verdict report desk.tap go.json out/deep\n" in done.out
    text = (tmp_path / "plain-verdict.toml").read_text()
    settings = tomllib.loads(text)
    assert settings["report"]["title"] == "Booking desk"
    assert settings["brand"]["logo"] == "company-logo.png"
    assert settings["evidence"]["look_in"] == ["out/screenshots"]
    # What it only suggests is right as well.
    suggested = re.sub(r"^# (?=[a-z_]+ = |\[\[)", "", text, flags=re.MULTILINE)
    jsonschema.validate(json.loads(json.dumps(tomllib.loads(suggested), default=str)), SCHEMA)
    assert tool("report", "out").code == 0
    again = tool("init")
    assert (again.code, "exists already" in again.err) == (2, True)
    assert (tmp_path / "plain-verdict.toml").read_text() == text


def test_the_schema_takes_what_the_program_takes_and_every_option_has_a_key():
    demo = tomllib.loads(SETTINGS.read_text("utf-8").replace("{UNTIL}", "2026-11-28"))
    jsonschema.validate(json.loads(json.dumps(demo, default=str)), SCHEMA)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"report": {"titel": "x"}}, SCHEMA)
    keys = {key for table in SCHEMA["$defs"].values() for key in table.get("properties", {})}
    parser = argparse.ArgumentParser()
    report.add_options(parser)
    options = {action.dest for action in parser._actions}
    assert len(options) > 30
    # What concerns one run only, or is named otherwise in its table.
    of_one_run = {"help", "results", "json", "debug", "config", "open", "quiet", "fact", "detail", "build", "watch"}
    of_one_run |= {"rules", "trust_settings", "extensions"}
    renamed = {
        "mail": "file",
        "api_document": "document",
        "masking": "off",
        "mask_values": "values",
        "history": "store",
        "evidence": "look_in",
        "evidence_for": "for",
    }
    assert {renamed.get(option, option) for option in options - of_one_run} <= keys
    # An option that no request takes up would do nothing.
    of_the_command = {"help", "json", "debug", "open", "quiet", "detail"}
    declared = {found.name for found in declared_options().values()}
    assert options - of_the_command == {*Overrides.__struct_fields__, *declared} - {"settings"}
