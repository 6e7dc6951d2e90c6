"""Checks an attestation: whose signature it has, and whether it is about the report."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from plain_verdict.delivery.attestation.envelope import Envelope, decode_envelope, signed_bytes
from plain_verdict.delivery.attestation.interface import Signers
from plain_verdict.delivery.attestation.keys import check_signature
from plain_verdict.delivery.attestation.statement import Statement, Subject, decode_statement
from plain_verdict.delivery.verification.opened import SUMMARY
from plain_verdict.delivery.verification.pages import Opened
from plain_verdict.runtime.errors import ReadError
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list

_ATTESTATION_BYTES = 200_000_000
_SUBJECT_NAME_CHARS = 200


class AttestationCheck(msgspec.Struct, frozen=True):
    """What became of checking an attestation: who signed it, "" for nobody that counts; its subjects; what differs.

    ``signed``: it has a signature; ``checked``: somebody said whose counts.
    """

    signed: bool
    checked: bool
    by: str
    subjects: tuple[str, ...]
    differences: tuple[str, ...]


def check_attestation_of(
    opened: Opened, file: str, signers: Signers | None, tested: Sequence[Subject] = ()
) -> AttestationCheck:
    """Return whether an attestation is on a report and on what was ``tested``, and whose it is.

    Raises ReadError and UsageError.
    """
    try:
        envelope = decode_envelope(_read(file))
        statement = decode_statement(envelope.payload)
    except ReadError as error:
        raise ReadError(error.what, path=file, hint=error.hint) from error
    by, trouble = _signed_by(envelope, signers)
    subjects = tuple(single_line(subject.name, _SUBJECT_NAME_CHARS) for subject in statement.subject)
    hashes = [subject.digest.get("sha256") for subject in statement.subject]
    not_on = [
        f"The attestation is not on {single_line(subject.name, _SUBJECT_NAME_CHARS)}, as it is here."
        for subject in tested
        if subject.digest["sha256"] not in hashes
    ]
    differences = [*trouble, *_not_on(opened, statement, subjects), *not_on]
    return AttestationCheck(bool(envelope.signatures), signers is not None, by, subjects, tuple(differences))


def _read(file: str) -> bytes:
    try:
        if Path(file).stat().st_size > _ATTESTATION_BYTES:
            raise ReadError("is too large for an attestation", path=file)
        return Path(file).read_bytes()
    except OSError as error:
        raise ReadError(
            f"can't be read ({error.strerror})", path=file, hint="name the file that --attest wrote"
        ) from error


def _signed_by(envelope: Envelope, signers: Signers | None) -> tuple[str, list[str]]:
    """Return who of the signers signed it, and why nobody did."""
    if signers is None:
        return "", []
    if not envelope.signatures:
        return "", ["The attestation is not signed."]
    data = signed_bytes(envelope.payload, envelope.payload_type)
    checks = [check_signature(data, signature, signers) for signature in envelope.signatures]
    by = next((check.by for check in checks if check.by), "")
    return by, [] if by else [f"The signature does not count: {check.trouble}." for check in checks]


def _not_on(opened: Opened, statement: Statement, names: Sequence[str]) -> Sequence[str]:
    """Return how a statement is about something else."""
    judged = statement.predicate.judged
    content = opened.content
    is_same_run = bool(judged and content) and judged == content
    is_named = any(subject.digest.get("sha256") == opened.hash_named for subject in statement.subject)
    if not is_named and not (is_same_run and opened.form == SUMMARY):
        which = "this run, but on other files" if is_same_run else "another report"
        named = join_list(list(names)) or "nothing"
        return [f"The attestation is on {which}: it names {named}, none with the SHA-256 of this one."]
    if judged and not is_same_run:
        return ["The attestation says something else of what was judged than the report does."]
    return []
