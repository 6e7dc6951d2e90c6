"""What a file says of its run as a whole: title, times, facts, and how many checks it has."""

from collections.abc import Callable
from datetime import datetime

from plain_verdict.model import Fact
from plain_verdict.readers.mapping.selectors import Document
from plain_verdict.readers.mapping.values import Values, cleaned, no_text, whole_number
from plain_verdict.settings.mappings import RunMapping, Value
from plain_verdict.text.cleaning import single_line


class RunValues:
    """Takes what is reported of the run: from the whole file, or from the first lines that say it."""

    def __init__(self, form: RunMapping, document: Document, values: Values) -> None:
        self.title = ""
        self.started: datetime | None = None
        self.ended: datetime | None = None
        self.facts: dict[str, str] = {}
        self.checks: int | None = None
        self.odd_checks = ""
        """What stands where the number of checks should, and is none."""
        self._described = form != RunMapping()
        self._document = document
        self._limits = values.limits
        self._each = values.each("run", form)
        self._title = values.line("run.title", form.title) or no_text
        self._adds = isinstance(form.checks, Value) and form.checks.sum
        """Whether several lines announce a part of the checks each."""
        self._checks = values.texts.first("run.checks", form.checks) or no_text
        self._moments: tuple[Callable[[object], datetime | None] | None, ...] = (
            values.moment("run.started", form.started),
            values.moment("run.ended", form.ended),
        )
        self._facts = values.pairs("run.facts", form.facts)
        if self._described:
            document.on_line = self.take

    def finish(self) -> None:
        """Take what the whole file says, where it is not a file of lines."""
        root = self._document.root()
        if self._described and root is not None:
            self.take(root)

    def take(self, item: object) -> None:
        """Take what one item says that none before it said."""
        for part in self._each(item):
            self.title = self.title or self._title(part) or ""
            started, ended = (find(part) if find else None for find in self._moments)
            self.started, self.ended = self.started or started, self.ended or ended
            self._take_announced(self._checks(part))
            for fact in cleaned(self._facts(part), self._limits.name_chars) if self._facts else ():
                self.facts.setdefault(fact.key, fact.value)

    def _take_announced(self, number: str | None) -> None:
        if number and (self.checks is None or self._adds):
            announced = whole_number(number)
            self.checks = announced if announced is None else announced + (self.checks or 0)
            self.odd_checks = self.odd_checks or ("" if announced is not None else number)

    def as_facts(self) -> tuple[Fact, ...]:
        """Return the facts."""
        return tuple(Fact(key, single_line(value, self._limits.message_chars)) for key, value in self.facts.items())
