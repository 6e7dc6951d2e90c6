"""A branch of a git repository, through git itself: one commit, and nothing touched but what is ours."""

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from functools import partial
from hashlib import blake2b
from pathlib import Path

from plain_verdict.remote.folder import FolderFiles
from plain_verdict.remote.interface import Files, Found, Result
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.runtime.patience import Patience
from plain_verdict.text.addresses import without_password
from plain_verdict.text.cleaning import single_line

_BRANCH = "pages"
_MOST_PUSHES = 100  # other pipelines push to the same branch; the patience ends before
_FETCHED_COMMITS = 12  # that are fetched: of files in them it is known when they were published
_PUSH_PAUSE_S, _LONGEST_PUSH_PAUSE_S = 0.3, 3.0  # the first times the number of the try
_MOVED = ("fetch first", "non-fast-forward", "cannot lock ref", "incorrect old value", "failed to update ref")
"""What git says when somebody else pushed meanwhile."""
_GIT_FAILURES = (
    ("host key verification failed", "the host's key is not known, or another one", "check ~/.ssh/known_hosts"),
    ("remote host identification has changed", "the host's key is another one", "check ~/.ssh/known_hosts"),
    ("permission denied", "permission denied", "check git's keys or credential helpers"),
    ("authentication failed", "it denies access", "check git's credential helpers"),
    ("could not read username", "it requires authentication", "check git's credential helpers"),
    ("protected branch", "the branch is protected", "name another branch, or let this one be pushed to"),
    ("hook declined", "a hook of the repository declined it", "name another branch, or ask who keeps it"),
    ("does not appear to be a git repository", "is not a repository", "check the address"),
    ("repository not found", "is not a repository", "check the address"),
    ("no space left", "no space is left there", "free some space"),
)


class RepositoryDestination:
    """A folder in a branch: ``git+ssh://host/repository.git#branch:folder``."""

    def __init__(self, text: str) -> None:
        url, _, subfolder = text.removeprefix("git+").partition("#")
        branch, _, folder = subfolder.partition(":")
        self._url = url
        self._branch = branch or _BRANCH
        self._folder = folder.strip("/")
        wrong = ".." in self._branch or self._branch.startswith("-") or ".." in Path(self._folder).parts
        if wrong or not url.partition("://")[2].strip("/"):
            hint = "write it like git+ssh://git@host/repository.git#branch:folder"
            raise UsageError("is not a branch of a repository", path=without_password(text), hint=hint)

    @property
    def shown(self) -> str:
        """Return its address."""
        return f"git+{self._url}#{self._branch}{f':{self._folder}' if self._folder else ''}"

    @property
    def address(self) -> str:
        """Return nothing: where a server shows a branch is its own affair."""
        return ""

    def name(self, file: str) -> str:
        """Return the address of a file in the branch."""
        return f"git+{self._url}#{self._branch}:{f'{self._folder}/' if self._folder else ''}{file}"

    def check(self) -> None:
        """Make sure that git is there."""
        if shutil.which("git") is None:
            raise UsageError("needs git, which is not here", path=self.shown, hint="install git")

    def do(self, job: Callable[[Files], Result], message: str, patience: Patience) -> Result:
        """Do a job in a copy of the branch and push it as one commit; again where somebody else was faster."""
        for number in range(_MOST_PUSHES):
            with tempfile.TemporaryDirectory(prefix="plain-verdict-", ignore_cleanup_errors=True) as name:
                copy = _Copy(Path(name), self._url, self._branch, self.shown, patience)
                with patience.stopping(partial(shutil.rmtree, name, ignore_errors=True)):
                    copy.fetch()
                    files = _Tracked(copy.folder / self._folder, copy.written_s(self._folder))
                    result = job(files)
                    below = [f"{self._folder}/{file}" if self._folder else file for file in sorted(files.changed)]
                    if not below or copy.push(below, message or "Publish a report"):
                        return result
            pause_s = min(_PUSH_PAUSE_S * (number + 1), _LONGEST_PUSH_PAUSE_S)
            time.sleep(pause_s * random.random())  # noqa: S311  so that two don't meet again
            patience.check()
        raise DeliveryError("others kept pushing", path=self.shown, hint="try again")


class _Copy:
    """A copy of a branch, in a temporary folder."""

    def __init__(self, folder: Path, url: str, branch: str, shown: str, patience: Patience) -> None:
        self.folder = folder
        self._url, self._branch, self._shown = url, branch, shown
        self._patience = patience
        self._is_there = False

    def fetch(self) -> None:
        """Make a copy of the branch; of one that is not there yet, an empty one."""
        self._git("init", "--quiet", "--initial-branch", self._branch)
        self._git("remote", "add", "origin", self._url)
        there = self._git("ls-remote", "--heads", "origin", f"refs/heads/{self._branch}").strip()
        self._is_there = bool(there)
        if there:
            self._git("fetch", "--quiet", "--depth", str(_FETCHED_COMMITS), "origin", f"refs/heads/{self._branch}")
            self._git("-c", "core.symlinks=false", "checkout", "--quiet", "-B", self._branch, "FETCH_HEAD")

    def written_s(self, folder: str) -> dict[str, float]:
        """Return when each file of a folder in the branch was written, where one of the last commits did."""
        if not self._is_there:
            return {}
        format_ = (
            "--format=%x00%ct",
            "--name-only",
            "--diff-filter=AM",
            "--relative=" + folder if folder else "--relative",
        )
        log = self._git("-c", "core.quotePath=false", "log", "--no-renames", *format_)
        written: dict[str, float] = {}
        # The oldest one has no parent here: it seems to add all there is.
        for commit in log.split("\0")[1:_FETCHED_COMMITS]:
            moment, *files = filter(None, commit.splitlines())
            for file in files:
                written.setdefault(file, float(moment))
        return written

    def push(self, below: Sequence[str], message: str) -> bool:
        """Commit the files that were changed and push them; return whether nobody else was faster."""
        (self.folder / ".git" / "changed").write_text("\0".join(below), "utf-8")
        self._git("add", "--all", "--force", "--pathspec-from-file=.git/changed", "--pathspec-file-nul")
        if not self._git("status", "--porcelain", "--untracked-files=no").strip():
            return True
        self._git("commit", "--quiet", "--no-verify", "--message", message)
        try:
            self._git("push", "--quiet", "origin", f"HEAD:refs/heads/{self._branch}")
        except DeliveryError as error:
            if any(words in str(error.__cause__ or error.what).lower() for words in _MOVED):
                return False
            raise
        return True

    def _git(self, *arguments: str) -> str:
        """Run git in the copy and return what it prints. Raises DeliveryError."""
        variables = {
            "GIT_TERMINAL_PROMPT": "0",
            "GIT_ALLOW_PROTOCOL": "file:ssh:https:http",
            "GIT_CEILING_DIRECTORIES": str(self.folder.parent),
            "LC_ALL": "C",
        }
        for name, value in (("NAME", "Plain Verdict"), ("EMAIL", "plain-verdict@invalid")):
            variables |= {
                f"GIT_{who}_{name}": os.environ.get(f"GIT_{who}_{name}", value) for who in ("AUTHOR", "COMMITTER")
            }
        environment = {"GIT_SSH_COMMAND": "ssh -o BatchMode=yes", **os.environ, **variables}
        for name in ("GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE"):
            environment.pop(name, None)  # as in a hook of another repository
        command = ["git", "-c", "core.autocrlf=false", "-c", "commit.gpgsign=false", *arguments]
        try:
            # In a new session: what git starts, ssh above all, is stopped with it.
            running = subprocess.Popen(  # noqa: S603  words of our own, and an address that is one of git's four kinds
                command,
                cwd=self.folder,
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                start_new_session=True,
            )
        except OSError as error:
            raise self._failed(f"git can't be run ({error.strerror})", "install git") from error
        with running, self._patience.stopping(lambda: _kill(running)):
            output, errors = running.communicate()
        self._patience.check()
        if running.returncode:
            raise self._refused(errors.decode("utf-8", "replace"))
        return output.decode("utf-8", "replace")

    def _refused(self, output: str) -> DeliveryError:
        """Return the error that git's words mean, with them as its cause."""
        lines = [line for line in output.splitlines() if line.startswith(("fatal:", "error:", "remote:", " !"))]
        known = next(((why, hint) for words, why, hint in _GIT_FAILURES if words in output.lower()), None)
        words = without_password(single_line(" ".join(lines[:2]) or output, 200))
        error = self._failed(known[0] if known else words, known[1] if known else "check the address")
        error.__cause__ = RuntimeError(output)
        return error

    def _failed(self, what: str, hint: str) -> DeliveryError:
        return DeliveryError(what, path=self._shown, hint=hint)


def _kill(running: "subprocess.Popen[bytes]") -> None:
    """End a program with all that it started."""
    with suppress(ProcessLookupError):
        if sys.platform == "win32":
            running.kill()
        else:
            os.killpg(running.pid, signal.SIGKILL)


class _Tracked:
    """The files of the copy; remembers which were changed."""

    def __init__(self, folder: Path, written_s: Mapping[str, float]) -> None:
        self._files = FolderFiles(folder)
        self._written_s = written_s
        self.changed: set[str] = set()

    def find(self) -> list[Found]:
        """Return all files; a copy's own times tell nothing, so their size and content do."""
        return [
            Found(found.file, self._stamp(found), self._when(found), found.size_bytes)
            for found in self._files.find()
        ]

    def _when(self, found: Found) -> float:
        return found.written_s if found.file in self.changed else self._written_s.get(found.file, 0.0)

    def _stamp(self, found: Found) -> str:
        data = self._files.read(found.file, 16_000) or b""
        return f"{blake2b(data, digest_size=8).hexdigest()} {found.stamp.partition(' ')[2]}"

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file."""
        return self._files.read(file, most)

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file."""
        written = self._files.write(file, data, new=new)
        if written:
            self.changed.add(file)
        return written

    def remove(self, file: str) -> None:
        """Remove a file."""
        self._files.remove(file)
        self.changed.add(file)
