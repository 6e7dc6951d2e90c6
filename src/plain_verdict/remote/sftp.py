"""Files over SSH, with the host's key checked: fsspec's own takes any key, and so any host for the right one."""

from pathlib import PurePosixPath
from typing import Any

import paramiko
from fsspec.implementations.sftp import SFTPFileSystem
from fsspec.utils import infer_storage_options
from paramiko.sftp import CMD_EXTENDED, CMD_EXTENDED_REPLY

from plain_verdict.runtime.errors import UsageError

_SFTP_TIMEOUT_S = 20.0  # for each answer, not for a whole file


class CheckedSFTP(SFTPFileSystem):  # type: ignore[misc]  # fsspec has no types
    """Refuses hosts whose key is not in ~/.ssh/known_hosts."""

    cachable = False

    @classmethod
    def of(cls, url: str) -> "tuple[CheckedSFTP, str]":
        """Return the file system of an address, and the path there."""
        options: dict[str, Any] = infer_storage_options(url)
        if not options.get("host"):
            raise UsageError("names no host", path=url, hint="write it like sftp://user@host/folder")
        named = {"username": options.get("username"), "port": options.get("port")}
        return cls(options["host"], **{key: value for key, value in named.items() if value}), str(options["path"])

    def _connect(self) -> None:
        self.client = paramiko.SSHClient()
        self.client.load_system_host_keys()
        self.client.set_missing_host_key_policy(paramiko.RejectPolicy())
        self.client.connect(self.host, timeout=_SFTP_TIMEOUT_S, banner_timeout=_SFTP_TIMEOUT_S, **self.ssh_kwargs)
        self.ftp = self.client.open_sftp()

    def makedirs(self, path: str, exist_ok: bool = False, mode: int = 0o777) -> None:  # noqa: FBT001, FBT002  as fsspec has it
        """Make a folder and those above it. Raises FileExistsError for one that is there, unless it may be."""
        if self.exists(path):
            if not exist_ok:
                raise FileExistsError(f"File exists: {path}")
            return
        for folder in (*reversed(PurePosixPath(path).parents), PurePosixPath(path)):
            if not self.exists(str(folder)):
                try:
                    self.ftp.mkdir(str(folder), mode)
                except OSError:
                    # Another run may have made it between the look and the try.
                    if not self.isdir(str(folder)):
                        raise

    def has_room(self, folder: str, size_bytes: int) -> bool:
        """Return whether a file fits into a folder, as far as the server tells: a full disk is just a "Failure".

        Source: OpenSSH, PROTOCOL, section 4.4, extension statvfs@openssh.com: eleven numbers of 64 bits.
        """
        try:
            # Its client has no name for it, only the way by which it asks for the extensions that it knows.
            kind, answer = self.ftp._request(CMD_EXTENDED, "statvfs@openssh.com", folder)  # type: ignore[attr-defined]
        except OSError:
            return True
        if kind != CMD_EXTENDED_REPLY:
            return True
        _, fragment_bytes, _, _, free_fragments, *_ = (answer.get_int64() for _ in range(11))
        return bool(fragment_bytes * free_fragments > size_bytes)

    def move_in(self, part: str, path: str, *, new: bool) -> bool:
        """Move a file to its place at once, over what is there unless it is to be new; return whether it was."""
        if not new:
            self.ftp.posix_rename(part, path)
            return True
        try:
            # Source: draft-ietf-secsh-filexfer-02, section 6.5: it fails where something has the name.
            self.ftp.rename(part, path)
        except OSError:
            if not self.exists(path):
                raise
            self.ftp.remove(part)
            return False
        return True
