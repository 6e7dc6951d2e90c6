"""An object store, or another place that fsspec reaches: s3://bucket/folder, sftp://host/folder.

Who one is, the library of each kind tells by its own ways: environment variables, files at home, agents.
"""

import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime
from typing import Any

from plain_verdict.remote.interface import Files, Found, Result
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.runtime.patience import Patience
from plain_verdict.text.addresses import refuse_password, without_password
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.media_types import served_as
from plain_verdict.text.packages import install_command, quiet_libraries, require

_WHO, _KEYS = "check the library's own variables and files", "check ~/.ssh/known_hosts"
_NO_SPACE = "no space is left there", "free some space"
_STORE_FAILURES = (
    (("NoCredentials", "Unable to locate credentials"), "no credentials found", _WHO),
    (("AccessDenied", "Forbidden", "(403)"), "access is forbidden", "check the permissions there"),
    (("NoSuchBucket", "bucket does not exist"), "there is no such bucket", "create it, or check the address"),
    (("InvalidAccessKeyId", "SignatureDoesNotMatch", "Authentication"), "it rejects the credentials", _WHO),
    (("known_hosts", "BadHostKey", "Host key for server"), "the host's key is not known, or another one", _KEYS),
    (
        ("EndpointConnection", "Connect call failed", "Errno 111", "Unable to connect"),
        "no connection",
        "check the address",
    ),
    (("No space left",), *_NO_SPACE),
)
_SFTP = ("sftp", "ssh")


class StoreDestination:
    """A folder of a store."""

    def __init__(self, text: str) -> None:
        refuse_password(text, hint="credentials come from the library's own variables and files")
        self._url = text.rstrip("/")
        self._scheme = text.partition("://")[0]

    @property
    def shown(self) -> str:
        """Return its address."""
        return f"{self._url}/"

    @property
    def address(self) -> str:
        """Return nothing: where a store shows its files to browsers is its own affair."""
        return ""

    def name(self, file: str) -> str:
        """Return the address of a file."""
        return f"{self._url}/{file}"

    def check(self) -> None:
        """Make sure that fsspec, and what it needs for this kind of place, is installed. Raises UsageError."""
        require("fsspec", "it", "remote", path=self.shown)
        import fsspec  # an extra, for stores only

        quiet_libraries()
        try:
            fsspec.get_filesystem_class(self._scheme)
        except ValueError as error:
            hint = "use a folder, or an address with git+ssh://, https://, s3:// or sftp://"
            raise UsageError(f"{self._scheme}:// is not a supported scheme", path=self.shown, hint=hint) from error
        except ImportError as error:
            hint = f"{install_command('remote')}; other stores than s3 and sftp need fsspec's own packages"
            raise UsageError(f"{single_line(str(error), 120)}", path=self.shown, hint=hint) from error

    def do(self, job: Callable[[Files], Result], message: str, patience: Patience) -> Result:  # noqa: ARG002  no messages are kept, and no programs started
        """Do a job."""
        with _as_delivery_errors(self.shown):
            system, root = self._open()
        return job(StoreFiles(system, root, self._scheme, self.shown))

    def _open(self) -> tuple[Any, str]:
        import fsspec  # an extra, for stores only

        if self._scheme in _SFTP:
            from plain_verdict.remote.sftp import CheckedSFTP  # paramiko, for such places

            return CheckedSFTP.of(self._url)
        system, root = fsspec.core.url_to_fs(self._url, use_listings_cache=False, skip_instance_cache=True)
        return system, str(root)


class StoreFiles:
    """The files of a folder of a store."""

    def __init__(self, system: Any, root: str, scheme: str, shown: str) -> None:
        self._system = system
        self._root = root.rstrip("/")
        self._scheme = scheme
        self._shown = shown

    def find(self) -> list[Found]:
        """Return all files."""
        with _as_delivery_errors(self._shown):
            self._system.invalidate_cache()
            try:
                found = self._system.find(self._root, detail=True)
            except FileNotFoundError:
                return []
        below = len(self._root) + 1
        named = ((path[below:], about) for path, about in sorted(found.items()))
        return [
            Found(name, _stamp(about), _written_s(about), int(about.get("size") or 0))
            for name, about in named
            if not _is_hidden(name)
        ]

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file, or its beginning."""
        with _as_delivery_errors(self._shown):
            try:
                return bytes(self._system.cat_file(self._at(file), start=0 if most else None, end=most))
            except FileNotFoundError:
                return None

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file: a store takes it whole; elsewhere it is moved in when it is."""
        path = self._at(file)
        with _as_delivery_errors(self._shown):
            if new and self._system.exists(path):
                return False
            if self._scheme == "s3":
                self._system.pipe_file(path, data, ContentType=served_as(file))
                return True
            return self._move_in(path, data, new=new)

    def _move_in(self, path: str, data: bytes, *, new: bool) -> bool:
        """Write a file beside its place and move it in; nothing of it stays where that fails."""
        folder, _, name = path.rpartition("/")
        part = f"{folder}/.{name}.{secrets.token_hex(4)}.part"
        self._system.makedirs(folder, exist_ok=True)
        try:
            self._system.pipe_file(part, data)
            if self._scheme in _SFTP:
                return bool(self._system.move_in(part, path, new=new))
            self._system.mv(part, path)
        except BaseException as error:
            with suppress(Exception):  # what went wrong first is what is told
                self._system.rm_file(part)
            if (
                self._scheme in _SFTP
                and isinstance(error, OSError)
                and not self._system.has_room(folder, len(data))
            ):
                what, hint = _NO_SPACE
                raise DeliveryError(what, path=self._shown, hint=hint) from error
            raise
        return True

    def remove(self, file: str) -> None:
        """Remove a file."""
        with _as_delivery_errors(self._shown):
            try:
                self._system.rm_file(self._at(file))
            except FileNotFoundError:
                return

    def _at(self, file: str) -> str:
        return f"{self._root}/{file}"


def _is_hidden(name: str) -> bool:
    return any(part.startswith(".") for part in name.split("/"))


def _stamp(about: dict[str, Any]) -> str:
    """Return when a file was changed, its size and its tag, as far as the store tells them."""
    return f"{_written_s(about):020.3f} {about.get('size', '')} {about.get('ETag', '')}".strip()


def _written_s(about: dict[str, Any]) -> float:
    when = about.get("LastModified") or about.get("mtime") or about.get("modified") or 0
    return when.timestamp() if isinstance(when, datetime) else float(when)


@contextmanager
def _as_delivery_errors(shown: str) -> Iterator[None]:
    """Tell what any library of a store raises as one line of ours."""
    try:
        yield
    except DeliveryError:
        raise
    except Exception as error:  # each store has its own errors
        reason = f"{type(error).__name__}: {error}"
        for words, what, hint in _STORE_FAILURES:
            if any(word in reason for word in words):
                raise DeliveryError(what, path=shown, hint=hint) from error
        what = without_password(single_line(reason, 200))
        raise DeliveryError(what, path=shown, hint="check the address and your credentials") from error
