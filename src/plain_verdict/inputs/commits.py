"""Reads the commits of a git repository, without any configuration of that repository.

Git itself reads the objects, in an empty repository of our own that is made for it: no filter, hook, alias,
remote or included file of the one that it looks at is ever seen, and nothing is fetched.
Source: git(1), environment variables; gitrepository-layout(5).
"""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from threading import Timer

import msgspec

from plain_verdict.inputs.repository import common_folder, read_inside
from plain_verdict.model import Commit
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.patterns import pattern

_MOST_COMMITS = 5_000
_MOST_OUTPUT_BYTES = 32_000_000
_MOST_SHALLOW_BYTES = 4_000_000
_GIT_SECONDS = 20  # a repository on a slow network share must not hold the report up
_WRITTEN_CHARS = 200
_FIELDS = 4  # of a commit: hash, author, time, subject
_HASH_CHARS_SHA256 = 64
_NAMED_CHARS = 10
_COMMIT = pattern(r"[0-9a-f]{7,64}")  # people shorten them


class CommitRange(msgspec.Struct, frozen=True):
    """The commits that lead from one to another, the newest first; ``trouble``: why not, or what is doubtful."""

    commits: tuple[Commit, ...] = ()
    trouble: str = ""
    is_known: bool = True


class CommitLog:
    """The commits of the repository at a root."""

    def __init__(self, root: Path) -> None:
        self._folder = common_folder(root)
        self.between = lru_cache(maxsize=1_000)(self._between)

    def _between(self, first: str, last: str) -> CommitRange:
        """Return the commits after ``first`` up to ``last``. Nothing that can't be read raises."""
        if self._folder is None:
            return _unknown("the repository here can't be read")
        if _is_lent(self._folder / "objects"):
            return _unknown("the repository here borrows its commits from another one, which is not read")
        if shutil.which("git") is None:
            return _unknown("git is not installed here")
        shallow = read_inside(self._folder, "shallow", _MOST_SHALLOW_BYTES)
        try:
            with tempfile.TemporaryDirectory(prefix="plain-verdict-") as name:
                git = _Git(Path(name), self._folder / "objects", shallow, first)
                return _read_range(git, first, last, is_shallow=bool(shallow.strip()))
        except _GitError as refused:
            return _unknown(str(refused))
        except OSError as error:
            return _unknown(f"git can't be run ({error.strerror})")


def _unknown(trouble: str) -> CommitRange:
    return CommitRange((), trouble, is_known=False)


def _is_lent(objects: Path) -> bool:
    """Return whether objects stand elsewhere: a repository of anybody must not show those of another one."""
    inside = (objects, objects / "pack", objects / "info")
    return any(path.is_symlink() for path in inside) or os.path.lexists(objects / "info" / "alternates")


def _read_range(git: "_Git", first: str, last: str, *, is_shallow: bool) -> CommitRange:
    # A clone of few commits is what most pipelines have; its last commit seems to have no parent.
    clone = ", which is a shallow clone" if is_shallow else ""
    for commit in (first, last):
        if not (_COMMIT.fullmatch(commit) and git.has(commit)):
            return _unknown(f"the commit {commit[:_NAMED_CHARS]} is not in the repository here{clone}")
    commits = git.commits()
    if len(commits) == _MOST_COMMITS:
        return CommitRange(commits, f"the newest {_MOST_COMMITS:,} alone")
    if git.is_ancestor():
        return CommitRange(commits)
    doubt = "the repository here is a shallow clone that may lack some" if is_shallow else "on another branch"
    return CommitRange(commits, doubt)


class _GitError(Exception):
    """Git failed, and nothing can be told; the text goes on from what is asked for."""


class _Git:
    """Git in an empty repository, which borrows the objects of another."""

    def __init__(self, home: Path, objects: Path, shallow: str, first: str) -> None:
        self._home = home
        (home / "refs").mkdir()
        (home / "HEAD").write_text("ref: refs/heads/none\n", "utf-8")
        is_sha256 = len(first) == _HASH_CHARS_SHA256
        extensions = "[extensions]\n\tobjectFormat = sha256\n" if is_sha256 else ""
        (home / "config").write_text(
            f"[core]\n\trepositoryFormatVersion = {int(is_sha256)}\n\tbare = true\n{extensions}", "utf-8"
        )
        if shallow.strip():
            (home / "shallow").write_text(shallow, "utf-8")
        self._environment = {
            "PATH": os.environ.get("PATH", os.defpath),
            "HOME": str(home),
            "LC_ALL": "C",
            "GIT_DIR": str(home),
            "GIT_OBJECT_DIRECTORY": str(objects),
            "GIT_CONFIG_NOSYSTEM": "1",
            "GIT_CONFIG_SYSTEM": os.devnull,
            "GIT_CONFIG_GLOBAL": os.devnull,
            "GIT_ATTR_NOSYSTEM": "1",
            "GIT_NO_REPLACE_OBJECTS": "1",
            "GIT_NO_LAZY_FETCH": "1",
            "GIT_OPTIONAL_LOCKS": "0",
            "GIT_TERMINAL_PROMPT": "0",
            "GIT_ALLOW_PROTOCOL": "",
        }
        self._ends: tuple[str, str] = ("", "")

    def has(self, commit: str) -> bool:
        """Return whether a commit is there; two of them are the range that ``commits`` reads."""
        self._ends = (self._ends[1], commit)
        return self._code_of("cat-file", "-e", f"{commit}^{{commit}}") == 0

    def is_ancestor(self) -> bool:
        """Return whether the first commit leads to the last."""
        return self._code_of("merge-base", "--is-ancestor", *self._ends) == 0

    def commits(self) -> tuple[Commit, ...]:
        """Return the commits of the range with the paths that they changed. Raises _GitError."""
        most = f"--max-count={_MOST_COMMITS}"
        # Fields end in a byte that no text of a commit holds, so that no subject passes for another commit.
        output = self._run("log", most, "-z", "--format=%H%x00%an%x00%aI%x00%s", "..".join(self._ends), "--")
        fields = output.split("\0")
        rows = [fields[at : at + _FIELDS] for at in range(0, len(fields) - _FIELDS + 1, _FIELDS)]
        hashes = "".join(f"{row[0]}\n" for row in rows)
        # A merge has those paths that differ from all of its parents; a first commit, and the last of a shallow
        # clone, none: they would have all there are.
        changed = self._run("diff-tree", "--stdin", "-r", "-c", "-z", "--name-only", "--no-renames", given=hashes)
        files = dict(_files_by_commit(changed.split("\0"), [row[0] for row in rows]))
        return tuple(_commit(row, files.get(row[0], ())) for row in rows)

    def _run(self, *arguments: str, given: str = "") -> str:
        """Return what git prints. Raises _GitError where it fails, or prints too much."""
        code, output = self._ended(arguments, given)
        if code or len(output) == _MOST_OUTPUT_BYTES:
            raise _GitError("git can't read them in the repository here")
        return output.decode("utf-8", "replace")

    def _code_of(self, *arguments: str) -> int:
        return self._ended(arguments, "")[0]

    def _ended(self, arguments: Sequence[str], given: str) -> tuple[int, bytes]:
        """Return git's exit code, and what it prints up to a limit. Raises _GitError where it takes too long."""
        with tempfile.TemporaryFile(dir=self._home) as file:
            file.write(given.encode())
            file.seek(0)
            process = subprocess.Popen(  # noqa: S603  words of our own, and hashes
                ["git", "--no-pager", *arguments],  # noqa: S607  as found on the path
                cwd=self._home,
                env=self._environment,
                stdin=file,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
            timer = Timer(_GIT_SECONDS, process.kill)
            timer.start()
            with process:
                output = process.stdout.read(_MOST_OUTPUT_BYTES) if process.stdout else b""
                process.kill() if len(output) == _MOST_OUTPUT_BYTES else process.wait()
            timer.cancel()
        if process.returncode < 0 and len(output) < _MOST_OUTPUT_BYTES:
            raise _GitError(f"git took longer than {_GIT_SECONDS} s")
        return process.returncode, output


def _files_by_commit(words: Sequence[str], hashes: Sequence[str]) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield each commit with the paths after it; commits without any are left out by git."""
    known, commit, files = frozenset(hashes), "", list[str]()
    for word in words:
        if word in known:
            yield commit, tuple(files)
            commit, files = word, []
        elif word:
            files.append(word)
    yield commit, tuple(files)


def _commit(row: Sequence[str], files: tuple[str, ...]) -> Commit:
    commit, author, at, subject = row
    moment = None
    with suppress(ValueError):  # a clock of anybody
        moment = datetime.fromisoformat(at)
    return Commit(commit, single_line(subject, _WRITTEN_CHARS), single_line(author, _WRITTEN_CHARS), moment, files)
