"""Files that tell of one thing in several events: those of one id become one item, those of a parent its items."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from lxml import etree

from plain_verdict.model import ReadingNote
from plain_verdict.readers.mapping.json_document import members_at
from plain_verdict.readers.mapping.json_paths import JsonPlaces, JsonRoot, json_selector, key_selector
from plain_verdict.readers.mapping.selectors import Document, Inner, Item, OnDone, OnLine, Selector, json_text
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.texts import Texts
from plain_verdict.readers.mapping.values import Values
from plain_verdict.readers.xml.text import local_name
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.formatting import plural

ITEMS, STARTED_BY, ENDED_BY = "items", "started_by", "ended_by"
_MOST_ITEMS = 3  # for each check that a file may hold: groups, and what is no check

_Object = dict[str, object]
_Id = tuple[str, ...]


def has_ended(item: object) -> bool:
    """Return whether an item of events has its last one."""
    return isinstance(item, dict) and ENDED_BY in item


@dataclass(slots=True)
class _Thing:
    """What events report of one id: their values, texts that are put together, and the id of the parent."""

    values: _Object
    texts: dict[str, list[str]] = field(default_factory=dict)
    chars: int = 0
    parent: str = ""
    items: list[object] = field(default_factory=list)


class EventsDocument(JsonPlaces):
    """A file of events as a JSON document with one item for each id, in ``items``; items hold theirs in ``items``.

    Raises ReadError for places that are none.
    """

    def __init__(self, mapping: ResultMapping, document: Document, limits: Limits, path: str) -> None:
        super().__init__(JsonRoot())
        self._document, self._events, self._limits, self._path = document, mapping.events, limits, path
        self._columns = (
            {name.casefold(): name for name in document.columns} if isinstance(document, TableDocument) else {}
        )
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None
        texts = Texts(self)
        values = Values(mapping, texts, limits)
        self._id_paths = (self._events.id,) if isinstance(self._events.id, str) else self._events.id
        try:
            self._ids = [texts.select("events.id", path) for path in self._id_paths]
            self._parent = texts.select("events.parent", self._events.parent) if self._events.parent else None
            self._fits = values.where("events", self._events.where)
            self._starts = values.where("events.start", self._events.start)
            self._ends = values.where("events.end", self._events.end)
        except ValueError as error:
            raise ReadError(f"can't be read by the mapping “{mapping.name}”: {error}", path=path) from error
        self._appended = frozenset(self._events.append)
        self._by_id: dict[_Id, _Thing] = {}
        self._things: list[tuple[_Id, _Thing]] = []
        """All executions of all ids, in the order of their first events."""
        self._lost_ends = self._second_ends = self._in_cycles = self._orphans = 0

    def select(self, text: str | int) -> Selector:
        """Return the place of a path or a column, seen from an item. Raises ValueError."""
        column = self._columns.get(text.strip().casefold()) if isinstance(text, str) else None
        return key_selector(column) if column else json_selector(text, self._root)

    def items(self, each: str) -> Iterator[Item]:
        """Yield what stands at a path below the whole, whose ``items`` are those without a parent."""
        if self._root.value is None:
            if self.on_line:
                self._document.on_line = self._pass_on
            for item in self._document.items(self._events.each):
                event = self._as_object(item.value)
                if self._fits is None or self._fits(event):
                    self._take(event)
            root = self._document.root()
            self._root.value = {**(root if isinstance(root, dict) else {}), ITEMS: self._tree()}
        found = members_at(self.select(each), self._root.value) if each else [self._root.value]
        yield from map(Item, range(len(found)), found)
        if self.on_done:
            self.on_done([self._root.value])

    def _pass_on(self, line: object) -> None:
        if self.on_line:
            self.on_line(self._as_object(line))

    def _as_object(self, value: object) -> _Object:
        """Return an event of any syntax as an object: a row by its columns, an element by what it holds."""
        if isinstance(value, dict):
            return value
        if isinstance(value, list) and self._columns:
            return {name: cell for name, cell in zip(self._columns.values(), value, strict=False) if cell}
        return _object_of_element(value, self._document) if isinstance(value, etree._Element) else {}

    def _take(self, event: _Object) -> None:
        """Take one event in: values of the last count, but those of an end are the last word."""
        first, *others = (selector.read(event) for selector in self._ids)
        ends = self._ends is not None and self._ends(event)
        if first is None:
            self._lost_ends += ends
            return
        starts = self._starts is not None and self._starts(event)
        thing = self._thing((first, *(part for part in others if part is not None)), starts=starts, ends=ends)
        if self._parent is not None:
            thing.parent = self._parent.read(event) or thing.parent
        self._merge(thing, event, ends=ends)
        if starts:
            thing.values.setdefault(STARTED_BY, event)

    def _thing(self, id_: _Id, *, starts: bool, ends: bool) -> _Thing:
        """Return what an event is about: another execution where it starts again."""
        thing = self._by_id.get(id_)
        if thing is None or (starts and STARTED_BY in thing.values):
            return self._new(id_, {})
        if ends and ENDED_BY in thing.values:
            if self._starts is None:  # where nothing marks a start, a further end is that of a further execution
                return self._new(id_, {key: value for key, value in thing.values.items() if key != ENDED_BY})
            self._second_ends += 1
        return thing

    def _new(self, id_: _Id, values: _Object) -> _Thing:
        if len(self._things) >= _MOST_ITEMS * self._limits.checks:
            hint = "split it into several files"
            raise ReadError(
                f"holds events of more than {plural(len(self._things), 'id')}", path=self._path, hint=hint
            )
        thing = self._by_id[id_] = _Thing(values)
        self._things.append((id_, thing))
        return thing

    def _merge(self, thing: _Thing, event: _Object, *, ends: bool) -> None:
        values = {key: value for key, value in event.items() if value is not None}
        for key in self._appended & values.keys():
            text = json_text(values.pop(key))
            if thing.chars < self._limits.output_chars:
                thing.texts.setdefault(key, []).append(text)
                thing.chars += len(text)
        if ENDED_BY in thing.values and not ends:
            thing.values = {**values, **thing.values}
        else:
            thing.values.update(values)
        if ends:
            thing.values[ENDED_BY] = event

    def _tree(self) -> list[object]:
        """Return the items without a parent, each with those that it holds."""
        roots: list[object] = []
        cyclic = self._cyclic() if self._parent else frozenset()
        known = len(self._things)  # behind them come groups that no event speaks of
        for id_, thing in self._things[:known]:
            thing.values.update({key: "".join(texts) for key, texts in thing.texts.items()})
            holder = self._holder_by_parent(thing, cyclic) if self._parent else self._holder_by_id(id_)
            if holder is None:
                roots.append(thing.values)
            else:
                holder.items.append(thing.values)
        roots += [group.values for _, group in self._things[known:]]
        for _, thing in self._things:
            if thing.items:
                thing.values[ITEMS] = thing.items
        return roots

    def _holder_by_id(self, id_: _Id) -> _Thing | None:
        """Return the item of the first parts of an id; None for one that has a single part."""
        sign = self._events.nested_by
        name = id_[-1]
        while sign and sign in name:
            name = name.rpartition(sign)[0]
            if (*id_[:-1], name) in self._by_id:
                return self._by_id[*id_[:-1], name]
        if len(id_) == 1:
            return None
        outer = next((id_[:end] for end in range(len(id_) - 1, 0, -1) if id_[:end] in self._by_id), None)
        if outer is not None:
            return self._by_id[outer]
        return self._new(id_[:1], {self._id_paths[0]: id_[0], ENDED_BY: {}})

    def _holder_by_parent(self, thing: _Thing, cyclic: frozenset[int]) -> _Thing | None:
        parent = self._by_id.get((thing.parent,)) if thing.parent else None
        if parent is None:
            self._orphans += bool(thing.parent)
            return None
        if id(thing) in cyclic:
            self._in_cycles += 1
            return None
        return parent

    def _cyclic(self) -> frozenset[int]:
        """Return the identities of the items that are their own ancestors."""
        done: set[int] = set()
        cyclic: set[int] = set()
        for _, thing in self._things:
            way: dict[int, None] = {}
            at: _Thing | None = thing
            while at is not None and id(at) not in done and id(at) not in way:
                way[id(at)] = None
                at = self._by_id.get((at.parent,)) if at.parent else None
            if at is not None and id(at) in way:
                on_way = list(way)
                cyclic.update(on_way[on_way.index(id(at)) :])
            done.update(way)
        return frozenset(cyclic)

    def root(self) -> object:
        """Return what the file says besides its events."""
        return self._document.root()

    def locate(self, number: int, each: str, inner: Inner) -> str:
        """Return in words which item it is."""
        numbers = [number, *(position for _, position in inner)] if each else [position for _, position in inner]
        return ", ".join(f"item {position + 1:,}" for position in numbers or [number])

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd about the file, its ids and parents."""
        yield from self._document.notes()
        for times, noun, rest, missing in (
            (self._lost_ends, "last event", "without an id", True),
            (self._second_ends, "item", "with more than one end; the last one counts", False),
            (self._orphans, "item", "with a parent that is not in the file", False),
            (self._in_cycles, "item", "in a cycle of parent ids", True),
        ):
            if times:
                yield ReadingNote(self._path, f"has {plural(times, noun)} {rest}", results_missing=missing)


def _object_of_element(element: "etree._Element", document: Document) -> _Object:
    """Return an element as an object: attributes, texts of the elements in it, and its own."""
    inner = {local_name(child.tag): document.text_of(child) for child in element.iter("{*}*")}
    text = {"text": element.text} if element.text and element.text.strip() else {}
    return {**inner, **text, **{local_name(name): value for name, value in element.attrib.items()}}
