"""Options over the settings: each reaches its key, and a variable that is unset takes nothing away."""

import pytest

from plain_verdict.settings.loading import SettingsSource, read_settings

GOOD = '<testsuite name="Desk" timestamp="2026-11-22T02:10:00"><testcase name="sails"/></testsuite>'
SETTINGS = {
    "--history": ('[history]\nstore = "h.db"\nrequired = true\n', lambda folder, _: (folder / "h.db").exists()),
    "--previous": ('[history]\nprevious = ["gone.html"]\n', lambda _, done: "gone.html" in done.err),
    "--against": ('[history]\nagainst = "4199"\n', lambda _, done: "4199" in done.err),
    "--newer-than": (
        '[input]\nnewer_than = "2999-01-01"\n',
        lambda _, done: done.code == 3,
    ),
    "--size-limit": ('[evidence]\nsize_limit = "30MB"\n', lambda _, done: done.code == 0),
    "--api-document": ('[api]\ndocument = "gone.yaml"\n', lambda _, done: "gone.yaml" in done.out + done.err),
    "--engine": ('[engine]\naddress = "elsewhere"\n', lambda _, done: "elsewhere" in done.err),
    "--time-zone": ('[report]\ntime_zone = "Nowhere/Quay"\n', lambda _, done: "Nowhere/Quay" in done.err),
}


@pytest.mark.parametrize("option", SETTINGS)
def test_an_empty_option_leaves_the_settings_as_they_are(option, tool, tmp_path):
    toml, holds = SETTINGS[option]
    (tmp_path / "r.xml").write_text(GOOD)
    (tmp_path / "team.toml").write_text(toml)
    assert holds(tmp_path, tool("report", "r.xml", "--config", "team.toml", "--no-git", option, ""))


def test_an_empty_title_takes_the_settings_title_away(tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    (tmp_path / "team.toml").write_text('[report]\ntitle = "Morning"\n')
    for value, title in (([], "Morning"), (["--title", ""], "Desk"), (["--title", "Night"], "Night")):
        tool("report", "r.xml", "--config", "team.toml", "--overwrite", *value)
        assert f"<title>{title}" in (tmp_path / "verdict.html").read_text("utf-8").replace(
            "<title>Fit: ", "<title>"
        )


SINGLE_TEXTS = (
    ('[mail]\nto = "crew@desk.test"', "mail", "to"),
    ('[requirements]\nfiles = "asked.md"', "requirements", "files"),
    ('[masking]\npatterns = "quay-[0-9]{12}"', "masking", "patterns"),
)


@pytest.mark.parametrize(("text", "table", "key"), SINGLE_TEXTS)
def test_a_text_stands_for_a_list_of_one(text, table, key, tmp_path, tool):
    (tmp_path / "plain-verdict.toml").write_text(text)
    assert tool("check").code == 0
    found = read_settings(SettingsSource(str(tmp_path / "plain-verdict.toml")), lambda _: None).file
    value = getattr(getattr(found, table), key)
    assert isinstance(value, tuple)
    assert len(value) == 1
    (tmp_path / "plain-verdict.toml").write_text('waiver = "quay"')
    assert "waiver: must be a list in [ ], not a text in quotes" in tool("check").err
