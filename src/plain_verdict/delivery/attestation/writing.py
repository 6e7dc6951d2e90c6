"""Writes the attestation of a report, and checks beforehand that it can be written."""

from collections.abc import Sequence
from pathlib import Path

from plain_verdict.delivery.attestation.envelope import encode_envelope, signed_bytes
from plain_verdict.delivery.attestation.keys import signer_of
from plain_verdict.delivery.attestation.statement import encode_statement, make_statement
from plain_verdict.delivery.attestation.subjects import check_subjects, subjects_of
from plain_verdict.report import Report
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.report_tables import ReportTable


def check_attestation(wanted: ReportTable) -> None:
    """Make sure that what is wanted of an attestation can be had: key, subjects. Raises UsageError."""
    if not wanted.attest:
        if wanted.sign_with or wanted.subjects:
            raise UsageError("--sign-with and --subject are for an attestation", hint="give --attest FILE as well")
        return
    check_subjects(wanted.subjects)
    if wanted.sign_with:
        signer_of(wanted.sign_with)


def write_attestation(report: Report, wanted: ReportTable, files: Sequence[Path], link: str) -> Path:
    """Write the attestation of a report that is in these files. Raises DeliveryError where it can't be signed."""
    statement = make_statement(report, tuple(subjects_of(files, wanted.subjects)), link)
    data = encode_statement(statement)
    if wanted.sign_with:
        data = encode_envelope(data, signer_of(wanted.sign_with).sign(signed_bytes(data)))
    path = Path(wanted.attest).absolute()
    write_bytes(path, data + b"\n")
    return path
