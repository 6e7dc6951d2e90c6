"""What plain-verdict.toml may hold: one struct a table, each key with its description.

The option table in the docs and the JSON Schema for editors are made from here.
"""

from typing import Annotated

import msgspec
from msgspec import Meta

from plain_verdict.model import Severity
from plain_verdict.model.facts import VARIANT_FACTS
from plain_verdict.settings.choices import ChecksShown, EvidenceOf, PaperSize, TablesAs, Theme, When
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.settings.rules import CauseRule, ConditionRule, Rules, WaiverRule

Scalar = str | int | float | bool


class ReportTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[report]``: title, outputs and look."""

    title: Annotated[str, Meta(description="title of the report; default: from the results")] = ""
    description: Annotated[str, Meta(description="text under the verdict, in Markdown")] = ""
    out: Annotated[
        str,
        Meta(description="file or folder to write; placeholders: `{title} {date} {time} {verdict} {fact:KEY}`"),
    ] = ""
    layout: Annotated[str, Meta(description="one file, or a folder without scripts and inline styles")] = "page"
    zip: Annotated[bool, Meta(description="also write a zip file of the folder")] = False
    overwrite: Annotated[
        bool, Meta(description="replace an existing page of that name, instead of adding a counter")
    ] = False
    latest: Annotated[str, Meta(description="a name, beside the page, under which the newest is kept as well")] = ""
    index: Annotated[bool, Meta(description="update the index of reports, index.html in their folder")] = False
    index_title: Annotated[str, Meta(description="title of the index")] = "Reports"
    keep: Annotated[
        int, Meta(description="keep the newest N pages there and remove older ones; 0 keeps all", ge=0)
    ] = 0
    tables: Annotated[str, Meta(description="folder for tables, or a workbook with the suffix `.xlsx`")] = ""
    tables_as: Annotated[
        TablesAs,
        Meta(description="format in a folder: `csv-bom` has a byte order mark, `csv-raw` keeps formulas"),
    ] = TablesAs.CSV
    pdf: Annotated[str, Meta(description="file for the PDF report")] = ""
    pdf_for: Annotated[ChecksShown, Meta(description="checks that the PDF report lists")] = ChecksShown.FAILED
    pdf_paper: Annotated[PaperSize, Meta(description="paper size of the PDF report")] = PaperSize.A4
    junit: Annotated[str, Meta(description="file for the results as JUnit XML")] = ""
    markdown: Annotated[str, Meta(description="file for the summary as Markdown; `-` is standard output")] = ""
    link: Annotated[
        str,
        Meta(description="address of the page for others; an address that ends in a slash gets the page's name"),
    ] = ""
    digest: Annotated[
        str, Meta(description="file for the digest: the run's data as JSON, small enough for a cache")
    ] = ""
    earl: Annotated[str, Meta(description="file for the compliance results as EARL in JSON-LD")] = ""
    charts: Annotated[str, Meta(description="folder for the charts of load runs as PNG and SVG files")] = ""
    theme: Annotated[Theme, Meta(description="colour scheme of the page")] = Theme.AUTO
    only: Annotated[ChecksShown, Meta(description="`failed` leaves passed and skipped checks out of the page")] = (
        ChecksShown.ALL
    )
    time_zone: Annotated[str, Meta(description="time zone of all times, like `Europe/Oslo`")] = ""
    pipeline: Annotated[
        bool, Meta(description="read build, branch, commit and job from the pipeline's variables")
    ] = True
    git: Annotated[bool, Meta(description="read branch and commit from the repository of the results")] = True
    enforce: Annotated[bool, Meta(description="exit with 1 when the verdict is not fit")] = False
    strict: Annotated[bool, Meta(description="exit with 4 when part of the input could not be read")] = False


class BrandTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[brand]``: the company's name, logo and colour."""

    organisation: Annotated[str, Meta(description="name of your company or team, next to the title")] = ""
    logo: Annotated[str, Meta(description="PNG, JPEG, WebP or SVG, of any size and shape")] = ""
    logo_dark: Annotated[str, Meta(description="logo for dark mode")] = ""
    accent: Annotated[str, Meta(description="colour of lines and links, like `#155e8a`")] = ""
    footer: Annotated[str, Meta(description="line at the end of the page")] = ""
    link: Annotated[str, Meta(description="address that the logo and the name link to")] = ""
    contact: Annotated[str, Meta(description="mail address or link for questions")] = ""
    stylesheet: Annotated[str, Meta(description="file with your own CSS, up to 50 KB")] = ""


class MailTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"sender": "from"}):
    """``[mail]``: the summary as a mail."""

    file: Annotated[str, Meta(description="file to write; its name ends in `.eml`")] = ""
    sender: Annotated[str, Meta(description="sender address; default: the brand's contact")] = ""
    to: Annotated[tuple[str, ...], Meta(description="recipients")] = ()
    cc: Annotated[tuple[str, ...], Meta(description="recipients of a copy")] = ()
    server: Annotated[
        str,
        Meta(
            description="mail server: `smtp://host:587` (STARTTLS), `smtps://host:465` (TLS), "
            "or `smtp+plain://host:25` in your own network"
        ),
    ] = ""
    send: Annotated[bool, Meta(description="send the mail through that server")] = False
    when: Annotated[
        When, Meta(description="when to send; `changed`: the verdict changed, or failures are new or fixed")
    ] = When.ALWAYS
    user_variable: Annotated[str, Meta(description="environment variable with the user name")] = ""
    password_variable: Annotated[str, Meta(description="environment variable with the password")] = ""
    attach_up_to: Annotated[
        str, Meta(description="maximum size of an attached page; a larger page is only linked")
    ] = "15MB"


class NotifyTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[[notify]]``: a web service that gets the run by an HTTP POST."""

    url_variable: Annotated[str, Meta(description="environment variable with the address of the service")]
    template: Annotated[
        str,
        Meta(description="file with your own template, `.json`, `.xml` or `.txt`; default: a small JSON object"),
    ] = ""
    when: Annotated[When, Meta(description="when it is given, as for mail")] = When.ALWAYS


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
        tuple[str, ...], Meta(description="folders, and templates like `shots/{suite}/{check}*.png`")
    ] = ()
    of: Annotated[EvidenceOf, Meta(description="checks whose evidence goes into the page")] = EvidenceOf.ALL
    size_limit: Annotated[str, Meta(description="maximum size of the page")] = "25MB"


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
    expect_files: Annotated[int | None, Meta(description="expected number of result files")] = None
    kinds: KindsTable = KindsTable()
    mappings: Annotated[
        tuple[str, ...], Meta(description="files with mappings that several teams share, as for `--mapping`")
    ] = ()
    stale_after: Annotated[str, Meta(description="how much older than the newest file a file may be")] = "12h"
    newer_than: Annotated[str, Meta(description="leave out results older than an age or a date")] = ""
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
    ] = ""


class LoadTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[load]``: how load results are counted and compared."""

    baseline: Annotated[
        tuple[str, ...], Meta(description="samples of an earlier run to compare with: files, folders or patterns")
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
    engine: Annotated[str, Meta(description="Dask cluster that reads the results, like `dask://HOST:PORT`")] = ""


class RequirementsTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[requirements]``: files of requirements, and how checks name them."""

    files: Annotated[
        tuple[str, ...], Meta(description="files, folders or patterns of requirements, as for `--requirements`")
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
    ] = ""
    previous: Annotated[
        tuple[str, ...], Meta(description="pages, digests and summaries of earlier runs, or folders of them")
    ] = ()
    find_previous: Annotated[bool, Meta(description="find the previous report in the folder of the new one")] = True
    against: Annotated[str, Meta(description="build or branch to compare with; default: the run before")] = ""
    series: Annotated[
        str, Meta(description="name of the series of a run, with the placeholders `{title} {fact:KEY}`")
    ] = "{title} {fact:branch}"
    every: Annotated[
        str,
        Meta(description="interval of the builds, like `1d`, to find missing builds; default: by their numbers"),
    ] = ""
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
    compliance: ComplianceTable = ComplianceTable()
    history: HistoryTable = HistoryTable()
    requirements: RequirementsTable = RequirementsTable()
    cause: tuple[CauseRule, ...] = ()
    waiver: tuple[WaiverRule, ...] = ()
    condition: tuple[ConditionRule, ...] = ()
    mapping: tuple[ResultMapping, ...] = ()

    @property
    def rules(self) -> Rules:
        """Return the rules to judge by."""
        return Rules(self.cause, self.waiver, self.condition, self.compliance.breaks_from)
