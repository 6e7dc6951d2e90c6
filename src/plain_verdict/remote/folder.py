"""A folder, or a share that is mounted as one."""

import os
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from plain_verdict.remote.interface import Files, Found, Result
from plain_verdict.runtime.atomic_files import lock_folder, write_bytes, write_new
from plain_verdict.runtime.errors import DeliveryError, WriteError
from plain_verdict.runtime.patience import Patience


class FolderFiles:
    """The files of a folder; what is hidden, and links to elsewhere, are passed over."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def find(self) -> list[Found]:
        """Return all files."""
        return list(self._walk())

    def _walk(self) -> Iterator[Found]:
        for parent, folders, names in os.walk(self._folder):
            folders[:] = sorted(name for name in folders if not name.startswith("."))
            for name in sorted(names):
                path = Path(parent, name)
                if not name.startswith(".") and not path.is_symlink():
                    with suppress(OSError):
                        about = path.stat()
                        file = path.relative_to(self._folder).as_posix()
                        yield Found(
                            file, f"{about.st_mtime_ns:020d} {about.st_size}", about.st_mtime, about.st_size
                        )

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file."""
        try:
            with self._at(file).open("rb") as opened:
                return opened.read(-1 if most is None else most)
        except FileNotFoundError:
            return None
        except OSError as error:
            raise self._failed(file, "read", error) from error

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file beside its place and move it in."""
        path = self._at(file)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            if new:
                return write_new(path, data)
            write_bytes(path, data)
        except WriteError as error:
            raise DeliveryError(error.what, path=str(path), hint=error.hint) from error
        except OSError as error:
            raise self._failed(file, "written", error) from error
        return True

    def remove(self, file: str) -> None:
        """Remove a file, and folders that are empty without it."""
        path = self._at(file)
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise self._failed(file, "removed", error) from error
        for folder in path.parents:
            if folder == self._folder or not folder.is_relative_to(self._folder):
                break
            with suppress(OSError):
                folder.rmdir()

    def _at(self, file: str) -> Path:
        """Return where a file is. Raises DeliveryError where a link leads out of the folder."""
        path = self._folder / file
        folder, root = os.path.realpath(path.parent), os.path.realpath(self._folder)
        if path.is_symlink() or not Path(folder).is_relative_to(root):
            hint = "remove the link, or publish to where it leads"
            raise DeliveryError("is behind a link, which is not followed", path=str(path), hint=hint)
        return path

    def _failed(self, file: str, what: str, error: OSError) -> DeliveryError:
        hint = "check its permissions and the free space"
        return DeliveryError(f"can't be {what} ({error.strerror})", path=str(self._folder / file), hint=hint)


class FolderDestination:
    """A folder, which is made where it is not there."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @property
    def shown(self) -> str:
        """Return its path."""
        return str(self._folder)

    @property
    def address(self) -> str:
        """Return nothing: a path of this machine is not an address for others."""
        return ""

    def name(self, file: str) -> str:
        """Return a file's path."""
        return str(self._folder / file)

    def check(self) -> None:
        """Nothing is needed."""

    def do(self, job: Callable[[Files], Result], message: str, patience: Patience) -> Result:  # noqa: ARG002  no messages are kept, and no programs started
        """Do a job while no other run of this tool does one there."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise DeliveryError(
                f"can't be made ({error.strerror})", path=self.shown, hint="name another"
            ) from error
        with lock_folder(self._folder):
            return job(FolderFiles(self._folder))
