"""Which runs belong together, and which run is which."""

from collections.abc import Iterable, Sequence
from hashlib import blake2b

from plain_verdict.model import Fact, Run
from plain_verdict.model.facts import BRANCH, BUILD, COMMIT
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.placeholders import PLACEHOLDER, placeholders_in

SERIES = "{title} {fact:branch}"
"""What makes a series where the settings say nothing else: another title or branch is another one."""
_RUN_ID_CHARS = 16  # 64 bits: two of a million runs share an id once in 37 million histories


def check_series(pattern: str) -> None:
    """Make sure that every placeholder of a pattern is known. Raises UsageError."""
    for name in placeholders_in(pattern):
        if name != "title" and not (name.startswith("fact:") and name[5:]):
            raise UsageError(
                f"{{{name}}} is not a placeholder",
                where="history.series",
                hint="known here: {title} and {fact:KEY}",
            )


def name_series(pattern: str, title: str, facts: Iterable[Fact]) -> str:
    """Return what the series of a run is called; a fact that nobody told is left out."""
    values = {f"fact:{fact.key.casefold()}": fact.value for fact in facts} | {"title": title}
    text = PLACEHOLDER.sub(lambda match: values.get(match[1].casefold(), ""), pattern)
    return " ".join(text.split())


def identify(run: Run, series: str, build: str, facts: Sequence[Fact]) -> str:
    """Return the identity of a run: of its inputs' bytes and its facts, not of when its report is made.

    Results that say when they began, on a commit that is known, are one run whatever build they are called.
    """
    if any(file.started for file in run.files) and any(fact.key.casefold() == COMMIT for fact in facts):
        build = ""
    digest = blake2b(digest_size=_RUN_ID_CHARS // 2)
    inputs = sorted(file.digest for file in run.files)
    identifying_facts = sorted(
        (fact.key, fact.value) for fact in facts if fact.key.casefold() not in (BUILD, BRANCH)
    )
    for text in (series, build, *inputs, *(part for pair in identifying_facts for part in pair)):
        digest.update(text.encode("utf-8", "surrogatepass") + b"\0")
    return f"r-{digest.hexdigest()}"
