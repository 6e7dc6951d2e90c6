"""Gathers all evidence of a run: finds it, makes each distinct content once, keeps the page within its budget."""

import os
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from functools import partial
from hashlib import sha256
from pathlib import Path

import msgspec

from plain_verdict.evidence.budget import LEAST_PAGE_BYTES, keep_budget
from plain_verdict.evidence.contents import OurBug, Task
from plain_verdict.evidence.conversion import make_all
from plain_verdict.evidence.finding import claim, may_have, mentioned, templated
from plain_verdict.evidence.picture_sets import Differences
from plain_verdict.evidence.safe_paths import (
    SEARCHABLE,
    files_below,
    find_attached,
    find_mentioned,
    resolve,
    resolve_any,
)
from plain_verdict.evidence.traffic import Traffic
from plain_verdict.evidence.tree import (
    busy_part,
    change_check,
    change_run,
    has_evidence,
    with_busy_part,
)
from plain_verdict.inputs.progress import OnProgress
from plain_verdict.model import BAD, Check, Content, Evidence, ResultFile, Run, Unread, detailed_of, evidence_of
from plain_verdict.model.transform import with_fields
from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.guard import REPORT_IT
from plain_verdict.settings.choices import EvidenceOf
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_size, join_list, plural
from plain_verdict.text.placeholders import placeholders_in

_PLACEHOLDERS = ("check", "suite")
_EVIDENCE_NAME_CHARS = 100
_OF_MANY = {"is": "are", "has": "have", "does": "do", "was": "were"}


class EvidenceOptions(msgspec.Struct, frozen=True):
    """What the user wants of evidence: where to look for it, whose goes in, how large the page may get.

    ``look_in`` are folders, and templates like ``shots/{suite}/{check}*.png``.
    """

    look_in: tuple[str, ...] = ()
    of: EvidenceOf = EvidenceOf.ALL
    page_bytes: int = 25_000_000

    @property
    def folders(self) -> tuple[str, ...]:
        """Return those that are folders."""
        return tuple(os.path.realpath(folder) for folder in self.look_in if "{" not in folder)

    @property
    def templates(self) -> tuple[str, ...]:
        """Return those that are templates."""
        return tuple(template for template in self.look_in if "{" in template)


def check_look_in(options: EvidenceOptions) -> None:
    """Make sure that every folder to look in is there, and that the page may be as large as any is.

    Raises UsageError.
    """
    for folder in options.folders:
        try:
            found = Path(folder).is_dir()
        except OSError:  # a name that is too long
            found = False
        if not found:
            shown = single_line(Path(folder).name, _EVIDENCE_NAME_CHARS)
            raise UsageError("is not a folder to look for evidence in", path=shown, hint="check --evidence")
    for template in options.templates:
        for name in placeholders_in(template):
            if name not in _PLACEHOLDERS:
                raise UsageError(
                    f"{{{name}}} is not a placeholder", path=template, hint="known here: {check} and {suite}"
                )
    if options.page_bytes < LEAST_PAGE_BYTES:
        least = format_size(LEAST_PAGE_BYTES)
        raise UsageError(
            f"a page can't be kept under {format_size(options.page_bytes)}",
            hint=f"write --size-limit {least} or more",
        )


def collect(run: Run, options: EvidenceOptions, limits: Limits, on_progress: OnProgress) -> Run:
    """Return the run with every piece of evidence resolved; ``on_progress`` is given how many of all are made."""
    # Without a folder to look in, only what a check itself has or mentions can be evidence: few of a large run.
    part = run if options.look_in else busy_part(run, may_have)
    collected, resolving, made = _resolved(part, options, limits, on_progress)
    run = collected if options.look_in else with_busy_part(run, part, collected)
    contents = {content.key: content for content in made.values() if not isinstance(content, str)}
    return keep_budget(run, contents, resolving.tasks, made, options.page_bytes)


def _resolved(
    run: Run, options: EvidenceOptions, limits: Limits, on_progress: OnProgress
) -> "tuple[Run, _Resolving, dict[str, Content | str]]":
    whole, notes = _find(run, options)
    part = run = busy_part(whole, has_evidence)
    resolving = _Resolving(run, options, limits)
    traffic = Traffic(resolving.roots, limits)
    run = change_run(run, lambda check, folder: traffic.check(check, folder) if resolving.wants(check) else check)
    notes += traffic.notes
    run = change_run(run, resolving.check)
    differences = Differences(resolving.tasks)
    run = change_run(run, lambda check, _: differences.check(check))
    unclaimed = () if options.of is EvidenceOf.NONE else tuple(map(resolving.unclaimed, run.unclaimed))
    run = with_fields(run, unclaimed=unclaimed)
    made = make_all(resolving.tasks, on_progress)
    settle = partial(_settled, made)
    run = with_busy_part(whole, part, change_run(run, lambda check, _: change_check(check, settle)))
    # A copy of what a check has belongs to it as well.
    taken = {piece.content for check in run.checks.detailed for piece in evidence_of(check) if piece.content}
    loose = tuple(piece for piece in map(settle, run.unclaimed) if piece.content not in taken)
    run = with_fields(run, unclaimed=loose)
    if resolving.left_out:
        notes.append(f"Evidence of {plural(resolving.left_out, 'check')} was left out, as the settings say.")
    notes += _missing(run)
    run = with_fields(
        run,
        left_alone=_still_left_alone(run, resolving),
        evidence_notes=tuple(notes),
        unread=(*run.unread, *_lost(resolving, made)),
    )
    return run, resolving, made


def _settled(made: Mapping[str, Content | str], evidence: Evidence) -> Evidence:
    """Return evidence with what was made of its content, or with why nothing could be made."""
    if not evidence.content:
        return evidence
    content = made[evidence.content]
    if isinstance(content, str):
        return msgspec.structs.replace(evidence, content="", data=b"", unavailable=str(content))
    return msgspec.structs.replace(evidence, content=content.key, data=b"")


def _lost(resolving: "_Resolving", made: Mapping[str, Content | str]) -> Iterator[Unread]:
    for source, content in made.items():
        if isinstance(content, OurBug):
            name = Path(resolving.tasks[source].file).name or "evidence"
            yield Unread(name, f"is evidence that {content}", hint=REPORT_IT)


def _still_left_alone(run: Run, resolving: "_Resolving") -> tuple[Unread, ...]:
    """Return the files that no reader wanted and that are no evidence either."""
    used = {Path(task.file) for task in resolving.tasks.values()}
    return tuple(other for other in run.left_alone if Path(os.path.realpath(other.file)) not in used)


def _missing(run: Run) -> list[str]:
    """Return a note on the evidence that can't be shown, with reasons."""
    reasons = Counter(
        piece.unavailable for check in run.checks.detailed for piece in evidence_of(check) if piece.unavailable
    )
    reasons.update(piece.unavailable for piece in run.unclaimed if piece.unavailable)
    if not reasons:
        return []
    counted = [f"{number:,} {_of_number(trouble, number)}" for trouble, number in sorted(reasons.items())]
    why = join_list(counted, most=5)
    hint = ""
    if any(reason in SEARCHABLE for reason in reasons):
        hint = " Give the folder that holds them with --evidence FOLDER."
    return [f"{plural(reasons.total(), 'piece')} of evidence can't be shown: {why}.{hint}"]


def _of_number(trouble: str, number: int) -> str:
    """Return what is wrong with a number of pieces: troubles begin with a verb for one."""
    verb, _, rest = trouble.partition(" ")
    return f"{_OF_MANY.get(verb, verb)} {rest}" if number > 1 else trouble


class _Resolving:
    """Turns what evidence names into tasks, each source once; its key stands in ``content`` until it is made."""

    def __init__(self, run: Run, options: EvidenceOptions, limits: Limits) -> None:
        self.tasks: dict[str, Task] = {}
        self.left_out = 0
        self._of = options.of
        self._limits = limits
        roots = {file.root for file in run.files if file.root} | set(options.folders)
        roots |= {template.partition("{")[0].rpartition("/")[0] or "." for template in options.templates}
        self.roots = tuple(sorted(os.path.realpath(root) for root in roots))

    def check(self, check: Check, folder: str) -> Check:
        """Return the check with its evidence resolved, or without it where it is not wanted."""
        if self.wants(check):
            return change_check(check, lambda evidence: self._resolved(evidence, folder))
        self.left_out += has_evidence(check)
        return change_check(check, lambda _: None)

    def wants(self, check: Check) -> bool:
        """Return whether the check's evidence goes into the page."""
        return self._of is EvidenceOf.ALL or (self._of is EvidenceOf.FAILED and check.outcome in BAD)

    def unclaimed(self, evidence: Evidence) -> Evidence:
        """Return evidence of no check, resolved."""
        return self._resolved(evidence, "")

    def _resolved(self, evidence: Evidence, folder: str) -> Evidence:
        if evidence.unavailable:
            return evidence
        if evidence.data:
            source = sha256(evidence.data).hexdigest()
            self.tasks[source] = Task("", evidence.data, self._limits)
        else:
            source, trouble = resolve(evidence.path, folder, self.roots)
            if trouble:
                return msgspec.structs.replace(evidence, unavailable=trouble)
            self.tasks[source] = Task(source, b"", self._limits)
        return msgspec.structs.replace(evidence, content=source, data=b"")


class _Finding:
    """Finds evidence for checks in the folders and by the templates that the user named."""

    def __init__(self, run: Run, options: EvidenceOptions) -> None:
        self.notes: list[str] = []
        self._found: dict[str, list[str]] = defaultdict(list)
        self._unclaimed: list[str] = []
        self._folders = options.folders
        # Of a folder that was found in several ways, the widest counts.
        widest_last = sorted((file for file in run.files if file.folder), key=lambda file: -len(file.root))
        self._around = {file.folder: tuple(_folders_around(file)) for file in widest_last}
        self._spoken_for = set(_named_files(run))
        for folder in options.folders:
            self._look_in(folder, run)
        for template in options.templates:
            self._follow(template, run)

    def _look_in(self, folder: str, run: Run) -> None:
        files = [file for file in files_below(folder) if file not in self._spoken_for]
        if not files:
            self.notes.append(f"The folder “{Path(folder).name}” holds no evidence.")
        claims = claim(files, folder, run.checks)
        for id_, paths_of_check in claims.owned.items():
            self._found[id_] += paths_of_check
        self._unclaimed += claims.unclaimed + claims.ambiguous
        if claims.ambiguous:
            names = join_list([Path(file).name for file in claims.ambiguous])
            number = plural(len(claims.ambiguous), "file")
            self.notes.append(f"{number} could belong to several checks: {names}.")

    def _follow(self, template: str, run: Run) -> None:
        meant = templated(template, run.checks)
        if not any(meant.values()):
            self.notes.append(f"The template “{template}” matched no file.")
        for id_, files in meant.items():
            self._found[id_] += map(os.path.realpath, files)

    def attach(self, check: Check, folder: str) -> Check:
        """Return the check with what was found for it, and what its own words name; ``folder`` is its file's."""
        more = [Evidence(Path(file).name, file) for file in dict.fromkeys(self._found.get(check.id, ()))]
        bases = (*self._around[folder], *self._folders) if folder else self._folders
        for evidence in self._named(check, bases):
            if evidence.unavailable or all(evidence.path != other.path for other in more):
                more.append(evidence)
        if not more:
            return check
        last = msgspec.structs.replace(check.last, evidence=(*check.last.evidence, *more))
        return msgspec.structs.replace(check, attempts=(*check.attempts[:-1], last))

    def _named(self, check: Check, bases: tuple[str, ...]) -> Iterator[Evidence]:
        """Yield what the texts of a check name: what was found, and what they attach and is not there."""
        for evidence, is_explicit in mentioned(check):
            real, trouble = (find_attached if is_explicit else find_mentioned)(evidence.path, bases)
            if real and real not in self._spoken_for:
                yield msgspec.structs.replace(evidence, path=real)
            elif is_explicit and not real:
                yield msgspec.structs.replace(evidence, unavailable=evidence.unavailable or trouble)

    def loose(self, run: Run) -> tuple[Evidence, ...]:
        """Return what was found and belongs to no check of the run."""
        taken = {evidence.path for check in run.checks.detailed for evidence in evidence_of(check)}
        return tuple(Evidence(Path(file).name, file) for file in self._unclaimed if file not in taken)


def _folders_around(file: ResultFile) -> Iterator[str]:
    """Yield the real folder of a result file, then those around it up to the one that the user named."""
    root, folder = Path(os.path.realpath(file.root)), Path(os.path.realpath(file.folder))
    yield str(folder)
    yield from (str(parent) for parent in folder.parents if parent.is_relative_to(root))


def _named_files(run: Run) -> Iterator[str]:
    """Yield the real paths of the result files, and of what they name as evidence themselves."""
    for file in run.files:
        yield resolve_any(file.folder, Path(file.path).name)
        for check in detailed_of(file.checks):
            yield from (resolve_any(file.folder, evidence.path) for evidence in evidence_of(check))


def _find(run: Run, options: EvidenceOptions) -> tuple[Run, list[str]]:
    """Return the run with the evidence that is found for its checks, and notes on what is not clear."""
    finding = _Finding(run, options)
    run = change_run(run, finding.attach)
    return with_fields(run, unclaimed=finding.loose(run)), finding.notes
