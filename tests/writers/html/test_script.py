"""The page's script is what its modules make, and every style, template and colour has an owner."""

import json
import re
import subprocess

import pytest

from conftest import ROOT
from plain_verdict.report.brand import tokens
from plain_verdict.report.brand.colour import contrast
from plain_verdict.writers.html.environment import asset
from plain_verdict.writers.html.sections import SECTIONS

HTML = ROOT / "src" / "plain_verdict" / "writers" / "html"


def test_the_script_is_what_its_modules_make(tmp_path):
    esbuild = ROOT / "node_modules" / ".bin" / "esbuild"
    assert esbuild.exists(), "scripts/check installs node's tools"
    command = json.loads((ROOT / "package.json").read_text("utf-8"))["scripts"]["bundle"].split()
    assert command[-1].startswith("--outfile=")
    made = tmp_path / "page.js"
    subprocess.run([esbuild, *command[1:-1], f"--outfile={made}"], cwd=ROOT, check=True, capture_output=True)
    assert made.read_text("utf-8") == (HTML / "scripts" / "page.js").read_text("utf-8"), "npm run bundle"


def test_a_section_is_a_folder_and_every_folder_is_a_section():
    folders = {path.name for path in (HTML / "sections").iterdir() if path.is_dir() and path.name != "__pycache__"}
    assert {"extension", *(section.name for section in SECTIONS)} == folders
    for section in SECTIONS:
        assert (HTML / "sections" / section.template).exists()
        style = HTML / "sections" / section.name / "section.css"
        assert not style.exists() or style.read_text("utf-8").strip() in asset("style.css")


def test_every_shared_style_is_in_the_sheet_and_no_colour_stands_outside_the_table():
    files = [*HTML.rglob("*.css"), *HTML.parent.rglob("*.j2")]
    assert len(files) > 40
    for path in HTML.glob("styles/*.css"):
        assert path.read_text("utf-8").strip() in asset("style.css"), path.name
    colours = [
        (path.name, found)
        for path in files
        for found in re.findall(r"#[0-9a-f]{3,8}\b(?![-\w])", path.read_text("utf-8"))
    ]
    assert colours == []
    assert max(len(line) for path in files for line in path.read_text("utf-8").splitlines()) <= 120


def rgb(colour: str) -> tuple[int, ...]:
    return tuple(int(colour[at : at + 2], 16) for at in (1, 3, 5))


@pytest.mark.parametrize(
    ("ground", "outcomes"),
    [
        (tokens.GROUND_LIGHT, tokens.OUTCOMES_LIGHT),
        (tokens.GROUND_DARK, tokens.OUTCOMES_DARK),
        (tokens.GROUND_PRINT, tokens.OUTCOMES_LIGHT),
    ],
    ids=["light", "dark", "print"],
)
def test_every_colour_of_text_can_be_read_on_every_ground(ground, outcomes):
    # Source: WCAG 2.2, success criterion 1.4.3 (AA)
    for colour in (ground["ink"], ground["soft"], *outcomes.values()):
        for under in tokens.grounds(ground):
            assert contrast(rgb(colour), rgb(under)) >= 4.5, (colour, under)
