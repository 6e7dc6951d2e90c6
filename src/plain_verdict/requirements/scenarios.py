"""Reads feature files: what each scenario is called, which tags it inherits, and the rows of outlines.

Source: the Gherkin reference, sections Tags ("tag inheritance"), Rule, Scenario Outline and Examples.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from plain_verdict.requirements.tables import CELL_CHARS
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.encoding import as_text
from plain_verdict.text.packages import install_command

_MOST_ERRORS = 3
"""Wrong lines of one file that are named."""
_SYNTAX_ERROR_CHARS = 160
_POSITION = re.compile(r"^\(\d+:\d+\):\s*")

_Node = Mapping[str, object]
Tags = Mapping[str, str]
"""Tags without their sign, each with the name of what carries it: a feature, a rule, a scenario, examples."""


class ScenarioRow(NamedTuple):
    """What a scenario asks to be run once: itself, or one row of its examples.

    ``number`` is that of the examples in their outline and of the row in them, from 1; () for the scenario itself.
    """

    name: str
    tags: Tags
    values: tuple[str, ...] = ()
    examples: str = ""
    number: tuple[int, ...] = ()


class Scenario(NamedTuple):
    """A scenario or an outline: ``group`` are feature and rule; an outline without rows has none."""

    name: str
    group: tuple[str, ...]
    line: int
    tags: Tags
    rows: tuple[ScenarioRow, ...]
    steps: tuple[str, ...] = ()
    source: str = ""


def read_feature(data: bytes) -> Iterator[Scenario]:
    """Yield the scenarios of a feature file. Raises ValueError, with lines, for a file that is none."""
    try:
        from gherkin import dialect, errors, parser  # an extra
    except ImportError as error:
        raise ValueError(f"needs one more library: {install_command('gherkin')}") from error
    try:
        feature = parser.Parser().parse(as_text(data)).get("feature")
    except errors.ParserError as error:
        each_error = error.errors if isinstance(error, errors.CompositeParserException) else [error]
        wrong = [f"line {_line_of(each):,} {_what_is_wrong(each)}" for each in each_error[:_MOST_ERRORS]]
        raise ValueError(f"is not a feature file: {'; '.join(wrong)}") from error
    if feature:
        language = dialect.Dialect.for_name(feature["language"])
        yield from _scenarios(feature, (), {}, frozenset(language.scenario_outline_keywords if language else ()))


def _line_of(error: Exception) -> int:
    location = getattr(error, "location", None)
    return int(location["line"]) if location else 1


def _what_is_wrong(error: Exception) -> str:
    text = _POSITION.sub("", single_line(str(error), CELL_CHARS))
    _, was_read, got = text.partition(", got ")
    return single_line(f"cannot be read: {got if was_read else text}", _SYNTAX_ERROR_CHARS)


def _scenarios(
    whole: _Node, group: tuple[str, ...], inherited: Tags, outlines: frozenset[str]
) -> Iterator[Scenario]:
    """Yield the scenarios in a feature or a rule; ``outlines`` are the words that begin an outline."""
    group, tags = (*group, _text(whole["name"])), _with_tags(inherited, whole)
    for child in _nodes(whole, "children"):
        rule, scenario = child.get("rule"), child.get("scenario")
        if isinstance(rule, dict):
            yield from _scenarios(rule, group, tags, outlines)
        elif isinstance(scenario, dict):
            steps = tuple(_text(f"{step['keyword']}{step['text']}") for step in _nodes(scenario, "steps"))
            name, tags_of_all = _text(scenario["name"]), _with_tags(tags, scenario)
            is_outline = scenario["keyword"] in outlines or bool(scenario.get("examples"))
            rows = tuple(_rows(scenario, name, tags_of_all)) if is_outline else (ScenarioRow(name, tags_of_all),)
            yield Scenario(name, group, _line(scenario), tags_of_all, rows, steps)


def _rows(scenario: _Node, name: str, tags: Tags) -> Iterator[ScenarioRow]:
    """Yield the rows of an outline."""
    for block, table in enumerate(_nodes(scenario, "examples"), 1):
        head = table.get("tableHeader")
        columns = _cells(head) if isinstance(head, dict) else ()
        for row, body in enumerate(_nodes(table, "tableBody"), 1):
            values = _cells(body)
            filled = name
            for column, value in zip(columns, values, strict=False):
                filled = filled.replace(f"<{column}>", value)
            examples = _text(table.get("name", ""))
            tags_of_row = {**tags, **_tags_of(table, f"{name}: {examples}" if examples else name)}
            yield ScenarioRow(_text(filled), tags_of_row, values, examples, (block, row))


def _with_tags(inherited: Tags, node: _Node) -> Tags:
    return {**inherited, **_tags_of(node, _text(node.get("name", "")))}


def _tags_of(node: _Node, name: str) -> Tags:
    return {_text(tag["name"]).removeprefix("@"): name for tag in _nodes(node, "tags")}


def _nodes(node: _Node, key: str) -> Sequence[_Node]:
    found = node.get(key)
    return found if isinstance(found, list) else ()


def _cells(row: _Node) -> tuple[str, ...]:
    return tuple(_text(cell["value"]) for cell in _nodes(row, "cells"))


def _line(node: _Node) -> int:
    location = node.get("location")
    return int(location["line"]) if isinstance(location, dict) else 1


def _text(value: object) -> str:
    return single_line(str(value), CELL_CHARS)
