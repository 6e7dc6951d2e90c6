"""Masks texts, and everything of a run."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from functools import partial

import msgspec

from plain_verdict.masking.escapes import resolved
from plain_verdict.masking.known import KnownValue, KnownValues, make_known, mask_of
from plain_verdict.masking.names import is_secret_key
from plain_verdict.masking.pattern import SecretPattern
from plain_verdict.masking.prefilter import make_prefilter
from plain_verdict.masking.structured import Structured
from plain_verdict.masking.tables import find_in_tables
from plain_verdict.masking.telling import is_secret
from plain_verdict.masking.values import is_harmless
from plain_verdict.model import (
    Check,
    Checks,
    Content,
    ContentKind,
    Fact,
    Masked,
    PlainChecks,
    ResultFile,
    Run,
    Unread,
)
from plain_verdict.model.transform import Change, transform
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded
from plain_verdict.text.expressions import Expression, TooSlow
from plain_verdict.text.patterns import pattern

_LENGTH_CLASSES = (4, 8, 16, 32, 64, 128)
_MASKED = pattern(r"\[masked, [^\]]*\]?")
# Source files and reports under anybody's home; a path of an address on the web has no file at its end.
_HOMES = pattern(
    r"(?<![\w.~-])(?:(?:/home|/Users)/[\w.-]+|/root)(?=/(?:[^\s\"':/<>|]+/)*[^\s\"':/<>|]+\.[A-Za-z]\w{0,5}\b)"
    r"|\b[A-Za-z]:\\{1,2}Users\\{1,2}[^\\/:*?\"<>|\r\n]+(?=\\)"
)
_BATCH = 64  # texts joined for one search: most have nothing to mask


class MaskRules(msgspec.Struct, frozen=True):
    """What to mask: secrets that are known, more patterns, not words that are no secrets; or nothing.

    ``secret_facts`` are keys of facts whose whole value is a secret, with what that is called.
    """

    off: bool = False
    patterns: tuple[str, ...] = ()
    ignore: tuple[str, ...] = ()
    known: tuple[KnownValue, ...] = ()
    secret_facts: tuple[tuple[str, str], ...] = ()


class Masker:
    """Masks texts and counts what it masked."""

    def __init__(self, rules: MaskRules) -> None:
        self.counts = Counter[str]()
        self.troubles: list[str] = []
        self.off = rules.off
        self._ignored = frozenset(rules.ignore)
        self._known_spans = tuple(map(Expression, rules.patterns))
        self._known = make_known(rules.known)
        self._secret_facts = dict(rules.secret_facts)
        self.prefilter = make_prefilter()

    @property
    def masked(self) -> Masked:
        """Return how many secrets were masked so far."""
        return Masked(self.counts.total(), tuple(sorted((key, n) for key, n in self.counts.items() if key)))

    def text(self, text: str) -> str:
        """Return the text with every secret in it masked, and home folders as ``~``."""
        if self.off:
            return text
        if self._known:
            text = self._without_known(text, self._known)
        for known in self._known_spans:
            text = self._by_pattern(known, text)
        possible, in_home, escaped = self.prefilter.patterns_in(text)
        if possible:
            text = self._by_patterns(possible, text)
            if self.prefilter.names_secret(text):
                text = self._by_tables(text)
        if escaped:
            text = self._under_escapes(text)
        return _HOMES.sub("~", text) if in_home else text

    def _without_known(self, text: str, known: KnownValues) -> str:
        for span in reversed(known.find(text)):
            text = text[: span.start] + self._mask_known(span.source) + text[span.end :]
        return text

    def bytes(self, data: bytes) -> str:
        """Return what a known secret in bytes is called; "" where there is none."""
        source = self._known.stands_in(data) if self._known and not self.off else ""
        self.counts[source] += bool(source)
        return source

    def may_hold_secret(self, things: Sequence[msgspec.Struct | str]) -> bool:
        """Return whether any text, or any in the structs, may hold a secret, or a path below somebody's home."""
        if self._known_spans:
            return True  # every text must be searched for the team's own patterns
        packed = msgspec.msgpack.encode(things)
        return self.prefilter.may_hold_secret(packed) or (
            self._known is not None and self._known.may_stand_in(packed)
        )

    def _by_patterns(self, patterns: Sequence[SecretPattern], text: str) -> str:
        for secret in patterns:
            if secret.within:
                text = self._cut(text, list(self._spans(secret, text)))
            else:
                text = secret.expression.sub(partial(self._replaced, secret), text)
        return text

    def _by_tables(self, text: str) -> str:
        """Return the text without the values in columns whose heading names a secret."""
        spans = [span for span in find_in_tables(text) if not self._is_no_secret(text[slice(*span)])]
        return self._cut(text, spans)

    def _under_escapes(self, text: str) -> str:
        """Return the text without what is a secret once its escapes are resolved, once or twice."""
        spans: list[tuple[int, int]] = []
        for plain, positions in resolved(text):
            possible, _, _ = self.prefilter.patterns_in(plain)
            found = [span for pattern in possible for span in self._spans(pattern, plain)]
            found += find_in_tables(plain) if self.prefilter.names_secret(plain) else ()
            spans += [(positions[start], positions[end]) for start, end in found]
        return self._cut(text, spans)

    def _spans(self, pattern: SecretPattern, text: str) -> Iterator[tuple[int, int]]:
        for match in pattern.spans_in(text):
            if not self._is_no_secret(match["secret"]) and is_secret(pattern, match):
                yield match.span("secret")

    def _cut(self, text: str, spans: list[tuple[int, int]]) -> str:
        """Return the text with masks in place of the spans; those that overlap become one."""
        end_before = len(text) + 1
        for start, end in sorted(_joined(spans), reverse=True):
            if end <= end_before and not self._is_no_secret(text[start:end]):
                text = text[:start] + self._mask(text[start:end]) + text[end:]
                end_before = start
        return text

    def fact(self, fact: Fact) -> Fact:
        """Return a fact with its key and its value masked: as a whole where its key names a secret."""
        if self.off:
            return fact
        value = self.by_key(fact.key, fact.value)
        value = self.text(value) if value is fact.value else value
        key = self.text(fact.key)
        return fact if (key, value) == (fact.key, fact.value) else Fact(key, value)

    def facts(self, facts: Sequence[Fact]) -> tuple[Fact, ...]:
        """Return the facts with their values masked."""
        return tuple(map(self.fact, facts))

    def names_secret(self, text: str) -> bool:
        """Return whether a text may hold a key that names a secret."""
        return not self.off and self.prefilter.names_secret(text)

    def by_key(self, key: str, value: str) -> str:
        """Return the value of a key: masked as a whole where its key names a secret."""
        if self.off or not value or self._is_no_secret(value):
            return value
        source = self._secret_facts.get(key)
        if source:
            return self._mask_known(source)
        return self._mask(value) if is_secret_key(key) else value

    def _is_no_secret(self, value: str) -> bool:
        return value in self._ignored or is_harmless(value) or _MASKED.search(value) is not None

    def _replaced(self, pattern: SecretPattern, match: re.Match[str]) -> str:
        secret = match["secret"]
        if self._is_no_secret(secret) or not is_secret(pattern, match):
            return match[0]
        start, end = (position - match.start() for position in match.span("secret"))
        return match[0][:start] + self._mask(secret) + match[0][end:]

    def _mask(self, secret: str) -> str:
        self.counts[""] += 1
        return masked(len(secret))

    def _mask_known(self, source: str) -> str:
        self.counts[source] += 1
        return mask_of(source)

    def _by_pattern(self, pattern: Expression, text: str) -> str:
        def replaced(found: str) -> str:
            return found if not found or found in self._ignored else self._mask(found)

        try:
            return pattern.replaced(replaced, text)
        except TooSlow:
            # A secret that may be in there must not leave; the whole text goes.
            note = f"The masking pattern {pattern.text!r} took too long on a text, so the whole text is masked."
            if note not in self.troubles:
                self.troubles.append(note)
            return self._mask(text)


def masked(length_chars: int) -> str:
    """Return what stands for a secret: that it is masked, and about how long it was."""
    above = next((limit for limit in _LENGTH_CLASSES if length_chars < limit), 0)
    if not above:
        return f"[masked, {_LENGTH_CLASSES[-1]} or more characters]"
    return f"[masked, {above // 2 if above > 4 else 1} to {above - 1} characters]"


def mask_run(run: Run, masker: Masker) -> Run:
    """Return the run with every text in it masked, and how many secrets there were."""
    replace = msgspec.structs.replace
    if masker.off:
        return replace(run, masked=None)
    text = Change(text=masker.text, whole={Fact: masker.fact})
    structured = Structured(masker, text)
    change = Change(text=masker.text, whole=structured.changes)
    files: list[ResultFile] = []
    contents: list[Content] = []
    lost: list[Unread] = []
    for content in run.contents:
        try:
            with guarded(f"evidence {content.key}"):
                contents.append(_masked_content(content, masker))
        except ReadError as error:
            contents.append(_left_out(content.key, "This file is left out: it could not be masked."))
            lost.append(_not_masked(error, masker))
    for file in run.files:
        try:
            with guarded(file.path):
                bare = transform(replace(file, checks=()), change)
                files.append(replace(bare, checks=_masked_checks(file.checks, masker, change)))
        except ReadError as error:
            lost.append(_not_masked(error, masker))
    rest = transform(replace(run, files=(), contents=tuple(contents), unread=(*run.unread, *lost)), change)
    return replace(rest, files=tuple(files), masked=masker.masked, masking_notes=tuple(masker.troubles))


def _masked_content(content: Content, masker: Masker) -> Content:
    """Return what evidence holds: an SVG picture with its text masked, and no file that has a known secret."""
    replace = msgspec.structs.replace
    if content.media_type == "image/svg+xml":
        text = content.data.decode("utf-8", "surrogateescape")
        new = masker.text(text)
        return content if new == text else replace(content, data=new.encode("utf-8", "surrogateescape"))
    # Pictures of these types have nothing but their pixels left.
    looked_at = content.data and content.media_type not in ("image/png", "image/jpeg")
    source = masker.bytes(content.data) if looked_at else ""
    if not source:
        return content
    text = f"This file is left out: it holds a secret that is known, {source}."
    return _left_out(content.key, text, "left out because it holds a secret")


def _left_out(key: str, text: str, remark: str = "left out") -> Content:
    return Content(key, ContentKind.TEXT, "text/plain", text=text, remark=remark)


def _not_masked(error: ReadError, masker: Masker) -> Unread:
    what = f"is left out because it could not be masked: it {error.what}"
    return Unread(masker.text(error.path), what, hint=error.hint)


def _masked_checks(checks: Sequence[Check], masker: Masker, change: Change) -> Sequence[Check]:
    """Return the checks masked; of plain ones that are alike in all but their names, only names are looked at."""
    if not isinstance(checks, Checks):
        return tuple(_masked(checks, masker, change))
    if checks.plain and masker.may_hold_secret([" ".join(part.suite) for part in checks.plain]):
        # What is masked in the name of a suite counts once for each of its checks.
        return Checks.of(_masked(tuple(checks), masker, change))
    plain = [_masked_plain(part, masker) for part in checks.plain]
    return Checks(tuple(_masked(checks.detailed, masker, change)), checks.before, plain)


def _masked_plain(part: PlainChecks, masker: Masker) -> PlainChecks:
    if not masker.may_hold_secret((part.names,)):
        return part
    return msgspec.structs.replace(part, names="\n".join(map(masker.text, part.each_name())))


def _masked(checks: Sequence[Check], masker: Masker, change: Change) -> Iterator[Check]:
    """Yield the checks masked; batches, and then checks, that can't hold a secret are passed as they are."""
    for first in range(0, len(checks), _BATCH):
        batch = checks[first : first + _BATCH]
        if not masker.may_hold_secret(batch):
            yield from batch
            continue
        for check in batch:
            yield transform(check, change) if masker.may_hold_secret((check,)) else check


def _joined(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for start, end in sorted(spans):
        if joined and start < joined[-1][1]:
            joined[-1] = (joined[-1][0], max(end, joined[-1][1]))
        else:
            joined.append((start, end))
    return joined
