"""Reads the requirements of ReqIF 1.2 (OMG formal/2016-07-01, chapter 10), and of its archives."""

from collections.abc import Iterator, Mapping
from functools import partial
from io import BytesIO
from typing import TYPE_CHECKING

from plain_verdict.inputs.archives import Unpacking, members
from plain_verdict.inputs.source import Source
from plain_verdict.model import Requirement
from plain_verdict.readers.xml.whole import parse_whole
from plain_verdict.requirements.tables import CELL_CHARS
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.names import split_identifier

if TYPE_CHECKING:
    from lxml import etree

_REQIF_SPACE = {"q": "http://www.omg.org/spec/ReqIF/20110401/reqif.xsd"}
_MOST_REQIF_ARCHIVE_BYTES = 200_000_000  # of an archive with its pictures
# Words for attributes, the likeliest first; "" is the object's own name.
_CHAPTER = "chapter name"
_TITLES = ("name", "title", "text", "description", "")
_IDS = ("foreign id", "id", "identifier", "key")


def read_reqif(data: bytes) -> Iterator[Requirement]:
    """Yield the objects of each specification in its hierarchy, then those in none. Raises ValueError."""
    root = parse_whole(data)
    objects = _objects(root)
    seen: set[str] = set()
    for specification in root.iterfind(".//q:SPECIFICATIONS/q:SPECIFICATION", _REQIF_SPACE):
        group = (_short(str(specification.get("LONG-NAME", ""))),)
        yield from _below(specification, group, objects, seen)
    for key, values in objects.items():
        if key not in seen and _CHAPTER not in values:
            yield _requirement(key, values, ())


def read_reqif_archive(data: bytes) -> Iterator[Requirement]:
    """Yield the requirements of each ReqIF file in an archive, in their order. Raises ValueError."""
    with_files = False
    try:
        for member in members(
            Source("", partial(BytesIO, data), len(data)),
            Unpacking(Limits(archive_bytes=_MOST_REQIF_ARCHIVE_BYTES)),
        ):
            if member.path.lower().endswith(".reqif"):
                with_files = True
                with member.open() as stream:
                    yield from read_reqif(stream.read())
    except ReadError as error:
        raise ValueError(error.what) from error
    except OSError as error:
        raise ValueError(f"holds a file that is refused: {error.strerror or error}") from error
    if not with_files:
        raise ValueError("holds no file with the ending .reqif")


def _objects(root: "etree._Element") -> dict[str, dict[str, str]]:
    """Return the attributes of each object by its identifier, each by the words of its name."""
    names = {
        str(attribute.get("IDENTIFIER")): str(attribute.get("LONG-NAME", ""))
        for attribute in root.iterfind(".//q:SPEC-ATTRIBUTES/*", _REQIF_SPACE)
    }
    found: dict[str, dict[str, str]] = {}
    for element in root.iterfind(".//q:SPEC-OBJECTS/q:SPEC-OBJECT", _REQIF_SPACE):
        values = found[str(element.get("IDENTIFIER"))] = {"": str(element.get("LONG-NAME", ""))}
        for value in element.iterfind("q:VALUES/*", _REQIF_SPACE):
            of = value.find("q:DEFINITION/*", _REQIF_SPACE)
            name = names.get(str(of.text) if of is not None else "", "").removeprefix("ReqIF.")
            values[" ".join(split_identifier(name))] = value.get("THE-VALUE") or "".join(map(str, value.itertext()))
    return found


def _below(
    node: "etree._Element", group: tuple[str, ...], objects: Mapping[str, Mapping[str, str]], seen: set[str]
) -> Iterator[Requirement]:
    """Yield the requirements below a node; what has a chapter's name is a group of what is below it."""
    for child in node.iterfind("q:CHILDREN/q:SPEC-HIERARCHY", _REQIF_SPACE):
        reference = child.find("q:OBJECT/q:SPEC-OBJECT-REF", _REQIF_SPACE)
        key = str(reference.text) if reference is not None else ""
        values = objects.get(key, {})
        chapter = _short(values.get(_CHAPTER, ""))
        if values and key not in seen and not chapter:
            yield _requirement(key, values, group)
        seen.add(key)
        yield from _below(child, (*group, chapter) if chapter else group, objects, seen)


def _requirement(key: str, values: Mapping[str, str], group: tuple[str, ...]) -> Requirement:
    id_, title = (
        next(filter(None, (_short(values.get(name, "")) for name in names)), "") for names in (_IDS, _TITLES)
    )
    return Requirement(id_ or key, title, group)


def _short(text: str) -> str:
    return single_line(text, CELL_CHARS)
