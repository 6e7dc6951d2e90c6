"""The lines of JSON Lines that may be checks, or events that belong together."""

from collections import Counter
from collections.abc import Iterator, Sequence
from functools import partial
from itertools import chain, islice

from plain_verdict.inputs.source import Source
from plain_verdict.readers.mapping.draft.fields import SAMPLE, Candidate, EventKeys, Level, fields_of, key_of
from plain_verdict.readers.mapping.draft.json_lists import lists_inside
from plain_verdict.readers.mapping.json_document import JsonLines
from plain_verdict.readers.mapping.outcome_words import meaning_of
from plain_verdict.settings.limits import Limits

_MOST_KINDS = 12  # of events: a key with more values is no kind
_NEARLY_ALL = 0.9  # a line or two of another form do not count
_LINES_LOOKED_AT = 5_000
_COMES_AGAIN = 0.7  # ids that are shared are at most so many for each line
_STARTS = frozenset(["start", "started", "run", "running", "begin", "began", "begun"])
_ENDS = frozenset(
    ["end", "ended", "finish", "finished", "stop", "stopped", "done", "complete", "completed", "result"]
)
_APPENDED = frozenset(["output", "stdout", "stderr", "log", "text", "line"])
_KEYS_OF_IDS = ("uuid", "guid", "id", "key", "test", "name", "case", "title")

_Lines = Sequence[dict[str, object]]


def line_candidates(source: Source, limits: Limits) -> list[Candidate]:
    """Return the lines of a file of JSON Lines, all of them and kind by kind, and the lists in them."""
    lines = [item.value for item in islice(JsonLines(source, limits).items(""), _LINES_LOOKED_AT)]
    objects = [line for line in lines if isinstance(line, dict)]
    kinds = _kinds_of_lines(objects)
    levels = [Level("", fields_of(list(some)), len(some), where) for where, some in kinds]
    run = next((level for level in levels if level.number == 1 and level.where), None)
    found = []
    for level, (_, some) in zip(levels, kinds, strict=True):
        found.append(Candidate((level,), run))
        found += [candidate._replace(run=run) for candidate in lists_inside(list(some), "", (level,), 1)]
    events = event_candidate(objects)
    return [*found, events] if events else found


def _kinds_of_lines(lines: list[dict[str, object]]) -> list[tuple[tuple[str, str] | None, list[dict[str, object]]]]:
    """Return all lines, or those of each kind where a key with few values tells lines of different keys apart."""
    for key in dict.fromkeys(key for line in lines[:SAMPLE] for key in line):
        groups: dict[str, list[dict[str, object]]] = {}
        for line in lines:
            if isinstance(value := line.get(key), str):
                groups.setdefault(value, []).append(line)
        with_text = sum(map(len, groups.values()))
        are_kinds = 1 < len(groups) <= _MOST_KINDS and with_text >= _NEARLY_ALL * len(lines)
        if are_kinds and _are_distinct(list(groups.values())):
            return [((key_of(key), text), group) for text, group in groups.items()]
    return [(None, lines)]


def _are_distinct(groups: Sequence[_Lines]) -> bool:
    """Return whether lines of different kinds have different keys, not only one more or less."""
    keys = [frozenset(chain.from_iterable(group)) for group in groups]
    most, fewest = max(keys, key=len), min(keys, key=len)
    return len(most - fewest) > 1 or len(most ^ fewest) > 2


def event_candidate(lines: _Lines, each: str = "") -> Candidate | None:
    """Return the things that several lines tell of as items; None where no id comes again."""
    for kind, starts, ends in _kinds(lines):
        id_key = _shared_id([line for line in lines if line.get(kind) in (*starts, *ends)])
        if id_key is not None:
            append = tuple(filter(_is_appended, dict.fromkeys(chain.from_iterable(lines))))
            keys = EventKeys(key_of(id_key), key_of(kind), starts, ends, append, each)
            items = _things(lines, id_key, kind, (starts, ends))
            return Candidate((Level("items[*]", fields_of(items), len(items)),), events=keys)
    return None


def _things(
    lines: _Lines, id_key: str, kind: str, marks: tuple[tuple[str, ...], tuple[str, ...]]
) -> list[dict[str, object]]:
    """Return what lines of one id tell together, as the reader of events does."""
    things: dict[object, dict[str, object]] = {}
    for line in (line for line in lines if line.get(id_key) is not None):
        thing = things.setdefault(str(line[id_key]), {})
        thing.update({key: value for key, value in line.items() if value is not None})
        for name, values in zip(("started_by", "ended_by"), marks, strict=True):
            if line.get(kind) in values:
                thing[name] = line
    return list(things.values())


def _is_appended(key: str) -> bool:
    return key.casefold() in _APPENDED


def _kinds(lines: _Lines) -> Iterator[tuple[str, tuple[str, ...], tuple[str, ...]]]:
    """Yield the keys that tell the kinds of events, with the values of first and of last events."""
    for key in dict.fromkeys(chain.from_iterable(lines[:SAMPLE])):
        values = sorted({value for line in lines if isinstance(value := line.get(key), str)})
        if 1 < len(values) <= _MOST_KINDS:
            starts = tuple(filter(_is_start, values))
            ends = tuple(filter(partial(_is_end, key), values))
            if starts and ends:
                yield key, starts, ends


def _is_start(value: str) -> bool:
    return _last_word(value) in _STARTS


def _is_end(key: str, value: str) -> bool:
    return _last_word(value) in _ENDS or meaning_of(key, value) is not None


def _last_word(value: str) -> str:
    return value.casefold().replace("-", " ").replace("_", " ").replace(".", " ").split(" ")[-1]


def _shared_id(lines: _Lines) -> str | None:
    """Return the key whose values bring lines together: in nearly all of them, and most values more than once."""
    found: list[tuple[int, int, str]] = []
    for key in dict.fromkeys(chain.from_iterable(lines[:SAMPLE])):
        values = Counter(str(line[key]) for line in lines if isinstance(line.get(key), str | int))
        shared = sum(times > 1 for times in values.values())
        if sum(values.values()) >= _NEARLY_ALL * len(lines) and shared >= _COMES_AGAIN * len(values) and shared > 1:
            named = key.casefold() in _KEYS_OF_IDS or key.casefold().endswith("id")
            found.append((named, len(values), key))
    return max(found)[2] if found else None
