"""Feature files: tags, outlines and rules as the Gherkin reference says, and the names that runners give to checks."""

import json
from html import escape

import pytest

BOOKING = """@BQ-10 @desk
Feature: Booking
  Background:
    Given a desk

  @BQ-11
  Scenario: Book a day return
    Then it is fine

  @BQ-19
  Rule: Children pay half
    @BQ-12 @BQ-13
    Scenario: Book for a child
      Then it is fine

    Scenario Outline: Book <n> tickets for <who>
      Then it is <state>

      @BQ-14
      Examples: small groups
        | n | who     | state |
        | 2 | parents | fine  |
        | 3 | friends | fine  |

      @BQ-15
      Examples: large groups
        | n  | who     | state |
        | 20 | a class | bad   |

    Scenario: Cancel
      Then it is fine

    @BQ-16
    Scenario Outline: Same name for every row
      Then it is <state>
      @BQ-17
      Examples:
        | n | state |
        | 1 | fine  |
      @BQ-18
      Examples:
        | n | state |
        | 2 | bad   |
"""
REFUND = """@BQ-20
Feature: Refund
  Scenario: Cancel
    Then it is bad

  @BQ-21 @BQ-11
  Scenario: Refund a day return
    Then it is <b>fine</b>

  Scenario: Refund twice is refused
    Then it is fine
"""
BAD = ("Book 20 tickets for a class", "Same name for every row 2", "Refund Cancel")
# What each runner calls the same eleven scenarios, with the suite of each.
RUNNERS = {
    "as they stand": (
        ("Booking", "Book a day return"), ("Booking", "Book for a child"), ("Booking", "Book 2 tickets for parents"),
        ("Booking", "Book 3 tickets for friends"), ("Booking", "Book 20 tickets for a class"), ("Booking", "Cancel"),
        ("Booking", "Same name for every row #1"), ("Booking", "Same name for every row #2"), ("Refund", "Cancel"),
        ("Refund", "Refund a day return"), ("Refund", "Refund twice is refused")),
    "a number and the examples behind": (
        ("booking.Booking", "Book a day return"), ("booking.Booking", "Book for a child"),
        ("booking.Booking", "Book 2 tickets for parents -- @1.1 small groups"), ("booking.Booking", "Book 3 tickets for friends -- @1.2 small groups"),
        ("booking.Booking", "Book 20 tickets for a class -- @2.1 large groups"), ("booking.Booking", "Cancel"),
        ("booking.Booking", "Same name for every row -- @1.1 "), ("booking.Booking", "Same name for every row -- @2.1 "),
        ("refund.Refund", "Cancel"), ("refund.Refund", "Refund a day return"), ("refund.Refund", "Refund twice is refused")),
    "the rule before": (
        ("Booking", "Book a day return"), ("Booking", "Children pay half - Book for a child"),
        ("Booking", "Children pay half - Book <n> tickets for <who> - small groups - #1.1: Book 2 tickets for parents"),
        ("Booking", "Children pay half - Book <n> tickets for <who> - small groups - #1.2: Book 3 tickets for friends"),
        ("Booking", "Children pay half - Book <n> tickets for <who> - large groups - #2.1: Book 20 tickets for a class"),
        ("Booking", "Children pay half - Cancel"), ("Booking", "Children pay half - Same name for every row - #1.1"),
        ("Booking", "Children pay half - Same name for every row - #2.1"), ("Refund", "Cancel"),
        ("Refund", "Refund a day return"), ("Refund", "Refund twice is refused")),
    "an example with its values": (
        ("Booking", "Book a day return"), ("Booking", "Book for a child"),
        ("Booking", "Book <n> tickets for <who> (outline example : | 2 | parents | fine |)"),
        ("Booking", "Book <n> tickets for <who> (outline example : | 3 | friends | fine |)"),
        ("Booking", "Book <n> tickets for <who> (outline example : | 20 | a class | bad |)"), ("Booking", "Cancel"),
        ("Booking", "Same name for every row (outline example : | 1 | fine |)"),
        ("Booking", "Same name for every row (outline example : | 2 | bad |)"), ("Refund", "Cancel"),
        ("Refund", "Refund a day return"), ("Refund", "Refund twice is refused")),
    "functions with parameters": (
        ("test_booking", "test_book_a_day_return"), ("test_booking", "test_book_for_a_child"),
        ("test_booking", "test_book_n_tickets_for_who[2-parents-fine]"), ("test_booking", "test_book_n_tickets_for_who[3-friends-fine]"),
        ("test_booking", "test_book_n_tickets_for_who[20-a class-bad]"), ("test_booking", "test_cancel"),
        ("test_booking", "test_same_name_for_every_row[1-fine]"), ("test_booking", "test_same_name_for_every_row[2-bad]"),
        ("test_refund", "test_cancel"), ("test_refund", "test_refund_a_day_return"), ("test_refund", "test_refund_twice_is_refused")),
    "examples as a suite": (
        ("Booking", "Scenario: Book a day return"), ("Booking", "Scenario: Book for a child"),
        ("Scenario Outline: Book <n> tickets for <who>", "small groups - Example #1.1"),
        ("Scenario Outline: Book <n> tickets for <who>", "small groups - Example #1.2"),
        ("Scenario Outline: Book <n> tickets for <who>", "large groups - Example #2.1"), ("Booking", "Scenario: Cancel"),
        ("Scenario Outline: Same name for every row", "Example #1"), ("Scenario Outline: Same name for every row", "Example #2"),
        ("Refund", "Scenario: Cancel"), ("Refund", "Scenario: Refund a day return"), ("Refund", "Scenario: Refund twice is refused")),
}  # fmt: skip
FAILED = (4, 7, 8)
STATES = {
    "BQ-10": ("not met", 8), "BQ-11": ("met", 2), "BQ-12": ("met", 1), "BQ-13": ("met", 1), "BQ-14": ("met", 2),
    "BQ-15": ("not met", 1), "BQ-16": ("not met", 2), "BQ-17": ("met", 1), "BQ-18": ("not met", 1),
    "BQ-19": ("not met", 7), "BQ-20": ("not met", 3), "BQ-21": ("met", 1),
}  # fmt: skip


def junit(cases):
    """Return JUnit XML of (suite, name, what is in the case)."""
    parts = (
        f'<testcase classname="{escape(suite)}" name="{escape(name)}">{inner}</testcase>'
        for suite, name, inner in cases
    )
    return f"<testsuite name=''>{''.join(parts)}</testsuite>"


@pytest.fixture
def judged(tool, tmp_path):
    """Return how requirements stand, by id: (state, number of checks); and the whole summary."""

    def judge(cases, **files):
        (tmp_path / "r.xml").write_text(junit(cases))
        for name, text in files.items():
            (tmp_path / name.replace("_", ".")).write_text(text)
        done = tool("judge", "r.xml", "--json", "--requirements", *(name.replace("_", ".") for name in files))
        assert "Traceback" not in done.err
        summary = json.loads(done.out)
        return {
            each["id"]: (each["state"], len(each["checks"])) for each in summary["requirement_results"]
        }, summary

    return judge


@pytest.mark.parametrize("runner", RUNNERS)
def test_every_runner_s_names_find_their_scenario_its_row_and_all_inherited_tags(judged, runner):
    cases = [
        (suite, name, "<failure message='bad'/>" if number in FAILED else "")
        for number, (suite, name) in enumerate(RUNNERS[runner])
    ]
    states, summary = judged(cases, booking_feature=BOOKING, refund_feature=REFUND)
    assert states == STATES, summary["requirement_notes"]
    listed = "Id,Title,Chapter\n" + "".join(f"{id_},Title of {id_},Desk\n" for id_ in STATES)
    states, summary = judged(cases, asked_csv=listed, booking_feature=BOOKING, refund_feature=REFUND)
    assert states == STATES, "a list and its scenarios"
    assert {each["title"] for each in summary["requirement_results"]} == {f"Title of {id_}" for id_ in STATES}


OUTLINE = "Feature: Fares\n  @BQ-2\n  Scenario Outline: Fare of <who>\n    Given <who>\n"
TWO = ("Feature: A\n  Scenario: Cancel\n    Given a\n", "Feature: B\n  Scenario: Cancel\n    Given b\n")
ODD = {
    "no check names an id": (
        [("s", "@BQ-12 pays", ""), ("s", "BQ_12 again", ""), ("s", "other", "")],
        {"asked_csv": "id,title\nREQ-1,One\n"},
        {"REQ-1": ("not checked", 0)},
        "None of 3 checks names any of these ids; seen were: BQ-12 and BQ_12.",
    ),
    "nothing looks like an id": (
        [("s", "pays", "")],
        {"asked_csv": "id,title\nREQ-1,One\n"},
        {"REQ-1": ("not checked", 0)},
        "None of 1 check names any of these ids; none of their tags, properties and names looks like one.",
    ),
    "ids that differ by case": (
        [("s", "a", property_ := "<properties><property name='requirement' value='{}'/></properties>".format("bq-1")),
         ("s", "b", property_.replace("bq-1", "BQ-1")), ("s", "c", property_.replace("bq-1", "@Bq-1"))],
        {"asked_csv": "id,title\nBQ-1,One\nbq-1,Other\n"},
        {"BQ-1": ("met", 2), "bq-1": ("met", 2)},
        "",
    ),
    "two requirements of one title": (
        [("s", "Pay", "")], {"asked_csv": "id,title\nBQ-1,Pay\nBQ-2,pay\n"}, {"BQ-1": ("met", 1), "BQ-2": ("met", 1)}, "",
    ),
    "an id with blanks, and a tag with a key": (
        [("s", "a", property_.replace("bq-1", "REQ 12"))],
        {"asked_csv": "id,title\nREQ 12,One\nBQ-9,Nine\n", "x_feature": "Feature: x\n  @req:BQ-9\n  Scenario: a\n    Given a\n"},
        {"REQ 12": ("met", 1), "BQ-9": ("met", 1)},
        "",
    ),
    "a tag that is in no list": (
        [("x", "a", "")],
        {"asked_csv": "id,title\nBQ-1,One\n", "x_feature": "Feature: x\n  @BQ-99 @v2 @sprint-4\n  Scenario: a\n    Given a\n"},
        {"BQ-1": ("not checked", 0), "BQ-99": ("met", 1)},
        "x.feature has 1 tag that no list has: @BQ-99.",
    ),
    "a list with an id twice": (
        [("s", "One", "")], {"asked_csv": "id,title\nBQ-1,One\n@BQ-1,Two\n"}, {"BQ-1": ("met", 1)},
        "Duplicate requirements, of which the first counts: @BQ-1.",
    ),
    "an outline without rows": (
        [("s", "a", "")], {"x_feature": OUTLINE}, {"BQ-2": ("not checked", 0)},
        "The outline “Fare of <who>” has no rows, so that nothing can prove it (x.feature, line 3).",
    ),
    "an outline with a header only": (
        [("s", "a", "")], {"x_feature": OUTLINE + "    Examples:\n      | who |\n"}, {"BQ-2": ("not checked", 0)},
        "has no rows, so that nothing can prove it",
    ),
    "rows that did not run": (
        [("Fares", "Fare of a child", "")],
        {"x_feature": OUTLINE + "    Examples:\n      | who |\n      | a child |\n      | a dog |\n"},
        {"BQ-2": ("met", 1)},
        "",
    ),
    "two lines that are wrong": (
        [("s", "a", "")],
        {"x_feature": "Feature: x\n  Scenario: a\n    Given a\n    nonsense\n", "asked_csv": "id,title\nBQ-1,One\n"},
        {"BQ-1": ("not checked", 0)},
        "x.feature can't be read: the file is not a feature file: line 4 cannot be read: 'nonsense'",
    ),
    "one check for two scenarios of its name": (
        [("s", "Cancel", "")], {"a_feature": TWO[0], "b_feature": TWO[1]}, {"Cancel": ("undecided", 1)},
        "1 check “Cancel” may belong to Cancel (A) and Cancel (B): name, suite and file fit each of them.",
    ),
    "scenarios of one name, told by the feature": (
        [("A", "Cancel", ""), ("B", "Cancel", "")], {"a_feature": TWO[0], "b_feature": TWO[1]}, {"Cancel": ("met", 1)}, "",
    ),
    "a suite that is another feature": (
        [("B", "Cancel", ""), ("b.B", "Cancel", "")],
        {"a_feature": TWO[0], "b_feature": "Feature: B\n  Scenario: Pay\n    Given b\n"},
        {"Cancel": ("not checked", 0), "Pay": ("not checked", 0)},
        "None of 2 checks names any",
    ),
    "tags of platforms and plans": (
        [("A", "Cancel", "")], {"a_feature": "@ios17 @utf8 @chrome-120 @sprint-4 @v2\n" + TWO[0]}, {"Cancel": ("met", 1)}, "",
    ),
    "ids in small and in capital letters": (
        [("A", "Cancel", "")], {"a_feature": "@bq-1 @BQ2 @req:lower3\n" + TWO[0]},
        {"bq-1": ("met", 1), "BQ2": ("met", 1), "lower3": ("met", 1)}, "",
    ),
    "a name that goes on otherwise": (
        [("A", "Cancel twice", "")], {"a_feature": TWO[0]}, {"Cancel": ("not checked", 0)}, "None of 1 check names any",
    ),
    "another language": (
        [("Billett", "Pris for et barn", "")],
        {"x_feature": "# language: no\nEgenskap: Billett\n  @BQ-3\n  Abstrakt Scenario: Pris for <hvem>\n    Gitt <hvem>\n    Eksempler:\n      | hvem |\n      | et barn |\n"},
        {"BQ-3": ("met", 1)},
        "",
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", ODD)
def test_odd_lists_and_features_are_said_and_lose_no_link(judged, case):
    cases, files, expected, note = ODD[case]
    states, summary = judged(cases, **files)
    assert states == expected, summary["requirement_notes"]
    assert note in " ".join(summary["requirement_notes"])
    if not note:
        assert summary["requirement_notes"] == []
    if case == "rows that did not run":
        assert summary["requirement_results"][0]["not_run"] == ["Fare of a dog"]


def test_columns_for_chapters_and_sections_group_and_unknown_ids_are_listed(judged):
    property_ = "<properties><property name='requirement' value='BQ-7'/></properties>"
    table = "Id,Title,Section,Chapter\nBQ-1,One,Cards,Payment\nBQ-2,Two,,Payment\n"
    _, summary = judged([("s", "One", ""), ("s", "x", property_)], asked_csv=table)
    assert [each["group"] for each in summary["requirement_results"]] == [["Payment", "Cards"], ["Payment"]]
    assert summary["unknown_requirements"] == {"BQ-7": 1}
    check = summary["requirement_results"][0]["checks"][0]
    assert (check["name"], check["outcome"]) == ("s › One", "passed")


def test_one_check_in_two_browsers_proves_no_two_scenarios_of_its_name(tool, tmp_path):
    for name, text in zip(("a.feature", "b.feature"), TWO, strict=True):
        (tmp_path / name).write_text(text)
    for browser in ("chromium", "firefox"):
        facts = f"<properties><property name='browser' value='{browser}'/></properties>"
        (tmp_path / f"{browser}.xml").write_text(
            f"<testsuite name='s'>{facts}<testcase name='Cancel'/></testsuite>"
        )
    done = tool("judge", "chromium.xml", "firefox.xml", "--json", "--requirements", "a.feature", "b.feature")
    results = json.loads(done.out)["requirement_results"]
    assert [(each["state"], len(each["checks"])) for each in results] == [("undecided", 2)] * 2
