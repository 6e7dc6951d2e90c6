"""The values of a mapping: places, outcomes, durations, moments, and conditions on items."""

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from plain_verdict.model import Outcome

Scalar = str | int | float | bool
Unit = Literal["ns", "us", "ms", "s", "min", "h", "d"]


class MappingTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"from_": "from"}):
    """What all tables of a mapping share."""


class Lookup(MappingTable, frozen=True, kw_only=True):
    """A list elsewhere in the file, in which a value is looked up."""

    each: Annotated[str, Meta(description="where the entries of the list stand, seen from the whole file")]
    key: Annotated[str, Meta(description="what an entry is found by")]
    value: Annotated[str, Meta(description="what is taken of the entry")]


class Value(MappingTable, frozen=True):
    """How a text is found: at a place, or put together from several."""

    from_: Annotated[str | int | tuple[str | int, ...], Meta(description="a place, or several in their order")] = ""
    text: Annotated[str, Meta(description="words with places in braces, like `{quay}: {what}`")] = ""
    pattern: Annotated[
        str, Meta(description="a regular expression; its first group is taken, or all that it finds")
    ] = ""
    split: Annotated[str, Meta(description="what stands between several values in one")] = ""
    join: Annotated[
        str, Meta(description="joins all that stands there, with this between; else the first counts")
    ] = ""
    sum: Annotated[bool, Meta(description="adds the numbers that stand there")] = False
    encoding: Annotated[
        Literal["", "base64", "base64+zlib", "bytes"],
        Meta(description="how the text is encoded: `base64`, `base64+zlib`, or `bytes`, a list of numbers"),
    ] = ""
    lookup: Annotated[
        Lookup | None,
        Meta(
            description="takes the text as the key of an entry elsewhere: `{ each = ..., key = ..., value = ... }`"
        ),
    ] = None


Text = str | int | tuple[str | int, ...] | Value
"""A place: a path as the file's syntax has it, or a column's number; or how the text is found."""


class Bounds(MappingTable, frozen=True):
    """Numbers that mean an outcome: those that keep every bound given."""

    at_least: float | None = None
    at_most: float | None = None
    above: float | None = None
    below: float | None = None


Meaning = Scalar | tuple[Scalar, ...] | Bounds
"""What a value must be: one of these, ``*`` for any; or a number within bounds."""


class OutcomeRule(MappingTable, frozen=True):
    """Which values mean which outcome; one that stands in no list makes the check undecided.

    A rule without lists knows the usual words of several languages.
    """

    from_: Annotated[Text, Meta(description="where the value stands")] = ""
    passed: Annotated[Meaning, Meta(description="the values that mean it; `*` is any other value")] = ()
    failed: Annotated[Meaning, Meta(description="as `passed`")] = ()
    errored: Annotated[Meaning, Meta(description="as `passed`")] = ()
    skipped: Annotated[Meaning, Meta(description="as `passed`")] = ()
    undecided: Annotated[Meaning, Meta(description="as `passed`")] = ()
    missing: Annotated[Outcome | None, Meta(description="what it means that no value is there")] = None

    @property
    def knows_words(self) -> bool:
        """Return whether it has no lists, so that the usual words count."""
        return all(self.meaning_of(outcome) == () for outcome in Outcome)

    def meaning_of(self, outcome: Outcome) -> Meaning:
        """Return the values that mean an outcome."""
        meaning: Meaning = getattr(self, outcome.value)
        return meaning


class Took(MappingTable, frozen=True):
    """How a duration is read."""

    from_: Annotated[Text, Meta(description="where it stands")] = ""
    unit: Annotated[Unit, Meta(description="of a bare number: ns, us, ms, s, min, h or d")] = "s"
    sum: Annotated[bool, Meta(description="adds all durations that stand there")] = False


class Moment(MappingTable, frozen=True):
    """How a moment is read: ISO 8601 and epoch numbers without more."""

    from_: Annotated[Text, Meta(description="where it stands; several are joined by a space")] = ""
    unit: Annotated[Unit | None, Meta(description="of an epoch number; else told by its size")] = None
    format: Annotated[str, Meta(description="how it is written, like `%d.%m.%Y %H:%M`")] = ""
    zone: Annotated[str, Meta(description="of times that name none, like `Europe/Oslo`")] = ""


class Condition(MappingTable, frozen=True, rename={"is_not": "not"}):
    """What a value at a place must be; every key that is given counts."""

    there: Annotated[bool | None, Meta(description="whether anything stands there")] = None
    is_not: Annotated[Scalar | tuple[Scalar, ...], Meta(description="none of these values")] = ()
    begins_with: Annotated[str | tuple[str, ...], Meta(description="one of these beginnings")] = ()
    ends_with: Annotated[str | tuple[str, ...], Meta(description="one of these ends")] = ()
    contains: Annotated[str | tuple[str, ...], Meta(description="one of these texts is in it")] = ()
    at_least: Annotated[float | None, Meta(description="a number from this on")] = None
    at_most: Annotated[float | None, Meta(description="a number up to this")] = None
    above: Annotated[float | None, Meta(description="a larger number")] = None
    below: Annotated[float | None, Meta(description="a smaller number")] = None


Conditions = dict[str, Scalar | tuple[Scalar, ...] | Condition]
"""For each place the values that an item must have there, or a condition."""


class ManyTexts(MappingTable, frozen=True):
    """What may come several times."""

    each: Annotated[str, Meta(description="where the items stand; else it is the item around it")] = ""
    members: Annotated[
        str | tuple[str, ...],
        Meta(
            description="where an object stands whose members are the items: each has `key`, `value` and `around`; "
            'or names of keys or columns, like `["Chrome", "Firefox"]`'
        ),
    ] = ()
    where: Annotated[
        Conditions, Meta(description='takes only items with these values, like `{ type = "result" }`')
    ] = {}
