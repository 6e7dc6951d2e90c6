"""The facts that identify a run: what stands under its title, whatever the output."""

from collections.abc import Sequence

from plain_verdict.model import Fact
from plain_verdict.model.facts import BRANCH, BROWSER, BUILD, COMMIT, JOB, PLATFORM, REGION, Value
from plain_verdict.text.patterns import pattern

_IDENTIFYING = (BUILD, BRANCH, COMMIT, "environment", REGION, PLATFORM, BROWSER)
"""In the order in which people ask: which build, of what, where."""
_LINKS = (JOB, "pipeline")
"""Facts whose value is the address of the page of the pipeline that made the build."""
_VALUE_CHARS = 60
_WHOLE_HASH = pattern(r"[0-9a-f]{40,64}")
_SHOWN_HASH_CHARS = 12  # of a commit; the whole hash stands among the facts


class IdentifyingFact(Value, frozen=True):
    """A fact under the title, with the address of the pipeline where it names the build; else ""."""

    label: str
    value: str
    link: str = ""


def in_words(identity: Sequence[IdentifyingFact]) -> str:
    """Return identifying facts as one line: ``build 4211 · branch main``."""
    return " · ".join(f"{fact.label} {fact.value}" for fact in identity if fact.label)


def identity_of(facts: Sequence[Fact]) -> tuple[IdentifyingFact, ...]:
    """Return the facts that identify a run, of all that are known of it."""
    by_key = {fact.key.casefold(): fact.value for fact in reversed(facts)}
    link = next((by_key[key] for key in _LINKS if by_key.get(key, "").startswith(("https://", "http://"))), "")
    # A value that long is none that identifies: it stands among the facts.
    known = [key for key in _IDENTIFYING if 0 < len(by_key.get(key, "")) <= _VALUE_CHARS]
    found = tuple(IdentifyingFact(key, _shown(key, by_key[key]), link if key == BUILD else "") for key in known)
    return found if BUILD in known or not link else (IdentifyingFact("", "pipeline", link), *found)


def _shown(key: str, value: str) -> str:
    return value[:_SHOWN_HASH_CHARS] if key == COMMIT and _WHOLE_HASH.fullmatch(value) else value
