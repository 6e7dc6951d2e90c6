"""The elements of an XML file that may be checks, in trees of any depth."""

from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import islice

from lxml import etree

from plain_verdict.inputs.source import Source
from plain_verdict.readers.mapping.draft.fields import SAMPLE, Candidate, Field, Level
from plain_verdict.readers.mapping.xml_document import XmlDocument
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.settings.limits import Limits

_ELEMENTS_LOOKED_AT = 20_000  # a draft is made in a moment, of however large a file
_TEXT_CHARS = 300


def xml_candidates(
    source: Source, limits: Limits
) -> "tuple[list[Candidate], dict[str, str], etree._Element | None]":
    """Return the elements of an XML file that come more than once, by their path, their prefixes, and the root."""
    prefixes: dict[str, str] = {}
    elements: dict[str, list[etree._Element]] = {}
    XmlDocument(source, {}, limits)  # refuses what must not be read
    with source.open() as stream:
        root = None
        for event, element in islice(XmlFile(stream).events(["*"]), 2 * _ELEMENTS_LOOKED_AT + 2):
            root = element if root is None else root
            if event == "end":
                elements.setdefault(_path_of(element, prefixes), []).append(element)
    repeated = {path: some for path, some in elements.items() if len(some) > 1 or len(some[0])}
    nested = {path: step for path, some in repeated.items() if (step := _nested_step(some, prefixes))}
    levels = {
        path: Level(path, _xml_fields(some, prefixes), len(some), inside=nested.get(path, ""))
        for path, some in repeated.items()
    }
    return _candidates(levels), prefixes, root


def _candidates(levels: Mapping[str, Level]) -> list[Candidate]:
    """Return the lists below the root; the root says what is the same for all."""
    run = next((level._replace(each="") for path, level in levels.items() if path.count("/") == 1), None)
    nested = {path: level for path, level in levels.items() if path.count("/") > 1}
    found = [
        Candidate(tuple(_relative([*_around(path, levels), level])), run)
        for path, level in nested.items()
        if not level.inside
    ]
    return found + [
        _leaves(candidate)
        for path, level in nested.items()
        if level.inside
        for candidate in [Candidate(tuple(_relative([*_around(path, levels), level])), run)]
    ]


def _leaves(candidate: Candidate) -> Candidate:
    """Return the elements of a tree of one name that hold none of that name as items."""
    *around, tree = candidate.levels
    step = tree.inside
    leaf = tree._replace(each=step, inside="", holding=(step, False))
    return candidate._replace(levels=(*around, tree._replace(holding=(step, True)), leaf))


def _around(path: str, levels: Mapping[str, Level]) -> list[Level]:
    around = [levels[outer] for outer in _outer_paths(path) if outer in levels]
    return [level for level in around if level.number > 1 or level.inside]


def _outer_paths(path: str) -> list[str]:
    parts = path.split("/")[1:]
    return ["/" + "/".join(parts[:end]) for end in range(2, len(parts))]


def _relative(levels: list[Level]) -> Iterator[Level]:
    before = ""
    for level in levels:
        yield level._replace(each=level.each.removeprefix(f"{before}/") if before else level.each)
        before = level.each


def _path_of(element: "etree._Element", prefixes: dict[str, str]) -> str:
    """Return the names from the root to an element; elements of one name in each other count once."""
    names = [_name(outer, prefixes) for outer in (element, *element.iterancestors())]
    kept = [name for name, outer in zip(names, [*names[1:], ""], strict=True) if name != outer]
    return "/" + "/".join(reversed(kept))


def _nested_step(elements: "list[etree._Element]", prefixes: dict[str, str]) -> str:
    """Return the step from an element to those of the same name in it; "" where there are none."""
    for element in elements:
        outer = element.getparent()
        if outer is not None and outer.tag == element.tag:
            return _name(element, prefixes)
    return ""


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
    yield from ((f"@{name}", value) for name, value in _attributes(element))
    if element.text and element.text.strip():
        yield ("text()" if len(element) else "."), element.text.strip()
    for child in element:
        name = _name(child, known)
        yield from ((f"{name}/@{key}", value) for key, value in _attributes(child))
        text = "".join(map(str, child.itertext())).strip()
        if text and not len(child):
            yield name, text


def _attributes(element: "etree._Element") -> Iterator[tuple[str, str]]:
    """Yield the attributes in no namespace that are not blank."""
    pairs = ((str(name), str(value)) for name, value in element.attrib.items())
    yield from ((_bare(name), value) for name, value in pairs if "{" not in name and value.strip())
