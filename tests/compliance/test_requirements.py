"""Requirements: files of requirements in every form, how checks name them, and how each stands."""

import contextlib
import io
import json
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st
from selenium.webdriver.common.by import By

from plain_verdict.model import Attempt, Check, Kind, Outcome, RequirementState
from plain_verdict.requirements.formats import FORMATS
from plain_verdict.requirements.matching import state_of
from plain_verdict.requirements.scenarios import Scenario

MARKDOWN = """# Booking

Words that are no requirement.

## Payment
- **BQ-1** A day return can be paid
- [ ] BQ-2: A season ticket can be paid
1. [BQ-3](https://quay.example/3) – A child pays half

```
- BQ-99 in a fence
```
## BQ-4 The receipt arrives
"""
REQIF = """<?xml version="1.0"?><REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd"><CORE-CONTENT><REQ-IF-CONTENT>
<SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="t"><SPEC-ATTRIBUTES>
<ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a1" LONG-NAME="ReqIF.ForeignID"/><ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a2" LONG-NAME="ReqIF.Name"/>
<ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a3" LONG-NAME="ReqIF.ChapterName"/></SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE></SPEC-TYPES>
<SPEC-OBJECTS>{objects}</SPEC-OBJECTS>
<SPECIFICATIONS><SPECIFICATION IDENTIFIER="s" LONG-NAME="Booking"><CHILDREN><SPEC-HIERARCHY IDENTIFIER="h0"><OBJECT><SPEC-OBJECT-REF>o0</SPEC-OBJECT-REF></OBJECT>
<CHILDREN>{children}</CHILDREN></SPEC-HIERARCHY></CHILDREN></SPECIFICATION></SPECIFICATIONS></REQ-IF-CONTENT></CORE-CONTENT></REQ-IF>"""


def reqif():
    def value(of, text):
        return f'<ATTRIBUTE-VALUE-STRING THE-VALUE="{text}"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>{of}</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>'

    titles = {
        "BQ-1": "A day return can be paid",
        "BQ-2": "A season ticket can be paid",
        "BQ-3": "A child pays half",
        "BQ-4": "The receipt arrives",
    }
    objects = f'<SPEC-OBJECT IDENTIFIER="o0"><VALUES>{value("a3", "Payment")}</VALUES></SPEC-OBJECT>'
    children = ""
    for at, (id_, title) in enumerate(titles.items(), 1):
        objects += (
            f'<SPEC-OBJECT IDENTIFIER="o{at}"><VALUES>{value("a1", id_)}{value("a2", title)}</VALUES></SPEC-OBJECT>'
        )
        children += f'<SPEC-HIERARCHY IDENTIFIER="h{at}"><OBJECT><SPEC-OBJECT-REF>o{at}</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY>'
    return REQIF.format(objects=objects, children=children)


def archive(**members):
    """Return a zip archive of texts as the characters of its bytes."""
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as packed:
        for name, text in members.items():
            packed.writestr(name, text)
    return made.getvalue().decode("latin-1")


FILES = {
    "asked.md": MARKDOWN,
    "asked.csv": "ID;Summary;Section;Priority\nBQ-1;A day return can be paid;Payment;high\nBQ-2;A season ticket can be paid;Payment;low\n;no id;;\nBQ-3;A child pays half;Payment;\nBQ-4;The receipt arrives;;\n",
    "asked.tsv": "Requirement ID\tTitle\tOwner\nBQ-1\tA day return can be paid\tKari\nBQ-2\tA season ticket can be paid\t\nBQ-3\tA child pays half\t\nBQ-4\tThe receipt arrives\t\n",
    "asked.toml": '[[requirement]]\nid = "BQ-1"\ntitle = "A day return can be paid"\ngroup = ["Booking", "Payment"]\n'
    + "".join(f'[[requirement]]\nid = "BQ-{at}"\ntitle = "{title}"\n' for at, title in ((2, "A season ticket can be paid"), (3, "A child pays half"), (4, "The receipt arrives"))),
    "asked.reqif": reqif(),
    "asked.reqifz": archive(**{"files/picture.png": "x", "files/asked.reqif": reqif()}),
    "asked.feature": "Feature: Payment\n  Rule: At once\n"
    + "".join(f"    @BQ-{at}\n    Scenario: {title}\n      Given a desk\n      Then it is paid\n" for at, title in enumerate(("A day return can be paid", "A season ticket can be paid", "A child pays half", "The receipt arrives"), 1)),
}  # fmt: skip
CASES = """<testsuite name="Desk">
<testcase name="pays a day return"><properties><property name="requirement" value="BQ-1"/></properties></testcase>
<testcase name="BQ-1 pays it again"/>
<testcase name="A season ticket can be paid"><failure message="too dear"/></testcase>
<testcase name="a child"><properties><property name="Req_ID" value="BQ-3, BQ-77"/></properties><skipped/></testcase>
</testsuite>"""


@pytest.mark.parametrize("name", FILES)
def test_requirements_of_every_form_are_told_with_their_checks(tool, tmp_path, browser, name):
    (tmp_path / name).write_bytes(FILES[name].encode("latin-1" if name.endswith("z") else "utf-8"))
    (tmp_path / "r.xml").write_text(CASES)
    (tmp_path / "plain-verdict.toml").write_text(
        f'[requirements]\nfiles = ["{name}"]\npattern = "BQ-\\\\d+"\n[[condition]]\nmeasure = "requirements not checked"\nat_most = 1\n'
    )
    done = tool("report", "r.xml", "--json", "--out", "v.html")
    summary = json.loads(done.out)
    assert summary["requirements"] == {"met": 1, "not_met": 1, "undecided": 0, "not_checked": 2}, done.err
    assert "requirements not checked: at most 1" in " ".join(summary["reasons"]).lower()
    browser.get((tmp_path / "v.html").as_uri())
    text = " ".join(browser.find_element(By.XPATH, "//h2[@id='asked']/..").text.split())
    for words in (
        "1 of 4 requirements met, 1 not met, 2 not checked",
        "BQ-1",
        "A day return can be paid",
        "pays a day return",
        "Checks name requirements that no file lists: BQ-77 (1 check)",
    ):
        assert words in text, words


ODD = {
    "asked.csv": ("Title;Owner\nx;y\n", "has no column “id” among title, owner"),
    "quote.csv": ('id;title\nBQ-1;One\nBQ-2;"two\nBQ-3;Three\n', "holds 1 row that can't be read: line 3 has a quote that is never closed"),
    "asked.toml": ("[[requirement]]\ntitle = 3\n", "without an id"),
    "broken.toml": ("[[requirement", "is not TOML"),
    "asked.md": ("# Nothing here\n", "holds no requirement"),
    "twice.md": ("- BQ-1 One\n- BQ-1 Two\n", "of which the first counts: BQ-1"),
    "asked.reqif": ('<!DOCTYPE a [<!ENTITY b "c">]><a/>', "has a DOCTYPE, which is refused"),
    "wide.reqif": ("<?xml version='1.0' encoding='utf-16'?>" + "<!-- x -->" * 2000 + '<!DOCTYPE a SYSTEM "a.dtd"><a/>', "has a DOCTYPE, which is refused"),
    "asked.reqifz": ("PK\x03\x04 cut", "is a damaged archive"),
    "cut.reqif": ("<REQ-IF><CORE", "is not XML"),
    "asked.feature": ("Feature: x\n  Scenario: y\n    Given z\n    nonsense\n", "is not a feature file: line 4 cannot be read: 'nonsense'"),
    "asked.docx": ("", "has an unknown format"),
    "none.md": (None, "No requirements file matches none.md"),
}  # fmt: skip


@pytest.mark.parametrize(("name", "text", "what"), [(name, *odd) for name, odd in ODD.items()], ids=ODD)
def test_a_file_that_is_none_is_said_and_costs_nothing_else(tool, tmp_path, name, text, what):
    if text is not None:
        (tmp_path / name).write_text(text, "utf-16" if name == "wide.reqif" else "utf-8")
    (tmp_path / "more.md").write_text("- BQ-9 The last one\n")
    (tmp_path / "r.xml").write_text(CASES)
    done = tool("judge", "r.xml", "--requirements", name, "more.md", "--json")
    assert what in done.err
    assert "Traceback" not in done.err
    assert sum(json.loads(done.out)["requirements"].values()) == {"twice.md": 2, "quote.csv": 3}.get(name, 1)


@given(st.lists(st.sampled_from(Outcome), max_size=6))
def test_a_requirement_is_met_only_if_all_that_ran_passed(outcomes):
    checks = [Check(str(at), Kind.FUNCTIONAL, (), "x", (Attempt(outcome),)) for at, outcome in enumerate(outcomes)]
    ran = [outcome for outcome in outcomes if outcome is not Outcome.SKIPPED]
    assert (state_of(checks) is RequirementState.MET) == (bool(ran) and set(ran) == {Outcome.PASSED})
    assert (state_of(checks) is RequirementState.NOT_CHECKED) == (not ran)
    assert (state_of(checks) is RequirementState.NOT_MET) == bool({Outcome.FAILED, Outcome.ERRORED} & set(ran))


@given(st.binary(max_size=300), st.sampled_from(sorted(FORMATS)))
def test_no_bytes_end_in_anything_but_words(data, form):
    with contextlib.suppress(ValueError):
        assert all(isinstance(one, str | Scenario) or one.id for one in FORMATS[form](data))
