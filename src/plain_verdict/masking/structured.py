"""Masks values whose own keys tell a secret: addresses, and bodies of JSON, XML and forms."""

import re
from collections.abc import Callable
from typing import Any, Protocol
from urllib.parse import unquote

import msgspec

from plain_verdict.masking.names import is_secret_key
from plain_verdict.model import Body, Fact, HttpRequest
from plain_verdict.model.transform import Change, transform, transform_fields
from plain_verdict.text.patterns import pattern

# Keys are looked for as they are laid out: text that is JSON or XML was parsed or cut before, and may lack its end.
_JSON_PAIR = pattern(r'("((?:[^"\\]|\\.){1,80})"\s*:\s*)("(?:[^"\\\n]|\\.)*"?|-?\d[\d.eE+-]*)')
_JSON_LIST = pattern(r'"((?:[^"\\]|\\.){1,80})"\s*:\s*\[([^\[\]{}]*)')
_JSON_TEXT = pattern(r'"((?:[^"\\]|\\.)*)"?')
_XML_ELEMENT = pattern(r"(<(?:[\w-]{1,40}:)?([\w.-]{1,80})(?:\s[^<>]*)?>)([^<]+)(?=<)")
_XML_ATTRIBUTE = pattern(r"""(\s([\w.:-]{1,80})\s*=\s*)("[^"<]*"|'[^'<]*')""")
# Source: RFC 3986, sections 3.2.1 (userinfo), 3.4 (query) and 3.5 (fragment).
_USERINFO = pattern(r"(?<=://)([^/?#@\s]*:)([^/?#@\s]+)(?=@)")
_PARAMETER = pattern(r"([?&#;]([^=&#;?\s]{1,80})=)([^&#;\s]+)")


class ByKey(Protocol):
    """Masks values by their keys."""

    def names_secret(self, text: str) -> bool:
        """Return whether a text may hold a key that names a secret."""
        ...

    def by_key(self, key: str, value: str) -> str:
        """Return the value of a key, masked where the key names a secret."""
        ...


class Structured:
    """Changes of whole structs that have texts with keys."""

    def __init__(self, masker: ByKey, rest: Change) -> None:
        self._masker = masker
        self._rest = rest

    @property
    def changes(self) -> dict[type[msgspec.Struct], Callable[[Any], msgspec.Struct]]:
        """Return what to do to each type."""
        return {HttpRequest: self._request, Body: self._body, Fact: self._fact}

    def _fact(self, fact: Fact) -> Fact:
        """Return a fact; addresses stand in headers as well."""
        if "=" in fact.value and ("?" in fact.value or "#" in fact.value) and self._masker.names_secret(fact.value):
            fact = Fact(fact.key, self.url(fact.value))
        return transform(fact, self._rest)

    def _request(self, request: HttpRequest) -> HttpRequest:
        bare = msgspec.structs.replace(request, url=self.url(request.url), body=None)
        masked = transform_fields(bare, self._rest)
        return msgspec.structs.replace(masked, body=self._body(request.body) if request.body else None)

    def _body(self, body: Body) -> Body:
        text = self.text(body.text) if body.text else ""
        same = text == body.text
        return transform_fields(body if same else msgspec.structs.replace(body, text=text), self._rest)

    def url(self, url: str) -> str:
        """Return an address without the secrets in its userinfo, query and fragment."""
        url = _USERINFO.sub(lambda found: found[1] + self._masker.by_key("password", found[2]), url)
        return _PARAMETER.sub(lambda found: found[1] + self._masker.by_key(unquote(found[2]), found[3]), url)

    def text(self, text: str) -> str:
        """Return JSON or XML without what stands under keys that name secrets."""
        start = text[:1]
        if not self._masker.names_secret(text):
            return text
        if start in "{[":
            text = _JSON_LIST.sub(self._json_list, text)
            return _JSON_PAIR.sub(self._json_value, text)
        if start == "<":
            text = _XML_ELEMENT.sub(lambda found: found[1] + self._masker.by_key(found[2], found[3]), text)
            return _XML_ATTRIBUTE.sub(self._quoted, text)
        return text

    def _json_value(self, found: re.Match[str]) -> str:
        value = found[3]
        if value[:1] != '"':
            masked = self._masker.by_key(found[2], value)
            return found[0] if masked == value else f'{found[1]}"{masked}"'
        return self._quoted(found)

    def _json_list(self, found: re.Match[str]) -> str:
        if not is_secret_key(found[1]):
            return found[0]
        inside = _JSON_TEXT.sub(lambda item: f'"{self._masker.by_key(found[1], item[1])}"', found[2])
        return found[0][: found.start(2) - found.start()] + inside

    def _quoted(self, found: re.Match[str]) -> str:
        sign = found[3][0]
        inner = found[3].strip(sign)
        masked = self._masker.by_key(found[2], inner)
        return found[0] if masked == inner else f"{found[1]}{sign}{masked}{sign}"
