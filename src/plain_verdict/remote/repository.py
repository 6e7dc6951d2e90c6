"""A branch of a git repository, through git itself: one commit, and nothing touched but what is ours."""

import os
import random
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from hashlib import blake2b
from pathlib import Path

from plain_verdict.remote.folder import FolderFiles
from plain_verdict.remote.interface import Files, Found, Result
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.text.addresses import without_password
from plain_verdict.text.cleaning import single_line

_BRANCH = "pages"
_PUSH_TRIES = 6  # other pipelines push to the same branch
_PUSH_PAUSE_S = 0.3  # times the number of the try
_GIT_TIMEOUT_S = 120  # for one command
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

    def do(self, job: Callable[[Files], Result], message: str = "") -> Result:
        """Do a job in a copy of the branch and push it as one commit; again where somebody else was faster."""
        for number in range(_PUSH_TRIES):
            with tempfile.TemporaryDirectory(prefix="plain-verdict-") as name:
                copy = Path(name)
                self._fetch(copy)
                files = _Tracked(copy / self._folder)
                result = job(files)
                if not files.changed or self._push(copy, files.changed, message):
                    return result
            time.sleep(_PUSH_PAUSE_S * (number + random.random()))  # noqa: S311  so that two don't meet again
        raise self._failed("others kept pushing", "try again")

    def _fetch(self, copy: Path) -> None:
        """Make a copy of the branch; of one that is not there yet, an empty one."""
        self._git(copy, "init", "--quiet", "--initial-branch", self._branch)
        self._git(copy, "remote", "add", "origin", self._url)
        there = self._git(copy, "ls-remote", "--heads", "origin", f"refs/heads/{self._branch}").strip()
        if there:
            self._git(copy, "fetch", "--quiet", "--depth", "1", "origin", f"refs/heads/{self._branch}")
            self._git(copy, "-c", "core.symlinks=false", "checkout", "--quiet", "-B", self._branch, "FETCH_HEAD")

    def _push(self, copy: Path, changed: set[str], message: str) -> bool:
        """Commit what was changed and push it; return whether nobody else was faster."""
        below = [f"{self._folder}/{file}" if self._folder else file for file in sorted(changed)]
        (copy / ".git" / "changed").write_text("\0".join(below), "utf-8")
        self._git(copy, "add", "--all", "--force", "--pathspec-from-file=.git/changed", "--pathspec-file-nul")
        if not self._git(copy, "status", "--porcelain", "--untracked-files=no").strip():
            return True
        self._git(copy, "commit", "--quiet", "--no-verify", "--message", message or "Publish a report")
        try:
            self._git(copy, "push", "--quiet", "origin", f"HEAD:refs/heads/{self._branch}")
        except DeliveryError as error:
            if any(words in str(error.__cause__ or error.what).lower() for words in _MOVED):
                return False
            raise
        return True

    def _git(self, copy: Path, *arguments: str) -> str:
        """Run git in the copy and return what it prints. Raises DeliveryError."""
        variables = {
            "GIT_TERMINAL_PROMPT": "0",
            "GIT_ALLOW_PROTOCOL": "file:ssh:https:http",
            "GIT_CEILING_DIRECTORIES": str(copy.parent),
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
            done = subprocess.run(  # noqa: S603  words of our own, and an address that is one of git's four kinds
                command, cwd=copy, env=environment, capture_output=True, check=False, timeout=_GIT_TIMEOUT_S
            )
        except subprocess.TimeoutExpired as error:
            raise self._failed(
                f"git {arguments[0]} took longer than {_GIT_TIMEOUT_S} s", "check the address"
            ) from error
        except OSError as error:
            raise self._failed(f"git can't be run ({error.strerror})", "install git") from error
        if done.returncode:
            raise self._refused(done.stderr.decode("utf-8", "replace"))
        return done.stdout.decode("utf-8", "replace")

    def _refused(self, output: str) -> DeliveryError:
        """Return the error that git's words mean, with them as its cause."""
        lines = [line for line in output.splitlines() if line.startswith(("fatal:", "error:", "remote:", " !"))]
        known = next(((why, hint) for words, why, hint in _GIT_FAILURES if words in output.lower()), None)
        words = without_password(single_line(" ".join(lines[:2]) or output, 200))
        error = self._failed(known[0] if known else words, known[1] if known else "check the address")
        error.__cause__ = RuntimeError(output)
        return error

    def _failed(self, what: str, hint: str) -> DeliveryError:
        return DeliveryError(what, path=self.shown, hint=hint)


class _Tracked:
    """The files of the copy; remembers which were changed."""

    def __init__(self, folder: Path) -> None:
        self._files = FolderFiles(folder)
        self.changed: set[str] = set()

    def find(self) -> list[Found]:
        """Return all files; a copy's own times tell nothing, so their size and content do."""
        return [Found(found.file, self._stamp(found)) for found in self._files.find()]

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
