"""What plain-verdict.toml may hold: one struct a table, each key with its description.

The option table in the docs and the JSON Schema for editors are made from here.
"""

from typing import Annotated

import msgspec
from msgspec import Meta

from plain_verdict.model import Severity
from plain_verdict.model.facts import VARIANT_FACTS
from plain_verdict.settings.choices import EvidenceOf, Option, When
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.settings.report_tables import BrandTable, MailTable, ReportTable
from plain_verdict.settings.rules import (
    CauseRule,
    ConditionRule,
    LevelRule,
    OwnerRule,
    QuarantineRule,
    Rules,
    SeverityRule,
    WaiverRule,
)

Scalar = str | int | float | bool


class NotifyTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[[notify]]``: a web service that gets the run by an HTTP POST."""

    url_variable: Annotated[str, Meta(description="environment variable with the address of the service")]
    template: Annotated[
        str,
        Meta(description="file with your own template, `.json`, `.xml` or `.txt`; default: a small JSON object"),
    ] = ""
    when: Annotated[When, Meta(description="when it is given, as for mail")] = When.ALWAYS
    owner: Annotated[
        str, Meta(description="an owner whose failures alone it is given; nothing where none of theirs fails")
    ] = ""


class PublishTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[[publish]]``: a destination where the report is published."""

    destination: Annotated[
        str,
        Meta(
            description="a folder, `git+ssh://host/repository.git#branch:folder` (also `git+file`, `git+https`), "
            "`https://host/folder/`, `s3://bucket/folder`, `sftp://host/folder`"
        ),
    ]
    keep: Annotated[
        int, Meta(description="keep the newest N pages there and remove older ones; 0 keeps all", ge=0)
    ] = 0
    link: Annotated[str, Meta(description="address of that folder in a browser; ends in a slash")] = ""
    patience: Annotated[
        str, Meta(description="how long the whole publication may take, like `3min`; then it has failed")
    ] = "3min"


class MaskingTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[masking]``: secrets to hide in all outputs."""

    off: Annotated[bool, Meta(description="switch masking off; the page reports it")] = False
    values: Annotated[
        tuple[str, ...],
        Meta(description="files with secrets, as for `--mask-values`, or variables like `env:DEPLOY_*`"),
    ] = ()
    patterns: Annotated[tuple[str, ...], Meta(description="regular expressions of more texts to mask")] = ()
    ignore: Annotated[tuple[str, ...], Meta(description="words that are not secrets")] = ()


class EvidenceTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"of": "for"}):
    """``[evidence]``: where evidence is, for which checks, and the maximum size of the page."""

    look_in: Annotated[
        tuple[str, ...],
        Meta(description="folders, and templates like `shots/{suite}/{check}*.png`"),
        Option(
            "--evidence",
            "folders with screenshots and logs, matched to checks by name; "
            "or templates like 'shots/{suite}/{check}*.png'",
            metavar="FOLDER",
            group="contents",
            repeats=True,
        ),
    ] = ()
    of: Annotated[
        EvidenceOf,
        Meta(description="checks whose evidence goes into the page"),
        Option("--evidence-for", "checks whose evidence goes into the page (default: all)", group="contents"),
    ] = EvidenceOf.ALL
    size_limit: Annotated[
        str,
        Meta(description="maximum size of the page"),
        Option("--size-limit", "maximum size of the page (default: 25MB)", metavar="SIZE", group="contents"),
    ] = "25MB"


class KindsTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[input.kinds]``: files, folders or patterns by kind, like ``api = ["fares/*.xml"]``."""

    functional: Annotated[tuple[str, ...], Meta(description="of functional checks")] = ()
    api: Annotated[tuple[str, ...], Meta(description="of API checks, as `api=` before a path")] = ()
    load: Annotated[tuple[str, ...], Meta(description="of load runs")] = ()
    compliance: Annotated[tuple[str, ...], Meta(description="of compliance checks")] = ()


class InputTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[input]``: expected files, and how old results may be."""

    expect: Annotated[
        tuple[str, ...], Meta(description="patterns of files; each must match at least one file")
    ] = ()
    expect_files: Annotated[
        int | None,
        Meta(description="expected number of result files"),
        Option(
            "--expect-files",
            "expected number of result files; fewer make the run undecided",
            metavar="N",
            group="inputs",
        ),
    ] = None
    kinds: KindsTable = KindsTable()
    mappings: Annotated[
        tuple[str, ...], Meta(description="files with mappings that several teams share, as for `--mapping`")
    ] = ()
    drafts: Annotated[
        bool,
        Meta(description="read a file of an unknown format by a drafted mapping, where the draft is certain"),
        Option(
            "--drafts",
            "read files of an unknown format by a drafted mapping, where the draft is certain (default: on)",
            group="inputs",
        ),
    ] = True
    stale_after: Annotated[str, Meta(description="how much older than the newest file a file may be")] = "12h"
    newer_than: Annotated[
        str,
        Meta(description="leave out results older than an age or a date"),
        Option(
            "--newer-than",
            "leave out results older than an age like 6h or 2d, or a date like 2026-11-22",
            metavar="AGE",
            group="inputs",
        ),
    ] = ""
    variants: Annotated[
        tuple[str, ...], Meta(description="facts that make the same check a variant, not another attempt")
    ] = VARIANT_FACTS
    variants_from: Annotated[
        str, Meta(description="pattern of paths whose parts are such facts, like `results/{python}/*.xml`")
    ] = ""
    retry: Annotated[
        tuple[str, ...],
        Meta(description="files, folders or patterns of reruns; each entry is a rerun of the entries before it"),
    ] = ()


class ApiTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[api]``: the API's document."""

    document: Annotated[
        str,
        Meta(description="OpenAPI 3.0 or 3.1 document, YAML or JSON, to group the calls and compare them with it"),
        Option(
            "--api-document",
            "OpenAPI 3.0 or 3.1 document, to group the calls and compare them with it",
            metavar="FILE",
            group="results",
        ),
    ] = ""


class LoadTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[load]``: how load results are counted and compared."""

    baseline: Annotated[
        tuple[str, ...],
        Meta(description="samples of an earlier run to compare with: files, folders or patterns"),
        Option(
            "--baseline",
            "load results of an earlier run to compare with (docs/load.md)",
            metavar="SAMPLES",
            group="results",
        ),
    ] = ()
    least_change: Annotated[str, Meta(description="smallest change of a percentile that counts, in percent")] = (
        "5 %"
    )
    least_difference: Annotated[str, Meta(description="smallest change of a percentile that counts, as a time")] = (
        "5 ms"
    )
    leave_out: Annotated[
        str, Meta(description="part of each file to leave out, like `first 60 s`; the page reports it")
    ] = ""
    metrics: Annotated[
        tuple[str, ...], Meta(description="columns of samples with your own metrics, like `queue length`")
    ] = ()


class EngineTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[engine]``: where results are read."""

    address: Annotated[
        str,
        Meta(description="Dask cluster that reads the results, like `dask://HOST:PORT` or `tls://HOST:PORT`"),
        Option(
            "--engine",
            "read results on a Dask cluster: dask://HOST:PORT, tls://HOST:PORT, or dask://local to try it "
            "(docs/scale.md)",
            metavar="ADDRESS",
            group="results",
        ),
    ] = ""
    patience: Annotated[
        str, Meta(description="how long nothing may come of the cluster, like `3min`; then its work is begun anew")
    ] = "3min"


class RequirementsTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[requirements]``: files of requirements, and how checks name them."""

    files: Annotated[
        tuple[str, ...],
        Meta(description="files, folders or patterns of requirements, as for `--requirements`"),
        Option(
            "--requirements",
            "requirements as CSV, TOML, Markdown, ReqIF or feature files (docs/requirements.md)",
            metavar="FILE",
            group="results",
        ),
    ] = ()
    pattern: Annotated[
        str, Meta(description="regular expression that finds requirement ids in check names, like `BQ-\\d+`")
    ] = ""


class ComplianceTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[compliance]``: which failed rules count."""

    breaks_from: Annotated[
        Severity,
        Meta(description="lowest severity that counts; failed rules below it are only reported"),
    ] = Severity.MEDIUM


class HistoryTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[history]``: where earlier runs are, and which of them to compare with."""

    store: Annotated[
        str,
        Meta(description="store for runs: an SQLite file, or an address like `postgresql://user@host/database`"),
        Option(
            "--history",
            "store for runs: an SQLite file, or postgresql://user@host/database",
            metavar="STORE",
            group="history",
        ),
    ] = ""
    previous: Annotated[
        tuple[str, ...],
        Meta(description="pages, digests and summaries of earlier runs, or folders of them"),
        Option(
            "--previous",
            "pages, digests and summaries of earlier runs, or folders of them (docs/history.md)",
            metavar="PAGE",
            group="history",
        ),
    ] = ()
    find_previous: Annotated[
        bool,
        Meta(description="find the previous report in the folder of the new one"),
        Option(
            "--find-previous",
            "find the previous report in the folder of the new one (default: on)",
            group="history",
        ),
    ] = True
    against: Annotated[
        str,
        Meta(description="build or branch to compare with; default: the run before"),
        Option(
            "--against",
            "compare with this build, or with the last build of this branch",
            metavar="BUILD",
            group="history",
        ),
    ] = ""
    series: Annotated[
        str, Meta(description="name of the series of a run, with the placeholders `{title} {fact:KEY}`")
    ] = "{title} {fact:branch}"
    every: Annotated[
        str,
        Meta(description="interval of the builds, like `1d`, to find missing builds; default: by their numbers"),
    ] = ""
    normal_after: Annotated[
        int,
        Meta(ge=1, le=20, description="builds after which a duration at a new level is the normal one"),
    ] = 8
    pages: Annotated[
        str, Meta(description="address of the page of a build, like `https://host/builds/{build}/verdict.html`")
    ] = ""
    required: Annotated[
        bool, Meta(description="exit with 5 when earlier runs could not be read or this run could not be stored")
    ] = False


class SettingsFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The whole settings file."""

    report: ReportTable = ReportTable()
    brand: BrandTable = BrandTable()
    facts: Annotated[dict[str, Scalar], Meta(description="facts about the run, in this order")] = {}
    facts_from_environment: Annotated[
        dict[str, str], Meta(description="a fact's key and the environment variable that holds its value")
    ] = {}
    mail: MailTable = MailTable()
    publish: tuple[PublishTable, ...] = ()
    notify: tuple[NotifyTable, ...] = ()
    masking: MaskingTable = MaskingTable()
    evidence: EvidenceTable = EvidenceTable()
    input: InputTable = InputTable()
    api: ApiTable = ApiTable()
    load: LoadTable = LoadTable()
    engine: EngineTable = EngineTable()
    compliance: ComplianceTable = ComplianceTable()
    history: HistoryTable = HistoryTable()
    requirements: RequirementsTable = RequirementsTable()
    cause: tuple[CauseRule, ...] = ()
    waiver: tuple[WaiverRule, ...] = ()
    condition: tuple[ConditionRule, ...] = ()
    severity: tuple[SeverityRule, ...] = ()
    owner: tuple[OwnerRule, ...] = ()
    quarantine: tuple[QuarantineRule, ...] = ()
    accepted_level: tuple[LevelRule, ...] = ()
    mapping: tuple[ResultMapping, ...] = ()

    @property
    def rules(self) -> Rules:
        """Return the rules to judge by."""
        return Rules(
            self.cause,
            self.waiver,
            self.condition,
            self.compliance.breaks_from,
            self.severity,
            self.owner,
            self.quarantine,
            self.accepted_level,
        )
