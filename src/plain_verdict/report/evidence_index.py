"""The evidence of a run: what each piece holds, which picture leads, where everything is used."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence, Set
from itertools import groupby

import msgspec

from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Content,
    ContentKind,
    Evidence,
    PictureRole,
    Run,
    Step,
    evidence_of_check,
    steps_below,
)
from plain_verdict.model.evidence import role_of, sets_of
from plain_verdict.text.formatting import capital, plural


class ShownEvidence(msgspec.Struct, frozen=True):
    """A piece of evidence with its content; ``times`` counts equal ones in a row."""

    evidence: Evidence
    content: Content | None
    times: int = 1
    repeated: bool = False
    """Whether it is a picture that stands elsewhere in its check already."""

    @property
    def caption(self) -> str:
        """Return what it is called."""
        return self.evidence.caption or self.evidence.name

    @property
    def role(self) -> PictureRole | None:
        """Return what it is to other pictures of its check."""
        return role_of(self.evidence)[0]

    @property
    def note(self) -> str:
        """Return what is known of it besides: its name where it has another caption, and when it was taken."""
        name = self.evidence.name if self.evidence.caption else ""
        taken = f"{self.evidence.at:%H:%M:%S}" if self.evidence.at else ""
        began = f"begins {self.evidence.began:%H:%M:%S}" if self.evidence.began else ""
        return ", ".join(filter(None, (name, self.evidence.role or "", taken, began)))

    @property
    def is_picture(self) -> bool:
        """Return whether it is shown as a picture."""
        return self.content is not None and self.content.kind is ContentKind.PICTURE


class PictureSet(msgspec.Struct, frozen=True):
    """Pictures that belong together: expected, actual and, where one is known, the difference."""

    name: str
    expected: ShownEvidence
    actual: ShownEvidence
    difference: ShownEvidence | None

    @property
    def pieces(self) -> list[ShownEvidence]:
        """Return its pictures in their order."""
        return [piece for piece in (self.expected, self.actual, self.difference) if piece]

    @property
    def words(self) -> str:
        """Return how much differs, where that was found out here."""
        return self.difference.content.remark if self.difference and self.difference.content else ""


def picture_sets(shown: Sequence[ShownEvidence]) -> tuple[list[PictureSet], list[ShownEvidence]]:
    """Return the pictures that belong together, and what is left."""
    by_evidence = {id(piece.evidence): piece for piece in shown}
    found = sets_of(piece.evidence for piece in shown if piece.is_picture and not piece.repeated)
    sets = [
        PictureSet(
            stem,
            by_evidence[id(by_role[PictureRole.EXPECTED])],
            by_evidence[id(by_role[PictureRole.ACTUAL])],
            by_evidence.get(id(by_role.get(PictureRole.DIFFERENCE))),
        )
        for stem, by_role in found.items()
    ]
    taken = {id(piece) for found_set in sets for piece in found_set.pieces}
    return sets, [piece for piece in shown if id(piece) not in taken]


class Picture(msgspec.Struct, frozen=True):
    """A picture of the contact sheet and the checks that it belongs to."""

    content: Content
    caption: str
    checks: tuple[Check, ...]


class EvidenceIndex:
    """All evidence of a run."""

    def __init__(self, run: Run, shared: Set[str] = frozenset()) -> None:
        """``shared`` are the keys of contents that are used elsewhere as well, where the run is a part of one."""
        self._contents = {content.key: content for content in run.contents}
        self.stored = tuple(content for content in run.contents if content.kind is ContentKind.PICTURE)
        self.pictures = tuple(self._pictures(run)) if run.contents else ()
        uses = Counter(_uses(run)) if run.contents else Counter[str]()
        others = [content for content in run.contents if content.kind is not ContentKind.PICTURE]
        self.shared = tuple(content for content in others if uses[content.key] > 1)
        self._shared_keys = shared | {content.key for content in self.shared}
        self.unclaimed = tuple(self.shown(run.unclaimed))

    @property
    def unclaimed_note(self) -> str:
        """Return what the files of no check are, before they are listed."""
        number = len(self.unclaimed)
        return f"{capital(plural(number, 'file'))} without a check:"

    @property
    def has_other(self) -> bool:
        """Return whether there is evidence that several checks share, or that belongs to none."""
        return bool(self.shared or self.unclaimed)

    def shown(self, evidence: Sequence[Evidence], seen: set[str] | None = None) -> Iterator[ShownEvidence]:
        """Yield the evidence to show; equal pieces in a row come once, with their number.

        ``seen`` are the pictures that their check shows already; those that come now are added.
        """
        for _, same in groupby(evidence, key=lambda piece: piece.content or id(piece)):
            equal_pieces = list(same)
            content = self._contents.get(equal_pieces[0].content)
            repeated = False
            if seen is not None and content is not None and content.kind is ContentKind.PICTURE:
                repeated = content.key in seen
                seen.add(content.key)
            yield ShownEvidence(equal_pieces[0], content, len(equal_pieces), repeated)

    def is_shared(self, content: Content) -> bool:
        """Return whether a content is used in several places, and so stands in its own section."""
        return content.key in self._shared_keys

    def lead_picture(self, attempt: Attempt) -> Evidence | None:
        """Return the picture nearest to the failure: of the innermost step that failed, or else the last one."""
        if attempt.outcome not in BAD:
            return None
        failing = list(filter(self._is_picture, _failing(attempt)))
        pictures = list(filter(self._is_picture, _given([attempt])))
        nearest = next(iter(failing or reversed(pictures)), None)
        if nearest is None or role_of(nearest)[0] is None:
            return nearest
        # Of pictures that belong together, the one that came tells most.
        return next(filter(_is_actual, failing or pictures), nearest)

    def single_lead(self, attempt: Attempt) -> Evidence | None:
        """Return the picture nearest to the failure, unless it belongs together with others: they stand as one."""
        lead = self.lead_picture(attempt)
        return None if lead is None or self._is_in_set(lead, attempt) else lead

    @staticmethod
    def _is_in_set(evidence: Evidence, attempt: Attempt) -> bool:
        parts: tuple[Attempt | Step, ...] = (attempt, *steps_below(attempt))
        sets = (by_role for part in parts if part.evidence for by_role in sets_of(part.evidence).values())
        return any(evidence in by_role.values() for by_role in sets)

    def last_picture(self, attempt: Attempt) -> Evidence | None:
        """Return the picture that was taken last, whatever the outcome."""
        return next(reversed(list(filter(self._is_picture, _given([attempt])))), None)

    def _is_picture(self, evidence: Evidence) -> bool:
        content = self._contents.get(evidence.content)
        return content is not None and content.kind is ContentKind.PICTURE

    def _pictures(self, run: Run) -> Iterator[Picture]:
        owners: dict[str, dict[str, Check]] = {}
        captions: dict[str, str] = {}
        for check in run.checks.detailed:
            for evidence in _all(check.attempts):
                if self._is_picture(evidence):
                    owners.setdefault(evidence.content, {})[check.id] = check
                    captions.setdefault(evidence.content, evidence.caption or evidence.name)
        for evidence in run.unclaimed:
            if self._is_picture(evidence):
                owners.setdefault(evidence.content, {})
                captions.setdefault(evidence.content, evidence.name)
        for key, owner in owners.items():
            yield Picture(self._contents[key], captions[key], tuple(owner.values()))


def _is_actual(evidence: Evidence) -> bool:
    return role_of(evidence)[0] is PictureRole.ACTUAL


def used_contents(run: Run) -> set[str]:
    """Return the keys of the contents that the run's checks, or no check at all, use."""
    return set(_uses(run))


def _uses(run: Run) -> Iterator[str]:
    """Yield the key of each piece of evidence that has a content, as often as it is used."""
    for check in run.checks.detailed:
        yield from (evidence.content for evidence in _all(check.attempts) if evidence.content)
    yield from (evidence.content for evidence in run.unclaimed if evidence.content)


def _all(parts: Iterable[Attempt | Step]) -> Iterator[Evidence]:
    for part in parts:
        yield from evidence_of_check(part)
        yield from _all(part.steps)


def _given(parts: Iterable[Attempt | Step]) -> Iterator[Evidence]:
    """Yield the evidence that was kept; bodies of exchanges stand with these."""
    for part in parts:
        yield from part.evidence
        yield from _given(part.steps)


def _failing(part: Attempt | Step) -> Iterator[Evidence]:
    """Yield the evidence on the way to the failure, the innermost first."""
    for step in part.steps:
        yield from _failing(step)
    if part.outcome in BAD:
        yield from part.evidence
