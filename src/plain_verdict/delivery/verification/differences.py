"""Says what differs between a report and its results, judged again."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from pathlib import PurePosixPath

import msgspec

from plain_verdict.model import KeptRun, Past
from plain_verdict.model.judged_content import JudgedContent, JudgedInput
from plain_verdict.text.formatting import plural

_SHOWN_DIFFERENCES = 20
_HASH_CHARS = 12


class Comparison(msgspec.Struct, frozen=True):
    """What is not as in the report, and what to know beside: a note alone makes nothing differ."""

    differences: tuple[str, ...]
    notes: tuple[str, ...]
    same_inputs: int = 0
    """How many of the results are files that the report was made of."""


_Pairs = list[tuple[JudgedInput, JudgedInput]]


def compare_inputs(then: JudgedContent, now: JudgedContent) -> Comparison:
    """Return which results are missing, changed or more than those of the report; files are known by their hash."""
    left = defaultdict[str, list[JudgedInput]](list)
    for found in now.inputs:
        left[found.sha256].append(found)
    pairs = [(made_of, _taken(left[made_of.sha256], made_of.path)) for made_of in then.inputs]
    same = [(made_of, found) for made_of, found in pairs if found]
    more = {found.path: found for rest in left.values() for found in rest}
    lost = list(_lost(pairs, more))
    added = [f"{path} is not among the inputs of the report." for path in more]
    moved = list(_moved(same))
    if len(moved) > 1:
        # Their number and one example: a moved folder moves them all.
        moved = [f"{plural(len(moved), 'file')} have other paths; {moved[0]}"]
    return Comparison(tuple(_cut([*_reruns(same), *lost, *added])), tuple(moved), len(same))


def _moved(same: _Pairs) -> Iterator[str]:
    for made_of, found in same:
        if made_of.path != found.path:
            yield f"{made_of.path} in the report is {found.path} here."


def _reruns(same: _Pairs) -> Iterator[str]:
    for made_of, found in same:
        if made_of.go != found.go:
            yield f"{made_of.path} was {_go(made_of.go)}, and is {_go(found.go)} here (--retry)."


def _taken(files: list[JudgedInput], path: str) -> JudgedInput | None:
    """Take one of these files, that of the same path where it is among them; None where none is left."""
    # That of the same path first: several files may have one content.
    found = next((file for file in files if file.path == path), files[0] if files else None)
    if found:
        files.remove(found)
    return found


def _go(number: int) -> str:
    return f"rerun {number}" if number else "no rerun"


def _lost(pairs: Sequence[tuple[JudgedInput, JudgedInput | None]], more: dict[str, JudgedInput]) -> Iterator[str]:
    """Yield what became of files whose content is not there; what is in their place is taken out of ``more``."""
    for made_of in (made_of for made_of, found in pairs if not found):
        names = [path for path in more if PurePosixPath(path).name == PurePosixPath(made_of.path).name]
        path = made_of.path if made_of.path in more else names[0] if len(names) == 1 else ""
        if not path:
            yield f"{made_of.path} is missing (SHA-256 {made_of.sha256[:_HASH_CHARS]}…)."
            continue
        hash_ = more.pop(path).sha256
        yield (
            f"{path} is another file than {made_of.path} was "
            f"(SHA-256 {hash_[:_HASH_CHARS]}…, in the report {made_of.sha256[:_HASH_CHARS]}…)."
        )


def compare_settings(then: JudgedContent, now: JudgedContent) -> Comparison:
    """Return whether version, settings and earlier builds are those of the report."""
    differences: list[str] = []
    notes: list[str] = []
    if then.version != now.version:
        notes.append(
            f"The report was made by version {then.version}, and this is {now.version}: where both judge alike, "
            "the verdict stands; a difference may come of the version, and settings can't be compared."
        )
    elif then.settings != now.settings:
        differences.append(
            "The settings are not those by which the report was made: give the same --config and options."
        )
    if then.earlier != now.earlier:
        notes.append(
            f"The report was compared with {plural(then.earlier, 'earlier build')}, here with {now.earlier:,}: "
            "rules on earlier builds need them (--history, --previous)."
        )
    return Comparison(tuple(differences), tuple(notes))


def compare_judgement(then: JudgedContent, now: JudgedContent, runs: tuple[KeptRun | None, KeptRun]) -> Comparison:
    """Return how verdict, counts, outcomes, conditions, exceptions and decisions differ."""
    differences = list(_verdict_and_counts(then, now))
    notes: list[str] = []
    if then.outcomes != now.outcomes:
        differences += _cut(list(_by_check(*runs))) or ["Checks ended otherwise, or are others."]
    if then.numbers != now.numbers:
        differences.append("Numbers of load results, operations, rules or requirements differ.")
    for name, what in (
        ("conditions", "How conditions stand"),
        ("not_counted", "Which failures do not count, or why,"),
        ("decisions", "What persons decided"),
        ("unread", "Which inputs could not be read"),
    ):
        before, after = getattr(then, name), getattr(now, name)
        if before != after:
            count = f" ({len(before):,} in the report, {len(after):,} here)" if len(before) != len(after) else ""
            differences.append(f"{what} differs{count}.")
    if then.sentence != now.sentence and then.verdict is now.verdict and not differences:
        notes.append(f"The same verdict in other words: “{now.sentence}”")
    return Comparison(tuple(differences), tuple(notes))


def _verdict_and_counts(then: JudgedContent, now: JudgedContent) -> Iterator[str]:
    if then.verdict is not now.verdict:
        yield f"The verdict was “{then.verdict}”, and is “{now.verdict}” here."
    pairs = [
        f"{name} {getattr(then.counts, name):,}, here {getattr(now.counts, name):,}"
        for name in then.counts.__struct_fields__
        if getattr(then.counts, name) != getattr(now.counts, name)
    ]
    if pairs:
        yield f"Counts differ: {'; '.join(pairs)}."


def _by_check(then: KeptRun | None, now: KeptRun) -> Iterator[str]:
    """Yield which checks are missing, more, or ended otherwise; nothing where the report does not tell them."""
    if then is None:
        return
    before = _outcomes_of(then)
    after = _outcomes_of(now)
    for id_ in dict.fromkeys((*before, *after)):
        old, new = before.get(id_), after.get(id_)
        if old is None and new:
            yield f"{new[0]}: not in the report, {new[1].words} here."
        elif new is None and old:
            yield f"{old[0]}: {old[1].words} in the report, not here."
        elif old and new and old[1] is not new[1]:
            yield f"{new[0]}: {old[1].words} in the report, {new[1].words} here."


def _outcomes_of(run: KeptRun) -> dict[str, tuple[str, Past]]:
    index = run.check_index
    return {
        id_: (name, Past(letter))
        for id_, name, letter in zip(index.ids, index.names, run.outcomes, strict=False)
        if letter != Past.ABSENT
    }


def _cut(lines: Sequence[str]) -> list[str]:
    more = len(lines) - _SHOWN_DIFFERENCES
    return [*lines[:_SHOWN_DIFFERENCES], f"And {more:,} more."] if more > 0 else list(lines)
