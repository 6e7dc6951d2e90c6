"""Pictures that belong together: what was expected, what came, and the difference, which is drawn where none is."""

from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from plain_verdict.evidence.contents import Task
from plain_verdict.evidence.tree import change_parts
from plain_verdict.model import Check, Evidence, PictureRole
from plain_verdict.model.evidence import sets_of
from plain_verdict.text.media_types import HEAD_BYTES, media_type_of


class Differences:
    """Adds a difference to each set of pictures that has none; its task stands among the others."""

    def __init__(self, tasks: dict[str, Task]) -> None:
        self._tasks = tasks

    def check(self, check: Check) -> Check:
        """Return the check with a difference for each expected and actual picture."""
        return change_parts(check, self._completed)

    def _completed(self, evidence: Sequence[Evidence]) -> tuple[Evidence, ...]:
        return (*evidence, *self._missing(evidence))

    def _missing(self, evidence: Sequence[Evidence]) -> Iterator[Evidence]:
        for stem, by_role in sets_of(evidence).items():
            expected, actual = by_role[PictureRole.EXPECTED], by_role[PictureRole.ACTUAL]
            if PictureRole.DIFFERENCE in by_role or not (self._is_picture(expected) and self._is_picture(actual)):
                continue
            source = f"difference {expected.content} {actual.content}"
            self._tasks[source] = msgspec.structs.replace(
                self._tasks[actual.content], compared_with=self._tasks[expected.content]
            )
            name = f"{stem} difference".strip()
            yield Evidence(name, content=source, role=PictureRole.DIFFERENCE, caption=name)

    def _is_picture(self, evidence: Evidence) -> bool:
        task = self._tasks.get(evidence.content)
        if task is None:
            return False
        try:
            head = task.data[:HEAD_BYTES]
            if task.file:
                with Path(task.file).open("rb") as file:
                    head = file.read(HEAD_BYTES)
        except OSError:
            return False
        media_type = media_type_of(head)
        return media_type.startswith("image/") and media_type != "image/svg+xml"
