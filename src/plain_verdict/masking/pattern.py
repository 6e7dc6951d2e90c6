"""What a pattern of secrets is."""

import re
from collections.abc import Iterator
from enum import Enum, auto

import msgspec


class Test(Enum):
    """What else must hold of a value in a pattern's place."""

    NONE = auto()
    TYPED = auto()
    """It has a digit or a sign among its letters, as passwords do and words of a sentence don't."""
    MADE = auto()
    """It looks made by a machine."""
    BY_NAME = auto()
    """As its name asks: made where a machine makes it, typed where a person does."""
    ASSIGNED = auto()
    """Made by a machine; behind an equals sign also typed."""
    WORD = auto()
    """As one or the other."""
    PAIR = auto()
    """It is no piece of a program and no beginning of a sentence."""
    QUOTED = auto()
    """In quotes after a name."""
    OPTION = auto()
    CARD = auto()
    BASIC = auto()


class SecretPattern(msgspec.Struct, frozen=True):
    """A pattern of secrets; one of its ``needles``, in lower case, is in every text that holds such a secret."""

    name: str
    needles: tuple[str, ...]
    text: str
    test: Test = Test.NONE
    flags: re.RegexFlag = re.IGNORECASE
    within: str = ""
    """Another expression: the pattern is looked for only in what that finds, as often as it is there."""

    def spans_in(self, text: str) -> Iterator[re.Match[str]]:
        """Yield every match in a text."""
        if not self.within:
            yield from self.expression.finditer(text)
            return
        for part in re.compile(self.within, self.flags).finditer(text):
            yield from self.expression.finditer(text, *part.span())

    @property
    def expression(self) -> re.Pattern[str]:
        """Return the regular expression; compiled, and kept by ``re``, only once it is needed."""
        return re.compile(self.text, self.flags)


EXACT = re.RegexFlag(0)  # upper and lower case count
QUOTE = r"""\\{0,3}["'`]"""
