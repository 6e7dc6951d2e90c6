"""Commits between the build in which a check last passed and this one."""

from datetime import datetime

from plain_verdict.model.facts import Value


class Commit(Value, frozen=True):
    """A commit: the first line of its message, who wrote it and when, and the paths that it changed."""

    id: str
    subject: str
    author: str
    at: datetime | None
    files: tuple[str, ...] = ()


class CommitsSince(Value, frozen=True):
    """The commits since the build ``passed_in``, in which a check last passed; the newest first.

    ``near`` change a file that the check ran: its own, or one of its stack. ``by_owner`` are those of the others
    that change a path of its owner. ``number``, ``touching`` and ``touching_owner`` count all of them, also those
    that are not listed. ``trouble`` is why none can be listed, or what makes the list doubtful.
    """

    passed_in: str
    number: int = 0
    touching: int = 0
    touching_owner: int = 0
    near: tuple[Commit, ...] = ()
    by_owner: tuple[Commit, ...] = ()
    others: tuple[Commit, ...] = ()
    trouble: str = ""
    is_known: bool = True
    """Whether the commits could be read."""

    @property
    def listed(self) -> tuple[Commit, ...]:
        """Return those that are listed, what is nearest to the check first."""
        return (*self.near, *self.by_owner, *self.others)
