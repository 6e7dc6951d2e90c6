"""Values of a benchmark, the profiles and tailorings that set them (NIST IR 7275r4, 6.4.5, 6.5.3 and 6.7)."""

import re
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from plain_verdict.readers.xccdf.parts import (
    VALUE_MARK,
    BenchmarkRule,
    Element,
    Machine,
    children,
    first_text,
    local,
    readable,
    text_of,
)

TAILORING, PROFILE, VALUE, PLAIN_TEXT = "Tailoring", "Profile", "Value", "plain-text"
_MOST_EXTENDED = 20  # profiles in a row: more go round
_TEXT_FIELDS = ("title", "asks", "why", "remediation")
"""Texts of a rule that may have places for values."""


class _Profile(NamedTuple):
    """A profile: the selectors and the values that it sets, by the ids of values."""

    title: str
    extends: str
    selectors: Mapping[str, str]
    values: Mapping[str, str]


class Values:
    """The values that stand in one file, and what set them."""

    def __init__(self) -> None:
        self.tailorings: dict[str, str] = {}
        """What tailors a profile, by the id of that."""
        self._titles: dict[str, str] = {}
        self._values: dict[str, dict[str, str]] = {}
        """Of each value, by selector; "" is what holds where nothing sets another."""
        self._profiles: dict[str, _Profile] = {}

    def take(self, element: Element) -> None:
        """Take in a value, a named text, or a profile of a benchmark or of a tailoring."""
        id_ = element.get("id", "")
        if local(element) == PROFILE:
            self._take_profile(id_, element)
        elif local(element) == VALUE:
            self._titles[id_] = first_text(element, "title")
            self._values[id_] = {child.get("selector", ""): text_of(child) for child in children(element, "value")}
        else:
            self._values[id_] = {"": text_of(element)}

    def _take_profile(self, id_: str, element: Element) -> None:
        self._profiles[id_] = _Profile(
            first_text(element, "title"),
            element.get("extends", ""),
            {child.get("idref", ""): child.get("selector", "") for child in children(element, "refine-value")},
            {child.get("idref", ""): text_of(child) for child in children(element, "set-value")},
        )
        around = element.getparent()
        if around is not None and local(around) == TAILORING:
            version = first_text(around, "version")
            self.tailorings[id_] = readable(around.get("id", "")) + (f", version {version}" if version else "")

    def on(self, machine: Machine) -> Mapping[str, str]:
        """Return the values that held on a machine, by id: as its results say, else as its profile sets them."""
        usual = {id_: by_selector.get("", "") for id_, by_selector in self._values.items()}
        return {**usual, **self._set_by(machine.profile, 0), **machine.values}

    def _set_by(self, profile_id: str, depth: int) -> dict[str, str]:
        """Return what a profile, and those that it extends, set."""
        profile = self._profiles.get(profile_id)
        if profile is None or depth > _MOST_EXTENDED:
            return {}
        refined = {
            id_: self._values[id_][selector]
            for id_, selector in profile.selectors.items()
            if selector in self._values.get(id_, ())
        }
        return {**self._set_by(profile.extends, depth + 1), **refined, **profile.values}

    def title(self, id_: str) -> str:
        """Return what a value is called."""
        return self._titles.get(id_) or readable(id_)

    def facts_on(self, machine: Machine) -> Iterator[tuple[str, str]]:
        """Yield the profile by which a machine was checked, and what tailored it."""
        if machine.profile:
            profile = self._profiles.get(machine.profile)
            yield "profile", (profile and profile.title) or readable(machine.profile)
        tailoring = machine.tailoring or self.tailorings.get(machine.profile)
        if tailoring:
            yield "tailoring", tailoring

    def in_texts_of(self, rule: BenchmarkRule, values: Mapping[str, str]) -> BenchmarkRule:
        """Return a rule with values, or their titles, in its texts; one that is not known by its id."""

        def filled(match: re.Match[str]) -> str:
            named = self._titles if match[2] == "title" else values
            return named.get(match[1]) or f"({match[1]})"

        title, asks, why, remediation = (VALUE_MARK.sub(filled, getattr(rule, name)) for name in _TEXT_FIELDS)
        return rule._replace(title=title, asks=asks, why=why, remediation=remediation)
