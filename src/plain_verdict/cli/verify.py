"""``plain-verdict verify``: whether a report is as it was written, and whether its results give it again."""

import argparse
import os
from collections.abc import Iterator, Sequence
from datetime import datetime
from enum import StrEnum
from pathlib import Path

import msgspec

from plain_verdict import __version__
from plain_verdict.cli.common import DIFFERS, DONE, NOTHING_READ, add_debug
from plain_verdict.cli.options import (
    add_arrivals,
    add_config,
    add_history,
    add_how_read,
    add_masking,
    read_request_at,
)
from plain_verdict.cli.show import show_trouble
from plain_verdict.cli.terminal import Progress, show, show_document, show_error, show_labelled
from plain_verdict.delivery.attestation.interface import Signers
from plain_verdict.delivery.attestation.subjects import check_subjects, subjects_of
from plain_verdict.delivery.verification.differences import (
    Comparison,
    compare_inputs,
    compare_judgement,
    compare_settings,
)
from plain_verdict.delivery.verification.opened import open_report
from plain_verdict.delivery.verification.pages import Opened
from plain_verdict.delivery.verification.signed import AttestationCheck, check_attestation_of
from plain_verdict.model import Fact
from plain_verdict.model.judged_content import JudgedContent
from plain_verdict.pipeline import read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.request.fingerprint import settings_fingerprint
from plain_verdict.runtime.errors import ReadError, UsageError
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_day, format_time_of_day, join_list, plural

VERIFICATION_SCHEMA = "plain-verdict/verification/1"
_REPORT_TEXT_CHARS = 1_000  # of a text in a report


class ReportContent(msgspec.Struct, frozen=True):
    """What a report says of itself: its verdict, when and by which version it was made, how many inputs it had."""

    verdict: str
    sentence: str
    made: datetime
    version: str
    fingerprint: str
    inputs: int


class SignatureState(StrEnum):
    """What is known of a signature."""

    COUNTS = "counts"
    DOES_NOT_COUNT = "does not count"
    NOT_CHECKED = "not checked"
    MISSING = "missing"


class Attested(msgspec.Struct, frozen=True):
    """What became of an attestation; ``signed_by`` is null unless its signature counts.

    ``matches``: nothing that was checked differs. That says nothing of a signature that was not checked.
    """

    matches: bool
    signature: SignatureState
    signed_by: str | None
    subjects: tuple[str, ...]


class JudgedAgain(msgspec.Struct, frozen=True):
    """What became of judging the results again: how many are inputs of the report, and whether all is the same."""

    same: bool
    same_inputs: int


class Verification(msgspec.Struct, frozen=True):
    """What became of verifying a report.

    ``whole``: its bytes are as they were written, as far as ``checked`` says. What was not asked for is null, and
    the content of a report that can't be read.
    """

    schema: str
    version: str
    verified: bool
    report: str
    form: str
    whole: bool
    checked: str
    sha256: str
    content: ReportContent | None
    attestation: Attested | None
    judged_again: JudgedAgain | None
    differences: tuple[str, ...]
    notes: tuple[str, ...]


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("page", metavar="REPORT", help="the page, its folder or zip file, the PDF, mail or summary")
    parser.add_argument(
        "results",
        nargs="*",
        metavar="RESULTS",
        help="the results that it was made of: they are judged again, with the settings and options given here",
    )
    parser.add_argument("--attestation", metavar="FILE", help="what --attest wrote: it must be on this report")
    parser.add_argument(
        "--subject",
        action="append",
        default=[],
        metavar="SUBJECT",
        help="what was tested, a file or NAME=sha256:HASH: the attestation must be on it as well; repeat for more",
    )
    parser.add_argument(
        "--allowed-signers",
        metavar="FILE",
        help="whose signature the attestation must have: lines as for ssh-keygen, or public keys in PEM",
    )
    parser.add_argument(
        "--revoked-keys", metavar="FILE", help="keys whose signatures no longer count: a list, or one of ssh-keygen"
    )
    add_how_read(parser)
    add_config(parser)
    add_masking(parser)
    add_arrivals(parser)
    add_history(parser)
    parser.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Print whether the report is whole, whose it is, and whether its results give it again."""
    _check_options(options)
    try:
        opened = open_report(Path(options.page))
        attested = _check_attestation(opened, options)
    except ReadError as error:
        show_error(error)
        return NOTHING_READ
    compared = _compared(opened, options) if options.results else None
    found = _verification(options.page, opened, attested, compared)
    if options.json:
        show_document(msgspec.json.format(msgspec.json.encode(found), indent=2).decode())
    else:
        _show(found)
    return DONE if found.verified else DIFFERS


def _check_options(options: argparse.Namespace) -> None:
    check_subjects(options.subject)
    for option, wanted in (
        ("--allowed-signers", "--attestation"),
        ("--subject", "--attestation"),
        ("--revoked-keys", "--allowed-signers"),
    ):
        given, needed = (getattr(options, name.strip("-").replace("-", "_")) for name in (option, wanted))
        if given and not needed:
            raise UsageError(f"{option} is for {wanted}, which is not given", hint=f"give {wanted} FILE as well")


def _check_attestation(opened: Opened, options: argparse.Namespace) -> AttestationCheck | None:
    if not options.attestation:
        return None
    allowed, revoked = options.allowed_signers, options.revoked_keys or ""
    signers = Signers(allowed, revoked) if allowed else None
    return check_attestation_of(opened, options.attestation, signers, tuple(subjects_of((), options.subject)))


def _judged_again(then: JudgedContent, options: argparse.Namespace) -> Report:
    """Return the report on the results, judged as if it were the day of the page."""
    # The page's moment counts, not one that is fixed for this job.
    environment = {name: value for name, value in os.environ.items() if name != "SOURCE_DATE_EPOCH"}
    request = read_request_at(options, environment, then.made)
    facts = tuple(Fact(key, value) for key, value in then.facts.items())
    # By title and facts its series is found again.
    request = msgspec.structs.replace(request, made=then.made, title=then.title, facts=facts)
    for note in request.notes:
        show_labelled("note", note)
    run, verdict = read_and_judge(request, Progress)
    show_trouble(run, verdict, notes=False)
    info = PageInfo(then.made, then.title, facts=facts, settings=settings_fingerprint(request))
    return Report(run, verdict, info)


def _compared(opened: Opened, options: argparse.Namespace) -> Comparison | None:
    """Return how the results differ from a report, judged again; None where it does not say what was judged."""
    then = opened.content
    if then is None:
        return None
    again = _judged_again(then, options)
    inputs, settings = compare_inputs(then, again.judged), compare_settings(then, again.judged)
    judgement = compare_judgement(then, again.judged, (opened.find_run(), again.kept))
    parts = [inputs, settings, judgement]
    if judgement.differences and inputs.notes and not inputs.differences:
        # Suites of some formats, and what distinguishes checks of one name, come from names of files.
        hint = "Checks can be named after their files: give the results under the names that the report has."
        parts.append(Comparison((), (hint,)))
    return Comparison(
        tuple(line for part in parts for line in part.differences),
        tuple(line for part in parts for line in part.notes),
        inputs.same_inputs,
    )


def _verification(
    name: str, opened: Opened, attested: AttestationCheck | None, compared: Comparison | None
) -> Verification:
    differences = (
        *opened.damage,
        *(attested.differences if attested else ()),
        *(compared.differences if compared else ()),
    )
    return Verification(
        schema=VERIFICATION_SCHEMA,
        version=__version__,
        verified=not differences,
        report=name,
        form=opened.form,
        whole=not opened.damage,
        checked=opened.covers,
        sha256=opened.hash_named,
        content=_content(opened.content) if opened.content else None,
        attestation=_attested(attested) if attested else None,
        judged_again=JudgedAgain(not compared.differences, compared.same_inputs) if compared else None,
        differences=_in_lines(differences),
        notes=_in_lines(compared.notes) if compared else (),
    )


def _in_lines(texts: Sequence[str]) -> tuple[str, ...]:
    return tuple(single_line(text, _REPORT_TEXT_CHARS) for text in texts)


def _attested(check: AttestationCheck) -> Attested:
    if not check.signed:
        state = SignatureState.MISSING
    elif not check.checked:
        state = SignatureState.NOT_CHECKED
    else:
        state = SignatureState.COUNTS if check.by else SignatureState.DOES_NOT_COUNT
    return Attested(not check.differences, state, check.by or None, check.subjects)


def _content(judged: JudgedContent) -> ReportContent:
    sentence, version = (single_line(text, _REPORT_TEXT_CHARS) for text in (judged.sentence, judged.version))
    inputs = len(judged.inputs)
    return ReportContent(judged.verdict.value, sentence, judged.made, version, judged.fingerprint, inputs)


def _lines(found: Verification) -> Iterator[str]:
    """Yield what was found, and which check says it."""
    state = "as it was written" if found.whole else "not as it was written"
    yield f"The {found.form} is {state}. Checked: {found.checked}."
    content, again = found.content, found.judged_again
    if content:
        made = content.made
        yield f"  {content.sentence}"
        yield f"  made on {format_day(made)} at {format_time_of_day(made)} by Plain Verdict {content.version}"
        yield f"  fingerprint {content.fingerprint}"
    yield _on_signature(found.attestation)
    if content and again:
        yield f"Of the {plural(content.inputs, 'result file')} it was made of, {again.same_inputs:,} are here."
        yield (
            "Judged again, they give the same verdict, counts and outcomes."
            if again.same
            else "Judged again, they do not give the same."
        )


_UNSIGNED = {
    SignatureState.DOES_NOT_COUNT: "has no signature that counts",
    SignatureState.NOT_CHECKED: "is signed, but whose signature counts was not told (--allowed-signers)",
    SignatureState.MISSING: "is not signed",
}


def _on_signature(attested: Attested | None) -> str:
    """Return which of the two was checked: a signature, or only that nothing was changed by accident."""
    unsigned = "this shows accidents, not malice, as whoever changes a report can write its checksum anew"
    if attested is None:
        return f"No signature was checked: {unsigned}."
    on = f"It is on {join_list(list(attested.subjects)) or 'nothing'}"
    if attested.signed_by:
        return f"Signed by {attested.signed_by}. {on}."
    return f"The attestation {_UNSIGNED[attested.signature]}: {unsigned}. {on}."


def _show(found: Verification) -> None:
    for line in _lines(found):
        show(line)
    for note in found.notes:
        show_labelled("note", note)
    for difference in found.differences:
        show(f"- {difference}", "failed")
