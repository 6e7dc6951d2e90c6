"""Requirements as teams keep them: tables, TOML, Markdown, ReqIF, feature files, each in their order.

All raise ValueError, in words, for a file that is none; a text among the requirements says what can't be read.
"""

import re
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence

from plain_verdict.model import Requirement
from plain_verdict.readers.csv_text import BadRow
from plain_verdict.requirements.markdown import HEADING, Headings, lines_of
from plain_verdict.requirements.reqif import read_reqif
from plain_verdict.requirements.tables import CELL_CHARS, rows_by_header
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.encoding import as_text

# Words of a header, the likeliest first.
_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "id": ("id", "key", "requirement id", "req id", "number", "requirement", "req", "ref", "reference"),
    "title": ("title", "summary", "name", "text", "description", "requirement"),
    "link": ("link", "url", "href"),
    "owner": ("owner", "assignee", "responsible", "who"),
    "priority": ("priority", "prio", "importance"),
    "group": ("group", "section", "epic", "area", "component", "feature"),
}
_ID_PATTERN = re.compile(
    r"^[\[(`*]*([A-Za-z][A-Za-z0-9]*(?:[-_.][A-Za-z0-9]+)*[-_.]?\d[\w.-]*)[\])`*]*\s*[:–—.-]*\s*(.*)$"
)
_ITEM = re.compile(r"^\s*(?:[-*+]|\d+[.)])\s+(?:\[[ xX]\]\s+)?(.*)$")
_MARKDOWN_LINK = re.compile(r"\[([^\]]*)\]\(([^)\s]*)\)")


def read_table(data: bytes) -> Iterator[Requirement | str]:
    """Yield the requirements of a CSV or TSV file, by the words of its header."""
    for row in rows_by_header(data, _COLUMNS):
        if isinstance(row, BadRow):
            yield f"line {row.line:,} {row.why}"
        elif row["id"]:
            yield _requirement(row, (row["group"],) if row.get("group") else ())


def _requirement(fields: Mapping[str, str], group: tuple[str, ...]) -> Requirement:
    return Requirement(
        id=fields["id"],
        title=fields.get("title", ""),
        group=group,
        link=fields.get("link", ""),
        owner=fields.get("owner", ""),
        priority=fields.get("priority", ""),
    )


def read_toml(data: bytes) -> Iterator[Requirement]:
    """Yield the requirements of a TOML file: ``[[requirement]]`` tables with their keys."""
    try:
        value = tomllib.loads(as_text(data))
    except (ValueError, RecursionError) as error:
        raise ValueError(f"is not TOML: {error}") from error
    tables = value.get("requirement")
    if not isinstance(tables, list):
        raise ValueError("has no [[requirement]]")
    for table in tables:
        if not isinstance(table, dict) or not table.get("id"):
            raise ValueError("has a [[requirement]] without an id")
        group = table.get("group", ())
        fields = {key: single_line(str(value), CELL_CHARS) for key, value in table.items()}
        yield _requirement(fields, (group,) if isinstance(group, str) else tuple(map(str, group)))


def read_markdown(data: bytes) -> Iterator[Requirement]:
    """Yield headings and items of lists that begin with an id; the headings above are their group (CommonMark)."""
    headings = Headings()
    for line in lines_of(as_text(data)):
        heading = HEADING.match(line)
        text = heading[2] if heading else (item[1] if (item := _ITEM.match(line)) else "")
        link = _MARKDOWN_LINK.search(text)
        plain = _MARKDOWN_LINK.sub(r"\1", text)
        found = _ID_PATTERN.match(plain)
        if heading:
            headings.leave(len(heading[1]))
        if found:
            yield Requirement(
                id=single_line(found[1].rstrip("."), CELL_CHARS),
                title=single_line(found[2], CELL_CHARS),
                group=headings.path,
                link=link[2] if link else "",
            )
        elif heading:
            headings.enter(len(heading[1]), single_line(plain, CELL_CHARS))


def read_feature(data: bytes) -> Iterator[Requirement]:
    """Yield the scenarios of a feature file; feature and rule are their group, tags may hold their id (Gherkin)."""
    try:
        from gherkin.errors import ParserError  # an extra
        from gherkin.parser import Parser  # an extra
    except ImportError as error:
        raise ValueError("needs one more library: pip install 'plain-verdict[gherkin]'") from error
    try:
        document = Parser().parse(as_text(data))
    except ParserError as error:
        raise ValueError(
            f"is not a feature file: {single_line(str(error).removeprefix('Parser errors:'), 300)}"
        ) from error
    feature = document.get("feature")
    if feature:
        yield from _scenarios(feature.get("children", ()), (single_line(str(feature["name"]), CELL_CHARS),))


def _scenarios(children: Sequence[Mapping[str, object]], group: tuple[str, ...]) -> Iterator[Requirement]:
    for child in children:
        rule, scenario = child.get("rule"), child.get("scenario")
        if isinstance(rule, dict):
            yield from _scenarios(rule.get("children", ()), (*group, single_line(str(rule["name"]), CELL_CHARS)))
        elif isinstance(scenario, dict):
            name = single_line(str(scenario["name"]), CELL_CHARS)
            tags = [str(tag["name"]).lstrip("@") for tag in scenario.get("tags", ())]
            ids = [tag for tag in tags if _ID_PATTERN.match(tag)]
            steps = tuple(
                single_line(f"{step['keyword']}{step['text']}", CELL_CHARS) for step in scenario.get("steps", ())
            )
            yield Requirement(ids[0] if ids else name, name, group, steps=steps)


FORMATS: Mapping[str, Callable[[bytes], Iterator[Requirement | str]]] = {
    ".csv": read_table,
    ".tsv": read_table,
    ".toml": read_toml,
    ".md": read_markdown,
    ".markdown": read_markdown,
    ".reqif": read_reqif,
    ".feature": read_feature,
}
"""By the ending of a file's name."""
