"""Opens a report in any of its forms, to verify it: a page, a PDF report, a mail, the summary as JSON."""

import io
from email import message_from_bytes, policy
from hashlib import sha256
from pathlib import Path

import msgspec

from plain_verdict.delivery.verification.pages import (
    FORMS_HINT,
    REPORT_BYTES,
    Opened,
    decode_judged,
    is_page_data,
    open_folder,
    open_packed,
    open_page,
    unzipped,
)
from plain_verdict.model.marks import FIRST_PAGE, SUMMARY_FILE, SUMS_FILE
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.packages import require

SUMMARY = "summary"
"""The form of the run as JSON."""
_NO_REPORT = "is not a report of this program"
_NESTED = 2  # a zip file in a mail
_PATIENCE_BASE_S, _BYTES_A_S = 20.0, 1_000_000
_DAMAGE_CHARS = 100


def open_report(path: Path) -> Opened:
    """Return a report in whatever form it is. Raises ReadError where it is none."""
    if path.name == FIRST_PAGE and path.with_name(SUMS_FILE).is_file():
        path = path.parent
    try:
        if path.is_dir():
            return open_folder(path)
        if path.stat().st_size > REPORT_BYTES:
            raise ReadError("is too large for a report", hint=FORMS_HINT)
        data = path.read_bytes()
        with guarded(str(path), _PATIENCE_BASE_S + len(data) / _BYTES_A_S):
            return _open(data, _NESTED)
    except OSError as error:
        what = "does not exist" if isinstance(error, FileNotFoundError) else f"can't be read ({error.strerror})"
        raise ReadError(what, path=str(path), hint=FORMS_HINT) from error
    except ReadError as error:
        raise ReadError(error.what, path=str(path), hint=error.hint) from error


def _open(data: bytes, depth: int) -> Opened:
    if data.startswith(b"%PDF-"):
        return _open_pdf(data)
    if data.startswith(b"{"):
        return _open_summary(data)
    is_zip = data.startswith(b"PK\x03\x04")
    if is_page_data(data) and not is_zip:
        return open_page(data)
    if not depth:
        raise ReadError(_NO_REPORT, hint=FORMS_HINT)
    return (_open_zip if is_zip else _open_mail)(data, depth - 1)


def _open_zip(data: bytes, depth: int) -> Opened:
    files = unzipped(data)
    if len(files) > 1:
        return open_packed(files)
    inner = _open(next(iter(files.values()), b""), depth)
    return msgspec.structs.replace(inner, form=f"{inner.form} in a zip file")


def _open_mail(data: bytes, depth: int) -> Opened:
    """Return the report that is attached to a mail."""
    message = message_from_bytes(data, policy=policy.default)
    for part in message.iter_attachments() if message.is_multipart() else ():
        content = part.get_payload(decode=True)
        if isinstance(content, bytes) and content:
            opened = _open(content, depth)
            covers = f"{opened.covers}, as it is attached, not the mail's own text"
            return msgspec.structs.replace(opened, form=f"{opened.form} in a mail", covers=covers)
    raise ReadError(f"{_NO_REPORT}, nor a mail with one attached", hint=FORMS_HINT)


def _open_pdf(data: bytes) -> Opened:
    """Return the summary that is attached to a PDF report."""
    require("pypdf", "verifying a PDF report", "pdf")
    from pypdf import PdfReader  # an extra, for this form

    try:
        attached = PdfReader(io.BytesIO(data)).attachments.get(SUMMARY_FILE) or []
    except Exception as error:
        # It raises what it likes at damaged files.
        what = single_line(str(error), _DAMAGE_CHARS) or type(error).__name__
        raise ReadError(f"is a PDF that can't be read ({what})", hint="get it again") from error
    if not attached:
        raise ReadError("has no summary attached", hint="make it again with --pdf, or name the HTML page")
    opened = _open_summary(attached[0])
    covers = "its attached summary, not its pages"
    return msgspec.structs.replace(opened, form="PDF report", hash_named=sha256(data).hexdigest(), covers=covers)


class _Summary(msgspec.Struct):
    schema: str = ""
    verdict: str = ""
    sentence: str = ""
    judged: msgspec.Raw = msgspec.Raw()
    fingerprint: str = ""


def _open_summary(data: bytes) -> Opened:
    try:
        summary = msgspec.json.decode(data, type=_Summary)
    except msgspec.MsgspecError as error:
        raise ReadError(_NO_REPORT, hint=FORMS_HINT) from error
    if not summary.schema.startswith("plain-verdict/summary/"):
        raise ReadError(_NO_REPORT, hint=FORMS_HINT)
    if not bytes(summary.judged):
        raise ReadError("was made by a version that wrote no fingerprint", hint="make it again")
    content = decode_judged(summary.judged)
    damage = []
    if content.fingerprint != summary.fingerprint:
        damage.append("It was changed after it was written: what was judged does not give its fingerprint.")
    if (content.verdict.value, content.sentence) != (summary.verdict, summary.sentence):
        damage.append("It was changed after it was written: it has two verdicts.")
    covers = "its verdict, and what was judged"
    return Opened(SUMMARY, sha256(data).hexdigest(), covers, content, tuple(damage))
