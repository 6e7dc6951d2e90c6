"""Makes a request of the command line and the settings. Raises UsageError, before any result is read."""

import os
from collections.abc import Mapping
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import msgspec

from plain_verdict.delivery.local.files import check_target
from plain_verdict.delivery.local.naming import Names, check_pattern, path_of
from plain_verdict.delivery.local.retention import check_latest
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.evidence import EvidenceOptions, check_look_in
from plain_verdict.history.finding import HistoryOptions
from plain_verdict.history.stores import check_store
from plain_verdict.inputs.completeness import Expected, read_age, read_newer_than
from plain_verdict.inputs.facts import environment_facts, pipeline_facts, read_pairs
from plain_verdict.masking import Masker, MaskRules
from plain_verdict.merging import VariantOptions
from plain_verdict.merging.time_zones import read_zone
from plain_verdict.model import Fact, Kind
from plain_verdict.model.facts import BUILD
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.report.brand import Brand, read_brand
from plain_verdict.request.checks import (
    check_mapping,
    check_settings,
    read_leave_out,
    read_noise_threshold,
    read_patience_s,
    read_step,
)
from plain_verdict.request.outputs import check_outputs
from plain_verdict.request.overrides import Overrides
from plain_verdict.request.request import ReadOptions, ReadRequest, Request
from plain_verdict.request.secrets import read_mask_rules, rules_without_known, without_known
from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.executors import check_engine
from plain_verdict.settings.limits import read_size
from plain_verdict.settings.loading import Settings, SettingsSource, read_mappings, read_settings
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.settings.options import with_options
from plain_verdict.settings.report_tables import ReportTable
from plain_verdict.settings.schema import EvidenceTable, HistoryTable, InputTable, SettingsFile
from plain_verdict.settings.trust import TRUST_VARIABLE
from plain_verdict.text.addresses import way_to
from plain_verdict.text.cleaning import plain, single_line
from plain_verdict.writers import writer_named
from plain_verdict.writers.mail.writer import MailWriter

_TITLE_CHARS, _FACT_CHARS = 300, 4_000


def make_request(overrides: Overrides, environment: Mapping[str, str], now: datetime) -> Request:
    """Return what the command line and the settings want, everything that is named read or looked for."""
    settings = _settings(overrides, environment)
    read_request = _read_request(overrides, settings, environment, now)
    masking = read_request.options.masking
    report = without_known(settings.file.report, masking)
    check_pattern(report.out)
    brand = _brand(overrides, settings.file, masking)
    suffix = writer_named("folder" if report.zip else report.layout).suffix
    root, way = _root_of(report, suffix)
    request = Request(
        read=read_request,
        report=report,
        mail=(mail := settings.file.mail),
        brand=brand,
        root=root,
        watch=overrides.watch,
        index=(root, way) if report.index else None,
        index_words=_index_words(settings.file.history, report, brand, read_request.made, masking),
    )
    if settings.file.publish or overrides.publish or mail.send or settings.file.notify:
        from plain_verdict.request.recipients import with_recipients  # for reports that go somewhere

        if mail.send:
            settings.refuse_ignored("mail.server")
        request = with_recipients(request, settings.file, overrides.publish, environment)
    if overrides.watch:
        request = _kept_on_this_machine(request)
    _check(request)
    read = _finding_previous(request.read, request.report, settings.file)
    return msgspec.structs.replace(request, read=read)


def _settings(overrides: Overrides, environment: Mapping[str, str]) -> Settings:
    """Return the settings with what the command line gives of them."""
    check = partial(check_settings, extensions=overrides.extensions)
    settings = read_settings(source_of(overrides, environment), check)
    return msgspec.structs.replace(settings, file=with_options(settings.file, overrides.settings))


def source_of(overrides: Overrides, environment: Mapping[str, str]) -> SettingsSource:
    """Return where settings are, and whether a file that is found is trusted."""
    trusted = overrides.trust_settings or environment.get(TRUST_VARIABLE, "") in ("1", "true", "yes")
    return SettingsSource(overrides.config, overrides.rules, trusted)


def _kept_on_this_machine(request: Request) -> Request:
    """Return a request that reaches nobody: a page that is made again and again is for who makes it."""
    history = msgspec.structs.replace(request.read.history, store="", required=False)
    read = msgspec.structs.replace(request.read, history=history)
    return msgspec.structs.replace(request, read=read, destinations=(), sending=None, recipients=())


def _finding_previous(read: ReadRequest, report: ReportTable, settings: SettingsFile) -> ReadRequest:
    """Return the request with the folder in which earlier pages may stand beside the new one."""
    out = report.out
    if not settings.history.find_previous or "{" in os.path.dirname(out):  # noqa: PTH120  text, not a path yet
        return read
    suffix = writer_named("folder" if report.zip else report.layout).suffix
    target = path_of(out, Names("title", "verdict", read.made, {}), suffix)
    replaced: tuple[str, ...] = (report.latest, f"{report.latest}{suffix}") if report.latest else ()
    replaced += (target.name,) if report.overwrite and "{" not in out else ()
    up = "" if suffix else "../"
    history = msgspec.structs.replace(read.history, beside=str(target.parent), up=up, replaced=replaced)
    return msgspec.structs.replace(read, history=history)


def make_read_request(overrides: Overrides, environment: Mapping[str, str], now: datetime) -> ReadRequest:
    """Return what is to be read and judged, where no page is made of it."""
    settings = _settings(overrides, environment)
    request = _read_request(overrides, settings, environment, now)
    folders = request.options.evidence.folders if request.options.evidence else ()
    options = msgspec.structs.replace(request.options, evidence=None, evidence_folders=folders)
    request = msgspec.structs.replace(request, options=options)
    return _finding_previous(request, settings.file.report, settings.file)


def read_index_words(
    overrides: Overrides, environment: Mapping[str, str], now: datetime
) -> tuple[IndexWords, tuple[str, ...]]:
    """Return what an index says of itself, by the settings, and notes on these. Raises UsageError."""
    check = partial(check_settings, extensions=overrides.extensions)
    settings = read_settings(source_of(overrides, environment), check)
    file = settings.file
    masking, notes = read_mask_rules(overrides, file, environment)
    title, link = (str(overrides.given("report", key) or "") for key in ("title", "link"))
    given = ReportTable(title=title, link=link)
    given, report = without_known(given, masking), without_known(file.report, masking)
    made = made_at(environment, now)
    zone = read_zone(file.report.time_zone)
    made = made.astimezone(zone) if zone else made
    words = _index_words(file.history, report, _brand(Overrides(), file, masking), made, masking)
    words = msgspec.structs.replace(words, title=given.title or words.title, link=given.link or words.link)
    return words, (*settings.notes, *notes)


def _index_words(
    history: HistoryTable, report: ReportTable, brand: Brand, made: datetime, masking: MaskRules
) -> IndexWords:
    link = report.link if report.link.endswith("/") else ""
    step = read_step(history.every) if history.every else None
    return IndexWords(
        report.index_title, brand, made, link, Masker(masking).text, step, normal_after=history.normal_after
    )


def _root_of(report: ReportTable, suffix: str) -> tuple[Path, str]:
    """Return the folder above those that the pattern varies, and the way from a page to the index in it."""
    target = path_of(report.out, Names("title", "verdict", datetime.now(UTC), {}), suffix)
    around = os.path.dirname(report.out)  # noqa: PTH120  text, not a path yet
    folder = target.parent
    if "{" in around:
        fixed = os.path.dirname(around.partition("{")[0])  # noqa: PTH120  as above
        folder = Path(fixed or ".").absolute()
    way = way_to(folder / FIRST_PAGE, target.parent if suffix else target)
    if report.index and target == folder / FIRST_PAGE:
        raise UsageError("is the name of the index itself", path=report.out, hint="give --out another name")
    return folder, way


def made_at(environment: Mapping[str, str], now: datetime) -> datetime:
    """Return when the page is made: now, or the moment that SOURCE_DATE_EPOCH fixes.

    Source: Reproducible Builds, SOURCE_DATE_EPOCH specification, version 1.1.
    """
    epoch = environment.get("SOURCE_DATE_EPOCH")
    if not epoch:
        return now
    try:
        return datetime.fromtimestamp(int(epoch), UTC)
    except (ValueError, OverflowError, OSError) as error:
        raise UsageError(f"SOURCE_DATE_EPOCH is not a number of seconds: {epoch[:40]!r}") from error


def _read_request(
    overrides: Overrides, settings: Settings, environment: Mapping[str, str], now: datetime
) -> ReadRequest:
    file = settings.file
    zone = read_zone(file.report.time_zone)
    check_engine(file.engine.address)
    made = made_at(environment, now)
    made = made.astimezone(zone) if zone else made
    masking, masking_notes = read_mask_rules(overrides, file, environment)
    options = ReadOptions(
        retries=overrides.retry or tuple((argument,) for argument in file.input.retry),
        kinds={Kind(name): paths for name, paths in msgspec.structs.asdict(file.input.kinds).items()},
        api_document=file.api.document,
        mappings=_mappings(overrides, file),
        drafts=file.input.drafts,
        extensions=overrides.extensions,
        targets=rules_without_known(file.rules, masking).conditions,
        baseline=file.load.baseline,
        engine=file.engine.address,
        engine_patience_s=read_patience_s(file.engine.patience, "engine.patience"),
        requirements=file.requirements.files,
        requirement_pattern=file.requirements.pattern,
        leave_out_s=read_leave_out(file.load.leave_out),
        metrics=file.load.metrics,
        noise_threshold=read_noise_threshold(file.load.least_change, file.load.least_difference),
        expected=_expected(file.input, made, now),
        variants=VariantOptions(file.input.variants, file.input.variants_from),
        evidence=_evidence(file.evidence),
        zone=zone,
        masking=masking,
        severities=file.severity,
    )
    missing = tuple(
        f"The environment variable {name} is not set, so the fact “{key}” is missing."
        for key, name in file.facts_from_environment.items()
        if not environment.get(name)
    )
    return ReadRequest(
        overrides.results,
        options,
        rules_without_known(file.rules, masking),
        made,
        (*settings.notes, *masking_notes, *missing),
        _history(overrides, settings),
        title=single_line(file.report.title, _TITLE_CHARS),
        facts=_facts(overrides, settings, environment),
        git=file.report.git,
    )


def _history(overrides: Overrides, settings: Settings) -> HistoryOptions:
    table = settings.file.history
    if table.required and not overrides.given("history", "store"):
        settings.refuse_ignored("history.store")
    check_store(table.store)
    return HistoryOptions(
        store=table.store,
        earlier=table.previous,
        against=table.against,
        build=_as_line(overrides.build or ""),
        series=table.series,
        step=read_step(table.every) if table.every else None,
        normal_after=table.normal_after,
        pages=table.pages,
        required=table.required,
    )


def _mappings(overrides: Overrides, settings: SettingsFile) -> tuple[ResultMapping, ...]:
    """Return the mappings of files on the command line, those of the settings' own, and of files that they name."""
    from_options = [mapping for name in overrides.mapping for mapping in read_mappings(name, check_mapping)]
    from_files = [mapping for name in settings.input.mappings for mapping in read_mappings(name, check_mapping)]
    return (*from_options, *settings.mapping, *from_files)


def _expected(table: InputTable, made: datetime, now: datetime) -> Expected:
    return Expected(
        patterns=table.expect,
        files=table.expect_files,
        stale_after=read_age(table.stale_after),
        newer_than=read_newer_than(table.newer_than, made),
        now=max(made, now),
    )


def _evidence(table: EvidenceTable) -> EvidenceOptions:
    return EvidenceOptions(look_in=table.look_in, of=table.of, page_bytes=read_size(table.size_limit))


def _brand(overrides: Overrides, settings: SettingsFile, masking: MaskRules) -> Brand:
    table = settings.brand
    if overrides.given("brand", "logo"):
        table = msgspec.structs.replace(table, logo_dark="")  # it belongs to the logo that this one replaces
    table = msgspec.structs.replace(
        table,
        organisation=_as_line(table.organisation),
        footer=plain(table.footer),
        contact=_as_line(table.contact),
    )
    return read_brand(without_known(table, masking))


def _facts(overrides: Overrides, settings: Settings, environment: Mapping[str, str]) -> tuple[Fact, ...]:
    """Return the facts in the order given; one key counts once, the command line first.

    Which build this is, settings that nobody named do not say where the pipeline does.
    """
    file = settings.file
    from_options = _facts_of_options(overrides)
    from_settings = tuple(Fact(key, _as_text(value)) for key, value in file.facts.items())
    from_environment = environment_facts(file.facts_from_environment, environment)
    from_pipeline = pipeline_facts(environment) if file.report.pipeline else ()
    if not settings.trusted:
        sure = {fact.key for fact in from_pipeline}
        from_settings = tuple(fact for fact in from_settings if fact.key.casefold() not in sure)
    given = (*from_options, *from_settings, *from_environment)
    known = {fact.key.casefold() for fact in given}
    by_key: dict[str, Fact] = {}
    for fact in (*given, *(fact for fact in from_pipeline if fact.key not in known)):
        by_key.setdefault(fact.key, fact)
    return tuple(Fact(_as_line(fact.key), _as_line(fact.value)) for fact in by_key.values())


def _as_line(text: str) -> str:
    """Return what the caller gave, often a commit message, as one line without control characters."""
    return text if text.isprintable() else single_line(text, _FACT_CHARS)


def _facts_of_options(overrides: Overrides) -> tuple[Fact, ...]:
    facts = read_pairs(overrides.fact)
    if not overrides.build or BUILD in {fact.key.casefold() for fact in facts}:
        return facts
    return (*facts, Fact(BUILD, overrides.build))


def _as_text(value: object) -> str:
    return ("no", "yes")[value] if isinstance(value, bool) else str(value)


def _check(request: Request) -> None:
    """Make sure that what is named is there, and that the page can be written."""
    report, expected = request.report, request.read.options.expected
    if request.read.options.evidence:
        check_look_in(request.read.options.evidence)
    check_latest(report.latest)
    if request.index and request.index[0].is_dir():
        from plain_verdict.delivery.report_index.refreshing import check_index  # for folders that have one

        check_index(request.index[0])
    if report.keep < 0:
        raise UsageError("--keep must be 0 or more", hint="write --keep 20")
    if expected.files is not None and expected.files < 0:
        raise UsageError("--expect-files must be 0 or more", hint="write --expect-files 4")
    if report.zip and report.out.endswith((".html", ".htm")):
        raise UsageError("--zip packs a folder, and --out names a file", path=report.out, hint="name a folder")
    _check_others(request)
    suffix = writer_named(request.layout).suffix
    # What only the results tell may be in the folder's name as well; that folder is made later.
    nobody = Names("title", "verdict", request.read.made, {})
    check_target(
        path_of(report.out, nobody, suffix),
        folder=not suffix,
        overwrite=report.overwrite,
        make_folder="{" not in os.path.dirname(report.out),  # noqa: PTH120  text, not a path yet
    )


def _check_others(request: Request) -> None:
    """Make sure that what stands beside the page can be written."""
    report = request.report
    if request.mail.file or request.sending:
        _check_addresses(request)
    if request.mail.file:
        _check_mail(request)
    check_outputs(report, extensions=request.read.options.extensions)
    if report.link and not report.link.startswith(("https://", "http://")):
        raise UsageError("--link is not an address", path=report.link, hint="begin it with https://")


def _check_addresses(request: Request) -> None:
    read_size(request.mail.attach_up_to)
    sender = request.mail.sender or request.brand.mail_address
    if request.sending and not sender:
        raise UsageError("the mail has no sender", where="mail.from", hint='write from = "checks@host.example"')
    MailWriter(sender, request.mail.to, cc=request.mail.cc).check()


def _check_mail(request: Request) -> None:
    file = request.mail.file
    if not file.endswith(MailWriter.suffix):
        raise UsageError("is not a name for a mail message", path=file, hint="end it in .eml")
    if Path(file).is_dir():
        raise UsageError("is a folder; --mail names a file", path=file, hint="end it in .eml")
    check_target(Path(file).absolute(), folder=False, overwrite=True)
