"""The exchanges of an item: requests and answers, whatever form addresses, headers and bodies have."""

from base64 import b64encode
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from urllib.parse import urlencode

import msgspec

from plain_verdict.model import Exchange
from plain_verdict.readers.mapping.parts import Make, all_of
from plain_verdict.readers.mapping.selectors import FindText, ToText
from plain_verdict.readers.mapping.values import Values
from plain_verdict.readers.record.exchange import read_exchange
from plain_verdict.readers.record.lines import ExchangeLine, RequestPart, ResponsePart
from plain_verdict.settings.mappings import ExchangeMapping, Text, Value

_STATUSES = range(100, 600)
_byte_values = msgspec.json.Decoder(list[int])
_KEYS_OF_NAMES = ("name", "key", "header", "field")
_KEYS_OF_VALUES = ("value", "values", "val", "content")
_NAME_AND_VALUE = 2

Pairs = tuple[tuple[str, str], ...]


def exchanges(
    values: Values, key: str, forms: ExchangeMapping | tuple[ExchangeMapping, ...]
) -> Make[Exchange] | None:
    """Return what gives the exchanges of an item. Raises ValueError."""
    return all_of(values, key, forms, _Exchanges)


class _Exchanges:
    """Makes the exchanges of an item by one form."""

    KEYS = ("method", "url", "status", "no_answer")

    def __init__(self, values: Values, key: str, form: ExchangeMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._finds = {part: values.texts.first(f"{key}.{part}", getattr(form, part)) for part in self.KEYS}
        self._address = _Address(values, key, form) if form.host != "" else None
        self._sent_headers = _headers(values, f"{key}.request_headers", form.request_headers)
        self._came_headers = _headers(values, f"{key}.response_headers", form.response_headers)
        self._sent_body = _body(values, f"{key}.request_body", form.request_body)
        self._came_body = _body(values, f"{key}.response_body", form.response_body)
        self._sent = values.moment(f"{key}.sent", form.sent)
        self._took = values.took(f"{key}.took", form.took)
        self._odd = partial(values.odd, f"{key}.status")

    def __call__(self, item: object) -> Iterator[Exchange]:
        """Yield the exchanges of an item; one without an address is none."""
        for part in self._each(item):
            text = {name: (find(part) if find else None) or "" for name, find in self._finds.items()}
            if self._address and not text["url"]:
                text["url"] = self._address(part)
            if text["url"]:
                yield read_exchange(self._line(part, text), self._sent(part) if self._sent else None, self._limits)

    def _line(self, part: object, text: dict[str, str]) -> ExchangeLine:
        """Return an exchange as the line of a record that says the same."""
        status = _status(text["status"], self._odd)
        response = None
        if status is not None:
            body, base64 = self._came_body(part)
            response = ResponsePart(status=status, headers=self._came_headers(part), body=body, base64=base64)
        body, base64 = self._sent_body(part)
        request = RequestPart(
            method=text["method"].upper() or "GET",
            url=text["url"],
            headers=self._sent_headers(part),
            body=body,
            base64=base64,
        )
        return ExchangeLine(
            in_="",
            request=request,
            response=response,
            no_answer=text["no_answer"],
            took_s=self._took(part) if self._took else None,
        )


class _Address:
    """Puts an address together from its parts. Source: RFC 3986, section 3."""

    def __init__(self, values: Values, key: str, form: ExchangeMapping) -> None:
        texts = values.texts
        self._protocol = texts.first(f"{key}.protocol", form.protocol)
        self._host, self._path = texts.all(f"{key}.host", form.host), texts.all(f"{key}.path", form.path)
        self._port = texts.first(f"{key}.port", form.port)
        self._query = _pairs_or_text(values, f"{key}.query", form.query)

    def __call__(self, item: object) -> str:
        """Return the address; "" where it has no host."""
        host = ".".join(self._host(item)) if self._host else ""
        if not host:
            return ""
        protocol = _found(self._protocol, item).rstrip(":/") or "https"
        port = _found(self._port, item)
        path = "/".join(segment.strip("/") for segment in self._path(item)) if self._path else ""
        pairs, text = self._query(item)
        query = urlencode(pairs) if pairs else text.removeprefix("?")
        return f"{protocol}://{host}{port and f':{port}'}/{path}{query and f'?{query}'}"


def _found(find: FindText | None, item: object) -> str:
    return (find(item) if find else None) or ""


def _status(text: str, odd: Callable[[str], None]) -> int | None:
    bare = text.strip()
    if bare.isascii() and bare.isdigit() and len(bare) < 4 and int(bare) in _STATUSES:
        return int(bare)
    if bare not in ("", "0"):  # many write 0 where nothing came back
        odd(text)
    return None


def _body(values: Values, key: str, wanted: Text) -> Callable[[object], tuple[str, str]]:
    """Return what gives a body as text, or in base64 where the mapping says that it is encoded."""
    encoding = wanted.encoding if isinstance(wanted, Value) else ""
    find = values.texts.first(
        key, msgspec.structs.replace(wanted, encoding="") if isinstance(wanted, Value) else wanted
    )

    def body(item: object) -> tuple[str, str]:
        text = _found(find, item)
        if encoding == "base64":
            return "", text
        return ("", _as_base64(text, partial(values.odd, key))) if encoding and text else (text, "")

    return body


def _as_base64(text: str, odd: Callable[[str], None]) -> str:
    try:
        return b64encode(bytes(_byte_values.decode(text))).decode()
    except (msgspec.MsgspecError, ValueError):
        odd(text)
        return ""


def _headers(values: Values, key: str, where: str) -> Callable[[object], Pairs]:
    """Return what gives headers: of an object, of pairs, or of lines ``name: value``."""
    find = _pairs_or_text(values, key, where)

    def headers(item: object) -> Pairs:
        pairs, text = find(item)
        return pairs or tuple(_header_lines(text))

    return headers


def _header_lines(text: str) -> Iterator[tuple[str, str]]:
    for line in text.splitlines():
        name, sign, rest = line.partition(":")
        if sign:
            yield name.strip(), rest.strip()


def _pairs_or_text(values: Values, key: str, where: str) -> Callable[[object], tuple[Pairs, str]]:
    """Return what gives names with values at a place, or the text that stands there instead."""
    if not where:
        return lambda _item: ((), "")
    selector, to_text = values.texts.select(key, where), values.texts.document.text_of

    def find(item: object) -> tuple[Pairs, str]:
        found = selector.all(item)
        pairs = tuple(pair for value in found for pair in _pairs_of(value, to_text))
        return pairs, "" if pairs else "\n".join(
            to_text(value) for value in found if not isinstance(value, dict | list)
        )

    return find


def _pairs_of(value: object, to_text: ToText) -> Iterator[tuple[str, str]]:
    """Yield the names with values of an object, of a list of pairs, or of lines."""
    if isinstance(value, dict):
        named = _named_pair(value)
        if named is not None:
            yield to_text(named[0]), to_text(named[1])
        else:
            yield from ((name, _value_text(part, to_text)) for name, part in value.items() if part is not None)
    elif isinstance(value, list):
        yield from _pairs_in(value, to_text)


def _pairs_in(parts: list[object], to_text: ToText) -> Iterator[tuple[str, str]]:
    """Yield the pairs of a list: it is one, or its members are, or lines."""
    are_plain = not any(isinstance(part, dict | list) for part in parts)
    keys = _pair_keys(parts)
    if are_plain and len(parts) == _NAME_AND_VALUE and ":" not in to_text(parts[0]):
        yield to_text(parts[0]), to_text(parts[1])
    elif are_plain:
        yield from _header_lines("\n".join(map(to_text, parts)))
    elif keys is not None:
        yield from ((to_text(part[keys[0]]), to_text(part[keys[1]])) for part in parts if isinstance(part, dict))
    else:
        for part in parts:
            yield from _pairs_of(part, to_text)


def _pair_keys(parts: Sequence[object]) -> tuple[str, str] | None:
    """Return the only two keys that all objects of a list have, whatever they are called; None for other lists."""
    objects = [part for part in parts if isinstance(part, dict)]
    keys = {tuple(part) for part in objects if _named_pair(part) is None}
    names = keys.pop() if len(keys) == 1 and len(objects) == len(parts) else ()
    if len(names) != _NAME_AND_VALUE:
        return None
    # One object alone may hold two headers.
    is_object = len(parts) == 1 and any(name[:1].isupper() or "-" in name for name in names)
    return None if is_object else (names[0], names[1])


def _named_pair(value: dict[str, object]) -> Sequence[object] | None:
    """Return a name and its value, of an object that is one pair: by the usual keys, or the only two."""
    name = next((value[key] for key in _KEYS_OF_NAMES if key in value), None)
    content = next((value[key] for key in _KEYS_OF_VALUES if key in value), None)
    return (name, content) if isinstance(name, str) and content is not None else None


def _value_text(value: object, to_text: ToText) -> str:
    """Return the value of a header, which may stand there several times."""
    return ", ".join(map(to_text, value)) if isinstance(value, list) else to_text(value)
