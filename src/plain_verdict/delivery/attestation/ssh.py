"""Signs and checks with SSH keys, by OpenSSH's own program.

Source: OpenSSH, PROTOCOL.sshsig (the signature), and ssh-keygen(1), ALLOWED SIGNERS and KEY REVOCATION LISTS.
"""

import re
import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path

from plain_verdict.delivery.attestation.envelope import Signature
from plain_verdict.delivery.attestation.interface import SignatureCheck, Signers, read_keys
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.text.cleaning import single_line

NAMESPACE = "plain-verdict"
"""What a signature is for: one made for something else does not count, and ours not for anything else."""
_PROGRAM = "ssh-keygen"
_LINE_NUMBER = re.compile(r"^\S+:\d+: ")
_SIGNING_S = 120.0  # somebody may have to type a passphrase, or touch a token


class SshSigner:
    """Signs with an SSH key; with a public one, the agent that holds the other does."""

    def __init__(self, key: str) -> None:
        """Raise UsageError where OpenSSH is not installed."""
        self._key = key
        _program()

    def sign(self, data: bytes) -> Signature:
        """Return the signature, armoured as OpenSSH writes it. Raises DeliveryError."""
        done = _run("-Y", "sign", "-n", NAMESPACE, "-f", self._key, data=data)
        if done.returncode:
            hint = "check the key and its passphrase, or let ssh-agent hold it and name the public key"
            raise DeliveryError(f"can't sign ({_message_of(done)})", path=self._key, hint=hint)
        return Signature(done.stdout)


class _SshKeys:
    """SSH keys, by OpenSSH's own program."""

    def signer(self, file: str) -> SshSigner:
        """Return what signs with the key in a file. Raises UsageError where OpenSSH is not installed."""
        return SshSigner(file)

    def check(self, data: bytes, signature: Signature, signers: Signers) -> SignatureCheck:
        """Return who of the allowed signers made a signature, today; or why it does not count."""
        read_keys(signers.allowed)
        with tempfile.TemporaryDirectory(prefix="plain-verdict-") as folder:
            file = Path(folder, "signature")
            file.write_bytes(signature.sig)
            common = ("-f", signers.allowed, "-s", str(file))
            found = _run("-Y", "find-principals", *common)
            names = found.stdout.decode("utf-8", "replace").splitlines()
            if found.returncode or not names:
                return SignatureCheck(trouble=f"no allowed signer made it ({_message_of(found)})")
            checks = [_check_as(name, common, data, signers.revoked) for name in dict.fromkeys(names)]
        return next((check for check in checks if check.by), checks[0])


def _check_as(name: str, common: Sequence[str], data: bytes, revoked: str) -> SignatureCheck:
    """Return what comes of checking a signature as that of one of its key's names."""
    by = single_line(name, 200)
    verify = ("-Y", "verify", "-I", name.partition(",")[0], "-n", NAMESPACE, *common)
    checked = _run(*verify, data=data)
    if checked.returncode:
        return SignatureCheck(trouble=f"it is not one of {by} on this ({_message_of(checked)})")
    if revoked and _run(*verify, "-r", revoked, data=data).returncode:
        read_keys(revoked)
        return SignatureCheck(trouble=f"the key of {by} is revoked")
    return SignatureCheck(by=by)


SSH_KEYS = _SshKeys()


def is_in_list(key: str, revoked: str) -> bool:
    """Return whether a public key, as a line of OpenSSH, stands in a revocation list of ``ssh-keygen -k``."""
    with tempfile.TemporaryDirectory(prefix="plain-verdict-") as folder:
        file = Path(folder, "key.pub")
        file.write_text(key + "\n")
        return _run("-Q", "-f", revoked, str(file)).returncode != 0


def _run(*arguments: str, data: bytes = b"") -> "subprocess.CompletedProcess[bytes]":
    command = [_program(), *arguments]
    try:
        return subprocess.run(command, input=data, capture_output=True, check=False, timeout=_SIGNING_S)  # noqa: S603  OpenSSH's own, found in PATH
    except subprocess.TimeoutExpired:
        return subprocess.CompletedProcess(command, 1, b"", b"it gave no answer in time")


def _program() -> str:
    found = shutil.which(_PROGRAM)
    if found is None:
        hint = "install OpenSSH, or sign with an Ed25519 key in PEM"
        raise UsageError(f"{_PROGRAM} is needed for SSH keys, and is not installed", hint=hint)
    return found


def _message_of(done: "subprocess.CompletedProcess[bytes]") -> str:
    """Return the first line of what the program said, without the name of a file before it."""
    lines = (done.stderr or done.stdout).decode("utf-8", "replace").strip().splitlines()
    first = lines[0] if lines else f"it ended with {done.returncode}"
    return single_line(_LINE_NUMBER.sub("", first).strip(" ."), 200)
