"""Finds the lists of items in a file, by its syntax."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from itertools import chain, islice, zip_longest

from lxml import etree

from plain_verdict.inputs.source import Source
from plain_verdict.readers.mapping.draft.fields import SAMPLE, Candidate, Field, Level, fields_of, key_of
from plain_verdict.readers.mapping.json_document import JsonDocument, JsonLines
from plain_verdict.readers.mapping.selectors import Item
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.xml_document import XmlDocument
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping

_DEEPEST_LISTS = 5  # suites in suites in files of projects: deeper lists are data
_MOST_KINDS = 12  # of events: a key with more values is no kind
_NEARLY_ALL = 0.9  # a line or two of another form do not count
_LINES_LOOKED_AT = 2_000
_ELEMENTS_LOOKED_AT = 20_000  # a draft is made in a moment, of however large a file
_TEXT_CHARS = 300


def json_candidates(source: Source, limits: Limits) -> list[Candidate]:
    """Return the lists of objects in a JSON file, nested ones with what stands around them. Raises ReadError."""
    root = JsonDocument(source, limits).root()
    start = "$[*]" if isinstance(root, list) else "$"
    run = Level("", fields_of([root]), 1) if isinstance(root, dict) else None
    return [candidate._replace(run=run) for candidate in _inside([root], start, (), 0)]


def _inside(items: Sequence[object], path: str, around: tuple[Level, ...], depth: int) -> Iterator[Candidate]:
    """Yield the lists of objects that stand in items at a place, and in those."""
    if depth > _DEEPEST_LISTS:
        return
    lists: dict[str, list[object]] = {}
    for item in items[:SAMPLE]:
        _collect(item, path, lists)
    for each, inner in lists.items():
        objects = [member for member in inner if isinstance(member, dict)]
        if not objects:
            continue
        level = Level(each, fields_of(objects), len(objects))
        yield Candidate((*around, level))
        yield from _inside(objects, "", (*around, level), depth + 1)


def _collect(value: object, path: str, lists: dict[str, list[object]], depth: int = 0) -> None:
    """Collect the lists below a value, without going into their items."""
    if isinstance(value, list):
        lists.setdefault(path if path.endswith("[*]") else f"{path}[*]", []).extend(value)
    elif isinstance(value, dict) and depth < _DEEPEST_LISTS:
        for name, inner in value.items():
            if isinstance(inner, dict | list):
                _collect(inner, key_of(str(name), path), lists, depth + 1)


def line_candidates(source: Source, limits: Limits) -> list[Candidate]:
    """Return the lines of a file of JSON Lines, all of them and kind by kind, and the lists in them."""
    lines = [
        item.value for item, _ in zip(JsonLines(source, limits).items(""), range(_LINES_LOOKED_AT), strict=False)
    ]
    objects = [line for line in lines if isinstance(line, dict)]
    kinds = _kinds_of_lines(objects)
    levels = [Level("", fields_of(list(some)), len(some), where) for where, some in kinds]
    run = next((level for level in levels if level.number == 1 and level.where), None)
    found = []
    for level, (_, some) in zip(levels, kinds, strict=True):
        found.append(Candidate((level,), run))
        found += [candidate._replace(run=run) for candidate in _inside(list(some), "", (level,), 1)]
    return found


def _kinds_of_lines(lines: list[dict[str, object]]) -> list[tuple[tuple[str, str] | None, list[dict[str, object]]]]:
    """Return all lines, or those of each kind where a key with few values tells lines of different keys apart."""
    for key in dict.fromkeys(key for line in lines[:SAMPLE] for key in line):
        groups: dict[str, list[dict[str, object]]] = {}
        for line in lines:
            if isinstance(value := line.get(key), str):
                groups.setdefault(value, []).append(line)
        with_text = sum(map(len, groups.values()))
        if not 1 < len(groups) <= _MOST_KINDS or with_text < _NEARLY_ALL * len(lines):
            continue
        if _are_distinct([frozenset(chain.from_iterable(group)) for group in groups.values()]):
            return [((key_of(key), text), group) for text, group in groups.items()]
    return [(None, lines)]


def _are_distinct(keys: list[frozenset[str]]) -> bool:
    """Return whether lines of different kinds have different keys, not only one more or less."""
    most, fewest = max(keys, key=len), min(keys, key=len)
    return len(most - fewest) > 1 or len(most ^ fewest) > 2


def _header_line(rows: Sequence[Item]) -> int:
    """Return the line of the names: the first that has as many cells as most lines have."""
    sizes = Counter(sum(bool(cell.strip()) for cell in _cells(item.value)) for item in rows)
    usual = max(sizes, key=lambda size: (sizes[size] * size, size), default=0)
    return next((item.number for item in rows if _is_header(_cells(item.value), usual)), 1)


def table_candidates(
    source: Source, table: TableMapping, limits: Limits
) -> tuple[list[Candidate], TableDocument, int]:
    """Return a table's rows, the table, and the line of its header. Raises ReadError."""
    without = TableDocument(source, TableMapping(table.delimiter, table.quote, table.encoding, 0), limits)
    header = _header_line(list(islice(without.items(""), SAMPLE)))
    document = TableDocument(source, TableMapping(table.delimiter, table.quote, table.encoding, header), limits)
    sample, count = [], 0
    for item in document.items(""):
        count += 1
        if count <= SAMPLE:
            sample.append(_cells(item.value))
    columns = [list(filter(None, map(str.strip, cells))) for cells in zip_longest(*sample, fillvalue="")]
    columns += [[] for _ in document.columns[len(columns) :]]
    fields = tuple(
        Field(name, cells, len(cells), len(sample))
        for name, cells in zip(document.columns, columns, strict=False)
        if name
    )
    return [Candidate((Level("", fields, count),))], document, header


def _cells(row: object) -> list[str]:
    return [str(cell) for cell in row] if isinstance(row, list) else []


def _is_header(cells: list[str], usual: int) -> bool:
    """Return whether a row looks like names of columns: as many as rows have cells, all different, no numbers."""
    names = [cell.strip() for cell in cells if cell.strip()]
    return (
        len(names) >= usual > 1 and len(set(names)) == len(names) and not any(name[:1].isdigit() for name in names)
    )


def xml_candidates(source: Source, limits: Limits) -> tuple[list[Candidate], dict[str, str]]:
    """Return the elements of an XML file that come more than once, by their path, and the prefixes used in them."""
    prefixes: dict[str, str] = {}
    elements: dict[str, list[etree._Element]] = {}
    XmlDocument(source, {}, limits)  # refuses what must not be read
    with source.open() as stream:
        for event, element in islice(XmlFile(stream).events(["*"]), 2 * _ELEMENTS_LOOKED_AT + 2):
            if event == "end":
                elements.setdefault(_path_of(element, prefixes), []).append(element)
    repeated = {path: some for path, some in elements.items() if len(some) > 1 or len(some[0])}
    levels = {path: Level(path, _xml_fields(some, prefixes), len(some)) for path, some in repeated.items()}
    return _candidates(levels), prefixes


def _candidates(levels: Mapping[str, Level]) -> list[Candidate]:
    """Return the lists below the root; the root says what is the same for all."""
    run = next((level._replace(each="") for path, level in levels.items() if path.count("/") == 1), None)
    nested = {path: level for path, level in levels.items() if path.count("/") > 1}
    return [Candidate(tuple(_relative([*_around(path, levels), level])), run) for path, level in nested.items()]


def _around(path: str, levels: Mapping[str, Level]) -> list[Level]:
    return [levels[outer] for outer in _outer_paths(path) if outer in levels and levels[outer].number > 1]


def _outer_paths(path: str) -> list[str]:
    parts = path.split("/")[1:]
    return ["/" + "/".join(parts[:end]) for end in range(2, len(parts))]


def _relative(levels: list[Level]) -> Iterator[Level]:
    before = ""
    for level in levels:
        yield level._replace(each=level.each.removeprefix(f"{before}/") if before else level.each)
        before = level.each


def _path_of(element: "etree._Element", prefixes: dict[str, str]) -> str:
    names = [_name(element, prefixes), *(_name(outer, prefixes) for outer in element.iterancestors())]
    return "/" + "/".join(reversed(names))


def _name(element: "etree._Element", prefixes: dict[str, str]) -> str:
    uri, _, name = element.tag.removeprefix("{").rpartition("}")
    if not uri:
        return _bare(name)
    known = next((prefix for prefix, there in prefixes.items() if there == uri), None)
    if known is None:
        known = element.prefix or "d"
        while known in prefixes:
            known += "2"
        prefixes[known] = uri
    return f"{known}:{name}"


def _bare(name: str) -> str:
    """Return the step to a name in no namespace: XPath has no names with a prefix that nothing declares."""
    return f"*[name()='{name}']" if ":" in name else name


def _xml_fields(elements: list["etree._Element"], prefixes: dict[str, str]) -> tuple[Field, ...]:
    found: dict[str, list[str]] = {}
    filled: Counter[str] = Counter()
    many: set[str] = set()
    sample = elements[:SAMPLE]
    for element in sample:
        seen: Counter[str] = Counter()
        for field_path, text in _xml_leaves(element, prefixes):
            found.setdefault(field_path, []).append(text[:_TEXT_CHARS])
            seen[field_path] += 1
        filled.update(set(seen))
        many |= {path for path, times in seen.items() if times > 1}
    return tuple(Field(path, values, filled[path], len(sample), path in many) for path, values in found.items())


def _xml_leaves(element: "etree._Element", prefixes: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    known = dict(prefixes)
    yield from ((f"@{name}", value) for name, value in _attributes(element) if value.strip())
    if element.text and element.text.strip() and not len(element):
        yield ".", element.text.strip()
    for child in element:
        name = _name(child, known)
        yield from ((f"{name}/@{key}", value) for key, value in _attributes(child) if value.strip())
        text = "".join(map(str, child.itertext())).strip()
        if text and not len(child):
            yield name, text


def _attributes(element: "etree._Element") -> Iterator[tuple[str, str]]:
    yield from ((_bare(str(name)), str(value)) for name, value in element.attrib.items() if "{" not in str(name))
