"""The whole way, in named steps: inputs, readers, merging, evidence, masking, judging, report, writers, delivery.

Nothing here parses arguments, prints, or looks at the clock; whoever calls it says what time it is.
"""

import os
from collections.abc import Collection, Iterable, Iterator
from contextlib import AbstractContextManager, nullcontext
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.api import with_calls
from plain_verdict.evidence import collect
from plain_verdict.evidence.traffic import without_archives_of, without_kept_archives
from plain_verdict.extension.loading import find_named
from plain_verdict.history.finding import HistoryOptions, RunNames, find_in_series
from plain_verdict.history.stores import OpenStore, open_store
from plain_verdict.inputs.codeowners import find_code_owners
from plain_verdict.inputs.commits import CommitLog
from plain_verdict.inputs.completeness import check_completeness
from plain_verdict.inputs.discovery import discover
from plain_verdict.inputs.facts import repository_facts
from plain_verdict.inputs.progress import OnStep, no_progress
from plain_verdict.inputs.repository import find_root
from plain_verdict.inputs.source import Source
from plain_verdict.inputs.source_files import SourceFiles
from plain_verdict.judging import judge
from plain_verdict.judging.accepted_levels import with_accepted_levels
from plain_verdict.judging.commits import WorkingCopy, with_commits
from plain_verdict.judging.owners import with_owners
from plain_verdict.judging.severity_rules import with_severities
from plain_verdict.judging.targets import with_targets
from plain_verdict.load.sums import baseline_notes, with_sums, with_sums_compared
from plain_verdict.masking import Masker, mask_run
from plain_verdict.merging import merge
from plain_verdict.merging.time_zones import in_zone
from plain_verdict.model import Check, Kind, Masked, Run, Unread, Verdict
from plain_verdict.model.facts import COMMIT
from plain_verdict.model.transform import Change, transform, with_fields
from plain_verdict.readers.reading import read_all
from plain_verdict.report import PageInfo, Report
from plain_verdict.report.extension_sections import build_sections
from plain_verdict.report.overview import title_of
from plain_verdict.request import ReadOptions, ReadRequest, Request
from plain_verdict.request.fingerprint import settings_fingerprint
from plain_verdict.runtime.errors import HistoryError, ReadError
from plain_verdict.text.cleaning import plain
from plain_verdict.writers import OutputFile, Writer, writer_named

if TYPE_CHECKING:
    from plain_verdict.api.document import ApiDocument
    from plain_verdict.remote.fetching import Fetched

_RELOAD_S = 3  # between two looks of a page that is watched
Paths = str | os.PathLike[str] | Iterable[str | os.PathLike[str]]
"""A file, folder or pattern, or several."""


def read(paths: Paths, options: ReadOptions | None = None, on_step: OnStep = no_progress) -> Run:
    """Return the run that files, folders and patterns make up: merged, with its evidence, and masked.

    What can't be read is in ``Run.unread``. Raises UsageError for options that make no sense.
    """
    options = options or ReadOptions()
    arguments = (paths,) if isinstance(paths, str | os.PathLike) else paths
    document, document_notes = read_api_document(options.api_document)
    groups = [[os.fspath(path) for path in arguments], *map(list, options.retries)]
    with _all_local(groups, on_step, leave=bool(options.engine)) as local:
        found = discover(local.arguments[0], local.arguments[1:], options.kinds, local.shown)
        with on_step("Reading") as on_progress:
            folders = options.evidence.folders if options.evidence else options.evidence_folders
            sources = without_archives_of(tuple(map(local.source, found.sources)), folders)
            with options.samples() as samples:
                run = read_all(
                    sources,
                    options.limits,
                    on_progress,
                    options.formats,
                    samples,
                    newer_than=options.expected.newer_than,
                )
        local.fetch_unread({file.path for file in run.files})
        run = with_fields(run, unread=(*local.unread, *found.unread, *run.unread))
        run = merge(check_completeness(without_kept_archives(run), options.expected), options.variants)
        run = with_load(run, options, on_step)
        if options.evidence and run.files:
            with on_step("Evidence") as on_progress:
                run = collect(run, options.evidence, options.limits, on_progress)
        run = with_severities(_with_requirements(run, options), options.severities)
        run = mask_run(in_zone(run, options.zone), Masker(options.masking))
        return with_targets(with_calls(run, document, document_notes), options.targets)


class _Local(msgspec.Struct, frozen=True):
    """Arguments that are all paths of this machine already."""

    arguments: list[list[str]]
    shown: dict[str, str] = {}
    unread: tuple[Unread, ...] = ()

    def fetch_unread(self, read: Collection[str]) -> None:
        """Do nothing: all is there."""

    @staticmethod
    def source(source: Source) -> Source:
        """Return a source as it is."""
        return source


def _all_local(
    arguments: list[list[str]], on_step: OnStep, *, leave: bool
) -> "AbstractContextManager[_Local | Fetched]":
    """Give the arguments with what is elsewhere fetched."""
    if not any("://" in argument for group in arguments for argument in group):
        return nullcontext(_Local(arguments))
    from plain_verdict.remote.fetching import fetched  # for results that are elsewhere

    return fetched(arguments, on_step, leave=leave)


def _with_requirements(run: Run, options: ReadOptions) -> Run:
    if not options.requirements:
        return run
    from plain_verdict.requirements import matching, reading  # for runs that have some

    read = reading.read_requirements(options.requirements)
    return matching.with_requirements(run, read, options.requirement_pattern)


def with_load(run: Run, options: ReadOptions, on_step: OnStep = no_progress) -> Run:
    """Return the run with the numbers of its load results, compared with those of an earlier run that is named."""
    run = with_sums(run)
    has_samples = _has_samples(run)
    if not options.baseline:
        return _with_numbers(run) if has_samples else run
    if not has_samples and not run.reported:
        return with_fields(run, baseline_notes=tuple(baseline_notes(run, None)))
    earlier = _earlier(options, on_step)
    if has_samples:
        from plain_verdict.load.run import with_comparison  # NumPy, for load results only

        run, earlier = with_comparison(run, earlier, options.noise_threshold)
    elif _has_samples(earlier):
        earlier = _with_numbers(earlier)
    run = with_sums_compared(run, earlier)
    return with_fields(run, baseline_notes=tuple(baseline_notes(run, earlier)))


def _has_samples(run: Run) -> bool:
    return any(payload.kind is Kind.LOAD for file in run.files for payload in file.payloads)


def _with_numbers(run: Run) -> Run:
    from plain_verdict.load.run import with_numbers  # NumPy, for load results only

    return with_numbers(run)


def _earlier(options: ReadOptions, on_step: OnStep) -> Run:
    """Return the load results of the earlier run that is named."""
    found = discover(options.baseline)
    with on_step("Reading the earlier run") as on_progress, options.samples() as samples:
        earlier = read_all(found.sources, options.limits, on_progress, options.formats, samples)
    return with_sums(msgspec.structs.replace(earlier, unread=found.unread + earlier.unread))


def read_api_document(path: str) -> "tuple[ApiDocument | None, tuple[str, ...]]":
    """Return the API's document, and notes on one that can't be used: results count without it."""
    if not path:
        return None, ()
    from plain_verdict.api.document import read_document  # YAML, for runs that have a document

    try:
        return read_document(path), ()
    except ReadError as error:
        return None, (f"{error.path} {error.what}, so no call is compared with it; {error.hint}.",)


def render(report: Report, writer: str | Writer) -> Iterator[OutputFile]:
    """Yield the files of an output, by its name or its writer. Raises UsageError for a name that is none."""
    return (writer_named(writer) if isinstance(writer, str) else writer).render(report)


def read_and_judge(
    request: ReadRequest, on_step: OnStep = no_progress, opened: OpenStore = open_store
) -> tuple[Run, Verdict]:
    """Return the run that a request means, and the verdict on it; ``opened`` opens the store of earlier runs."""
    run = with_history(read(request.results, request.options, on_step), request, on_step, opened)
    run = with_accepted_levels(_with_repository(run, request), request.rules.levels)
    verdict = judge(run, request.rules, request.made.date())
    if any(find_named("measures", rule.measure) for rule in request.rules.conditions):
        # They put conditions into words of their authors.
        verdict = transform(verdict, Change(text=Masker(request.options.masking).text))
    return run, verdict


def _with_repository(run: Run, request: ReadRequest) -> Run:
    """Return the run with what the settings and the repository around its files tell: owners, and commits."""
    folders = map(Path, folders_of(run) if request.git else ())
    root = next(filter(None, map(find_root, folders)), None)
    code_owners, notes = find_code_owners(root) if root else (None, ())
    if root is None:
        return with_owners(run, request.rules.owners, None, notes)
    owners_of = code_owners.owners_of if code_owners else lambda _: ()
    copy = WorkingCopy(partial(SourceFiles, root), owners_of, CommitLog(root))

    def of_repository(check: Check) -> tuple[str, ...]:
        file = copy.files.file_of(check)
        return owners_of(file) if file else ()

    run = with_owners(run, request.rules.owners, of_repository if code_owners else None, notes)
    return with_commits(run, copy, Masker(request.options.masking).text)


def with_history(
    run: Run, request: ReadRequest, on_step: OnStep = no_progress, opened: OpenStore = open_store
) -> Run:
    """Return the run with its place among the earlier runs of its series."""
    if not run.files:
        return run
    masker = Masker(request.options.masking)
    named_keys = {fact.key.casefold() for fact in request.facts}
    from_repository = repository_facts(folders_of(run)) if request.git else ()
    facts = masker.facts((*request.facts, *(fact for fact in from_repository if fact.key not in named_keys)))
    masked = masker.masked  # the title's own are counted when the report is made
    title = masker.text(request.title.strip()) or title_of(run)
    build = masker.text(request.history.build)
    history = msgspec.structs.replace(request.history, build=build, commit_is_sure=COMMIT in named_keys)
    with on_step("Comparing with earlier runs"):
        found = find_in_series(run, history, RunNames(request.made, title, facts), masker.text, opened)
    trouble, notes = (tuple(map(masker.text, series_notes)) for series_notes in (found.trouble, found.notes))
    found = msgspec.structs.replace(found, masked=masked, trouble=trouble, notes=notes)
    return with_fields(run, in_series=found)


def folders_of(run: Run) -> list[str]:
    """Return the folders of the files that were read, each once."""
    return list(dict.fromkeys(file.folder for file in run.files if file.folder))


def make_report(run: Run, verdict: Verdict, request: Request) -> Report:
    """Return the report on a judged run: with what the request says of it, masked as the run is."""
    masker = Masker(request.read.options.masking)
    title, description = masker.text(request.read.title.strip()), masker.text(plain(request.report.description))
    context = run.in_series
    facts = masker.facts(request.read.facts) if context is None else context.facts
    info = PageInfo(
        made=request.read.made,
        title=title,
        description=description,
        facts=facts,
        brand=request.brand,
        theme=request.report.theme,
        only=request.report.only,
        masked=masker.masked + (context.masked if context else Masked()),
        index=request.index[1] if request.index else "",
        reload_s=_RELOAD_S if request.watch else 0,
        settings=settings_fingerprint(request.read),
        notes=(*map(masker.text, (*request.brand.notes, *request.read.notes)), *masker.troubles),
    )
    report = Report(run, verdict, info)
    sections = build_sections(report, masker.text) if request.read.options.extensions else ()
    return Report(run, verdict, msgspec.structs.replace(info, sections=sections)) if sections else report


def keep_in_history(
    report: Report, options: HistoryOptions, page: str, opened: OpenStore = open_store
) -> tuple[str, ...]:
    """Keep a run in the store that the options name, and return what went wrong: that costs no report."""
    context = report.run.in_series
    if not options.store or context is None:
        return ()
    kept = report.kept
    build = msgspec.structs.replace(kept.build, page=page)
    try:
        with opened(options.store) as store:
            store.add(msgspec.structs.replace(kept, build=build))
    except HistoryError as error:
        return (f"This run was not stored: the history {error.path} {error.what}; {error.hint}.",)
    return ()
