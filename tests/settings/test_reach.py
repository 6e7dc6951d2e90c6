"""Settings that were found decide how the page looks and what the rules are; reach is the operator's alone."""

import json

import pytest

from plain_verdict.settings.paths import PATHS
from plain_verdict.settings.trust import REACH

GOOD = '<testsuite name="Desk"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Desk"><testcase name="sails"><failure message="no boat"/></testcase></testsuite>'
FOUND = "plain-verdict.toml was found, not named with --config, so {} is ignored: name the file with --config, or give --trust-settings."
SINGLE = {
    "report.out",
    "report.tables",
    "report.charts",
    "report.earl",
    "report.digest",
    "report.junit",
    "report.markdown",
}
SINGLE |= {
    "report.pdf",
    "report.attest",
    "report.sign_with",
    "brand.logo",
    "brand.logo_dark",
    "brand.stylesheet",
    "mail.file",
    "history.store",
    "api.document",
}
OUTSIDE = "../out-of-here/x"

SETTINGS = {
    "mail.server": '[mail]\nserver = "smtp://mail.evil.test:587"',
    "mail.send": "[mail]\nsend = true",
    "mail.user_variable": '[mail]\nuser_variable = "HOME"',
    "mail.password_variable": '[mail]\npassword_variable = "DEPLOY_TOKEN"',
    "notify": '[[notify]]\nurl_variable = "HOME"',
    "publish": '[[publish]]\ndestination = "https://pages.evil.test/x/"',
    "engine.address": '[engine]\naddress = "dask://evil.test:8786"',
    "facts_from_environment": '[facts_from_environment]\nnote = "DEPLOY_TOKEN"',
    "masking.off": "[masking]\noff = true",
}
for keys in PATHS:
    name = ".".join(keys)
    value = f'"{OUTSIDE}"' if name in SINGLE else f'["{OUTSIDE}"]'
    value = value.replace(OUTSIDE, f"summary={OUTSIDE}") if name == "report.outputs" else value
    SETTINGS[name] = f"[{'.'.join(keys[:-1])}]\n{keys[-1]} = {value}"


def test_every_key_with_reach_has_a_case():
    assert {".".join(keys) for keys in (*REACH, *PATHS)} == set(SETTINGS)


@pytest.fixture
def desk(tmp_path, monkeypatch):
    """A repository with results, a secret in the environment, and nothing next to it."""
    folder = tmp_path / "desk"
    (folder / ".git").mkdir(parents=True)
    (folder / "r.xml").write_text(BAD)
    monkeypatch.setenv("DEPLOY_TOKEN", "Quay-77-harbour-light")
    return folder


@pytest.mark.parametrize("key", SETTINGS)
def test_a_found_file_has_no_reach(key, desk, tool, tmp_path, monkeypatch):
    (desk / "plain-verdict.toml").write_text(SETTINGS[key])
    monkeypatch.chdir(desk)
    done = tool("report", "r.xml")
    assert done.code == 0
    assert FOUND.format(key) in done.err
    page = (desk / "verdict.html").read_text("utf-8")
    assert FOUND.format(key) in page
    assert "Quay-77" not in page + done.err + done.out
    assert not (tmp_path / "out-of-here").exists()


# Ways to the outside that are no plain ``..``.
@pytest.mark.parametrize(
    ("key", "path"),
    [
        ("logo", "/usr/share/logo.svg"),
        ("logo", "link.svg"),
        ("logo", "folder/../../x.svg"),
        ("logo", "https://pages.evil.test/logo.svg"),
        ("stylesheet", ".git/config"),
        ("stylesheet", "sub/.GIT/config"),
    ],
)
def test_no_way_leads_out_of_the_repository(key, path, desk, tool, tmp_path, monkeypatch):
    (tmp_path / "elsewhere.svg").write_text("<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>")
    (desk / "link.svg").symlink_to(tmp_path / "elsewhere.svg")
    (desk / "plain-verdict.toml").write_text(f'[brand]\n{key} = "{path}"')
    monkeypatch.chdir(desk)
    done = tool("report", "r.xml")
    assert (done.code, FOUND.format(f"brand.{key}") in done.err) == (0, True)


@pytest.mark.parametrize("pattern", ["../*/x.xml", "*/../../x.xml", "{suite}/../../x", "s3://bucket/x"])
def test_no_pattern_leads_out_of_the_repository(pattern, desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text(f'[evidence]\nlook_in = ["{pattern}", "shots/{{suite}}/*.png"]')
    monkeypatch.chdir(desk)
    assert FOUND.format("evidence.look_in") in tool("report", "r.xml").err


def test_what_stands_inside_needs_no_trust(desk, tool, monkeypatch):
    (desk / "ci").mkdir()
    (desk / "page").mkdir()
    (desk / "ci" / "logo.svg").write_text(
        "<svg xmlns='http://www.w3.org/2000/svg' width='90' height='30'><rect width='90' height='30'/></svg>"
    )
    toml = '[report]\nout = "../page/verdict.html"\n[brand]\nlogo = "logo.svg"\n[history]\nstore = "builds.db"\n'
    (desk / "ci" / "plain-verdict.toml").write_text(toml)
    monkeypatch.chdir(desk / "ci")
    done = tool("report", "../r.xml")
    assert (done.code, "ignored" in done.err) == (0, False), done.err
    assert (desk / "page" / "verdict.html").exists()
    assert (desk / "ci" / "builds.db").exists()
    # A store is an answer to later runs: only below the settings' own folder.
    (desk / "ci" / "plain-verdict.toml").write_text('[history]\nstore = "../builds.db"')
    assert FOUND.format("history.store") in tool("report", "../r.xml").err


def test_the_operator_may_trust_a_file(desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text('[facts_from_environment]\nharbour = "HARBOUR"\n[masking]\noff = true')
    monkeypatch.setenv("HARBOUR", "north quay")
    monkeypatch.chdir(desk)
    ways = [("--config", "plain-verdict.toml"), ("--trust-settings",)]
    pages = []
    for number, arguments in enumerate(ways):
        assert "ignored" not in tool("report", "r.xml", *arguments, "--out", f"{number}.html").err
        pages.append((desk / f"{number}.html").read_text("utf-8"))
    monkeypatch.setenv("PLAIN_VERDICT_TRUST", "1")
    assert "ignored" not in tool("report", "r.xml", "--out", "3.html").err
    assert all(
        "north quay" in page and "Masking is off" in page for page in (*pages, (desk / "3.html").read_text())
    )


@pytest.mark.parametrize(("variable", "shown"), [("DESK_PW", "[masked, DESK_PW]"), ("DESK_QUAY", "lit")])
def test_a_variable_whose_name_means_a_secret_is_no_fact(variable, shown, desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text(f'[facts_from_environment]\nlamp = "{variable}"')
    monkeypatch.setenv(variable, "lit")
    monkeypatch.chdir(desk)
    done = tool("report", "r.xml", "--json", "--trust-settings")
    assert json.loads(done.out)["facts"]["lamp"] == shown


def test_no_library_logs_to_the_terminal(desk, program, monkeypatch):
    done = program("report", "desk/r.xml", "--engine", "dask://127.0.0.1:1", "--publish", "sftp://127.0.0.1:1/x")
    assert {line.partition(":")[0] for line in done.err.splitlines()} <= {"error", "hint", "note"}
    traced = program("report", "desk/r.xml", "--engine", "dask://127.0.0.1:1", "--debug")
    assert (traced.code, "Traceback" in traced.err) == (3, True)


@pytest.mark.parametrize(
    ("toml", "arguments", "key"),
    [
        (
            '[mail]\nserver = "smtp://mail.desk.test"\nto = ["crew@desk.test"]',
            ("report", "r.xml", "--send"),
            "mail.server",
        ),
        ('[history]\nstore = "postgresql://keeper@db.desk.test/builds"', ("history", "list"), "history.store"),
        (
            '[history]\nstore = "postgresql://keeper@db.desk.test/builds"\nrequired = true',
            ("report", "r.xml"),
            "history.store",
        ),
    ],
)
def test_a_command_that_needs_what_is_ignored_ends_with_2(toml, arguments, key, desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text(toml)
    monkeypatch.chdir(desk)
    done = tool(*arguments)
    assert done.code == 2
    assert f"{key}: plain-verdict.toml was found, not named with --config, so its key is ignored" in done.err
    assert "hint: name the file with --config, or give --trust-settings" in done.err


def test_check_reaches_nothing_for_a_file_that_was_found(desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text("\n".join(SETTINGS[key] for key in ("publish", "notify", "mail.file")))
    monkeypatch.chdir(desk)
    done = tool("check")
    assert done.code == 0
    assert "so notify, publish and mail.file are ignored" in done.out


@pytest.mark.parametrize(
    "command",
    [("history", "list"), ("index", "."), ("decide", "r.xml", "--out", "d.verdict.jsonl"), ("judge", "r.xml")],
)
def test_every_command_names_what_it_ignores(command, desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text(f"{SETTINGS['brand.logo']}\n{SETTINGS['publish']}")
    monkeypatch.chdir(desk)
    assert "so publish and brand.logo are ignored" in tool(*command).err


WAIVED = '[[waiver]]\nmatch = { check = "sails" }\nreason = "x"\nuntil = 2027-01-01\n'
EASED = {
    "a waiver": WAIVED,
    "a condition": '[[condition]]\nmeasure = "failed"\nat_most = 5\n',
    "another go": '[input]\nretry = ["again.xml"]\n',
    "an age": '[input]\nnewer_than = "2026-11-29"\n',
}


@pytest.mark.parametrize("change", EASED)
def test_rules_of_a_trusted_checkout_judge_the_change_under_test(change, desk, tool, tmp_path, monkeypatch):
    (desk / "again.xml").write_text(GOOD)
    (desk / "plain-verdict.toml").write_text(f'[report]\ntitle = "Desk of a change"\n{EASED[change]}')
    (tmp_path / "trusted.toml").write_text('[report]\ntitle = "Never shown"\n')
    monkeypatch.chdir(desk)
    assert tool("judge", "r.xml").code != 1 or change == "an age"
    done = tool("report", "r.xml", "--rules", "../trusted.toml", "--enforce", "--json")
    assert done.code == 1
    assert '"verdict": "not fit"' in done.out
    table = EASED[change].strip("[\n").partition("]")[0]
    assert f"trusted.toml judges this run, so plain-verdict.toml is not used for {table}." in done.err
    page = (desk / "verdict.html").read_text("utf-8")
    assert "Desk of a change" in page
    assert "Never shown" not in page


def test_which_build_it_is_a_found_file_does_not_say_where_the_pipeline_does(desk, tool, monkeypatch):
    (desk / "plain-verdict.toml").write_text('[facts]\nbranch = "main"\nquay = "north"')
    monkeypatch.setenv("CI_COMMIT_REF_NAME", "change-of-a-fork")
    monkeypatch.chdir(desk)
    for arguments, branch in (((), "change-of-a-fork"), (("--config", "plain-verdict.toml"), "main")):
        done = tool("report", "r.xml", "--json", "--overwrite", *arguments)
        assert f'"branch": "{branch}"' in done.out
        assert '"quay": "north"' in done.out
