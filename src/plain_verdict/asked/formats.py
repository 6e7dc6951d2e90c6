"""Requirements as teams keep them: tables, TOML, Markdown, ReqIF, feature files, each in their order.

All raise ValueError, in words, for a file that is none.
"""

import csv
import re
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence
from io import StringIO

from plain_verdict.model import Requirement
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.encoding import as_text
from plain_verdict.text.names import words_of

_CHARS = 500
# Words of a header, the likeliest first.
_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "id": ("id", "key", "requirement id", "req id", "number", "requirement", "req", "ref", "reference"),
    "title": ("title", "summary", "name", "text", "description", "requirement"),
    "link": ("link", "url", "href"),
    "owner": ("owner", "assignee", "responsible", "who"),
    "priority": ("priority", "prio", "importance"),
    "group": ("group", "section", "epic", "area", "component", "feature"),
}
_HEADING = re.compile(r"^(#{1,6})\s+(.*?)\s*#*\s*$")
_ID = re.compile(r"^[\[(`*]*([A-Za-z][A-Za-z0-9]*(?:[-_.][A-Za-z0-9]+)*[-_.]?\d[\w.-]*)[\])`*]*\s*[:–—.-]*\s*(.*)$")
_ITEM = re.compile(r"^\s*(?:[-*+]|\d+[.)])\s+(?:\[[ xX]\]\s+)?(.*)$")
_LINK = re.compile(r"\[([^\]]*)\]\(([^)\s]*)\)")
_REQIF = "http://www.omg.org/spec/ReqIF/20110401/reqif.xsd"


def read_table(data: bytes) -> Iterator[Requirement]:
    """Yield the requirements of a CSV or TSV file, by the words of its header (RFC 4180)."""
    text = as_text(data).removeprefix("\ufeff")
    lines = StringIO(text, newline="")
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    rows = csv.reader(lines, delimiter=delimiter)
    header = [" ".join(words_of(cell)) for cell in next(rows, [])]
    places: dict[str, int] = {}
    for key, names in _COLUMNS.items():
        found = [header.index(name) for name in names if name in header]
        own = [at for at in found if at not in places.values()]
        if own:
            places[key] = own[0]
    if "id" not in places:
        raise ValueError(f"has no column of ids among {', '.join(filter(None, header))}")
    for row in rows:
        cell = {key: one_line(row[at], _CHARS) for key, at in places.items() if at < len(row)}
        if cell.get("id"):
            yield _requirement(cell, (cell["group"],) if cell.get("group") else ())


def _requirement(told: Mapping[str, str], group: tuple[str, ...]) -> Requirement:
    return Requirement(
        id=told["id"],
        title=told.get("title", ""),
        group=group,
        link=told.get("link", ""),
        owner=told.get("owner", ""),
        priority=told.get("priority", ""),
    )


def read_toml(data: bytes) -> Iterator[Requirement]:
    """Yield the requirements of a TOML file: ``[[requirement]]`` tables with their keys."""
    try:
        value = tomllib.loads(as_text(data))
    except tomllib.TOMLDecodeError as error:
        raise ValueError(f"is no TOML: {error}") from error
    several = value.get("requirement")
    if not isinstance(several, list):
        raise ValueError("has no [[requirement]]")
    for one in several:
        if not isinstance(one, dict) or not one.get("id"):
            raise ValueError("has a [[requirement]] without an id")
        group = one.get("group", ())
        told = {key: one_line(str(value), _CHARS) for key, value in one.items()}
        yield _requirement(told, (group,) if isinstance(group, str) else tuple(map(str, group)))


def read_markdown(data: bytes) -> Iterator[Requirement]:
    """Yield headings and items of lists that begin with an id; the headings above are their group (CommonMark)."""
    above: list[tuple[int, str]] = []
    fenced = False
    for line in as_text(data).splitlines():
        if line.lstrip().startswith(("```", "~~~")):
            fenced = not fenced
        if fenced:
            continue
        heading = _HEADING.match(line)
        text = heading[2] if heading else (item[1] if (item := _ITEM.match(line)) else "")
        if not text:
            continue
        link = _LINK.search(text)
        plain = _LINK.sub(r"\1", text)
        found = _ID.match(plain)
        if heading:
            level = len(heading[1])
            above = [one for one in above if one[0] < level]
        if found:
            yield Requirement(
                id=one_line(found[1].rstrip("."), _CHARS),
                title=one_line(found[2], _CHARS),
                group=tuple(name for _, name in above),
                link=link[2] if link else "",
            )
        elif heading:
            above.append((len(heading[1]), one_line(plain, _CHARS)))


def read_reqif(data: bytes) -> Iterator[Requirement]:
    """Yield the objects of a specification in their hierarchy (OMG ReqIF 1.2, chapter 10)."""
    from lxml import etree

    if b"<!DOCTYPE" in data[:10_000]:
        raise ValueError("has a DOCTYPE, which is refused: it can pull in other files or grow without end")
    try:
        root = etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError as error:
        raise ValueError(f"is no XML: {error}") from error
    space = {"q": _REQIF}
    names = {
        str(one.get("IDENTIFIER")): str(one.get("LONG-NAME", ""))
        for one in root.iterfind(".//q:SPEC-ATTRIBUTES/*", space)
    }
    told: dict[str, dict[str, str]] = {}
    for one in root.iterfind(".//q:SPEC-OBJECTS/q:SPEC-OBJECT", space):
        values = {"": str(one.get("LONG-NAME", ""))}
        for value in one.iterfind("q:VALUES/*", space):
            of = value.find("q:DEFINITION/*", space)
            text = value.get("THE-VALUE") or " ".join("".join(str(part) for part in value.itertext()).split())
            key = names.get(str(of.text) if of is not None else "", "")
            values[" ".join(words_of(key.removeprefix("ReqIF.")))] = text
        told[str(one.get("IDENTIFIER"))] = values
    seen: set[str] = set()

    def below(node: "etree._Element", group: tuple[str, ...]) -> Iterator[Requirement]:
        for child in node.iterfind("q:CHILDREN/q:SPEC-HIERARCHY", space):
            reference = child.find("q:OBJECT/q:SPEC-OBJECT-REF", space)
            key = str(reference.text) if reference is not None else ""
            values = told.get(key, {})
            chapter = values.get("chapter name", "")
            title = next(
                filter(None, (values.get(name) for name in ("name", "title", "text", "description", ""))), chapter
            )
            id_ = next(filter(None, (values.get(name) for name in ("foreign id", "id", "identifier", "key"))), key)
            if values and key not in seen and not chapter:
                seen.add(key)
                yield Requirement(one_line(id_, _CHARS), one_line(title, _CHARS), group)
            yield from below(child, (*group, one_line(chapter, _CHARS)) if chapter else group)

    for specification in root.iterfind(".//q:SPECIFICATIONS/q:SPECIFICATION", space):
        yield from below(specification, (one_line(str(specification.get("LONG-NAME", "")), _CHARS),))
    for key, values in told.items():
        if key not in seen and "chapter name" not in values:
            yield Requirement(
                one_line(values.get("foreign id") or key, _CHARS), one_line(values.get("name", ""), _CHARS)
            )


def read_feature(data: bytes) -> Iterator[Requirement]:
    """Yield the scenarios of a feature file; feature and rule are their group, tags may hold their id (Gherkin)."""
    try:
        from gherkin.errors import ParserError
        from gherkin.parser import Parser
    except ImportError as error:
        raise ValueError("needs one more library: pip install 'plain-verdict[gherkin]'") from error
    try:
        document = Parser().parse(as_text(data))
    except ParserError as error:
        raise ValueError(
            f"is no feature file: {one_line(str(error).removeprefix('Parser errors:'), 300)}"
        ) from error
    feature = document.get("feature")
    if feature:
        yield from _scenarios(feature.get("children", ()), (one_line(str(feature["name"]), _CHARS),))


def _scenarios(children: Sequence[Mapping[str, object]], group: tuple[str, ...]) -> Iterator[Requirement]:
    for child in children:
        rule, scenario = child.get("rule"), child.get("scenario")
        if isinstance(rule, dict):
            yield from _scenarios(rule.get("children", ()), (*group, one_line(str(rule["name"]), _CHARS)))
        elif isinstance(scenario, dict):
            name = one_line(str(scenario["name"]), _CHARS)
            tags = [str(tag["name"]).lstrip("@") for tag in scenario.get("tags", ())]
            ids = [tag for tag in tags if _ID.match(tag)]
            steps = tuple(
                one_line(f"{step['keyword']}{step['text']}", _CHARS) for step in scenario.get("steps", ())
            )
            yield Requirement(ids[0] if ids else name, name, group, steps=steps)


FORMATS: Mapping[str, Callable[[bytes], Iterator[Requirement]]] = {
    ".csv": read_table,
    ".tsv": read_table,
    ".toml": read_toml,
    ".md": read_markdown,
    ".markdown": read_markdown,
    ".reqif": read_reqif,
    ".feature": read_feature,
}
"""By the ending of a file's name."""
