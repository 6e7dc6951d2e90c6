"""Requirements as teams keep them: tables, TOML, Markdown, ReqIF, feature files, each in their order.

All raise ValueError, in words, for a file that is none; a text among the requirements says what can't be read.
"""

import re
import tomllib
from collections.abc import Callable, Iterator, Mapping

from plain_verdict.model import Requirement
from plain_verdict.readers.csv_text import BadRow
from plain_verdict.requirements.ids import AT_BEGINNING
from plain_verdict.requirements.markdown import HEADING, Headings, lines_of
from plain_verdict.requirements.reqif import read_reqif, read_reqif_archive
from plain_verdict.requirements.scenarios import Scenario, read_feature
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
    "chapter": ("chapter",),
    "group": ("group", "section", "epic", "area", "category", "module", "component", "feature"),
    "section": ("section", "subsection", "subgroup", "sub group"),
}
_GROUP_KEYS = ("chapter", "group", "section")
"""From the outermost on, where a table has several."""
_ITEM = re.compile(r"^\s*(?:[-*+]|\d+[.)])\s+(?:\[[ xX]\]\s+)?(.*)$")
_MARKDOWN_LINK = re.compile(r"\[([^\]]*)\]\(([^)\s]*)\)")


def read_table(data: bytes) -> Iterator[Requirement | str]:
    """Yield the requirements of a CSV or TSV file, by the words of its header."""
    for row in rows_by_header(data, _COLUMNS):
        if isinstance(row, BadRow):
            yield f"line {row.line:,} {row.why}"
        elif row["id"]:
            yield _requirement(row, tuple(row[key] for key in _GROUP_KEYS if row.get(key)))


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
        found = AT_BEGINNING.match(plain)
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


FORMATS: Mapping[str, Callable[[bytes], Iterator[Requirement | Scenario | str]]] = {
    ".csv": read_table,
    ".tsv": read_table,
    ".toml": read_toml,
    ".md": read_markdown,
    ".markdown": read_markdown,
    ".reqif": read_reqif,
    ".reqifz": read_reqif_archive,
    ".feature": read_feature,
}
"""By the ending of a file's name."""
