"""What plain-verdict.toml may hold: one struct a table, each key with its description.

The option table in the docs and the JSON Schema for editors are made from here.
"""

from typing import Annotated

import msgspec
from msgspec import Meta

from plain_verdict.model import Severity
from plain_verdict.model.facts import VARIANT_FACTS
from plain_verdict.settings.choices import ChecksShown, EvidenceOf, PaperSize, TablesAs, Theme, When
from plain_verdict.settings.rules import CauseRule, ConditionRule, Rules, WaiverRule
from plain_verdict.settings.shapes import Shape

Scalar = str | int | float | bool


class ReportTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[report]``: what the page says of itself, and where it goes."""

    title: Annotated[str, Meta(description="the page's title; else the results' own name")] = ""
    description: Annotated[str, Meta(description="Markdown under the verdict")] = ""
    out: Annotated[
        str,
        Meta(description="file or folder to write; may hold `{title} {date} {time} {verdict} {fact:KEY}`"),
    ] = ""
    layout: Annotated[str, Meta(description="one file, or a folder that needs no script and no inline style")] = (
        "page"
    )
    zip: Annotated[bool, Meta(description="also pack the folder as a zip file")] = False
    overwrite: Annotated[bool, Meta(description="write over what has the name, instead of adding a counter")] = (
        False
    )
    latest: Annotated[str, Meta(description="a name, beside the page, under which the newest is kept as well")] = ""
    shelf: Annotated[bool, Meta(description="refresh the page over all pages, index.html in their folder")] = False
    shelf_title: Annotated[str, Meta(description="what that page is called")] = "Reports"
    keep: Annotated[
        int, Meta(description="remove the oldest pages there until so many are left; 0 keeps all", ge=0)
    ] = 0
    tables: Annotated[str, Meta(description="a folder for tables, or a workbook that ends in `.xlsx`")] = ""
    tables_as: Annotated[
        TablesAs,
        Meta(
            description="of a folder: `csv-bom` has a byte order mark, `csv-raw` cells that a spreadsheet may run"
        ),
    ] = TablesAs.CSV
    pdf: Annotated[str, Meta(description="a file for the run as a paper of its own, PDF")] = ""
    pdf_for: Annotated[ChecksShown, Meta(description="`all` lists every check in the paper as well")] = (
        ChecksShown.FAILED
    )
    pdf_paper: Annotated[PaperSize, Meta(description="the size of the paper")] = PaperSize.A4
    junit: Annotated[str, Meta(description="a file for the judged run as JUnit XML")] = ""
    markdown: Annotated[str, Meta(description="a file for the digest as Markdown; `-` is standard output")] = ""
    link: Annotated[
        str,
        Meta(description="the address of the page where others open it; one that ends in a slash gets its name"),
    ] = ""
    digest: Annotated[
        str, Meta(description="a file for the digest of the run as JSON, small enough to keep where pages are not")
    ] = ""
    earl: Annotated[str, Meta(description="a file for the rules of the run as EARL in JSON-LD")] = ""
    charts: Annotated[str, Meta(description="a folder for the drawings of load runs as PNG and SVG files")] = ""
    theme: Annotated[Theme, Meta(description="the page's colours")] = Theme.AUTO
    only: Annotated[ChecksShown, Meta(description="`failed` leaves passed and skipped checks out of the page")] = (
        ChecksShown.ALL
    )
    time_zone: Annotated[str, Meta(description="zone for every time on the page, like `Europe/Oslo`")] = ""
    pipeline: Annotated[
        bool, Meta(description="take build, branch, commit and job from the variables that pipelines set")
    ] = True
    git: Annotated[bool, Meta(description="take branch and commit from the repository of the results")] = True
    enforce: Annotated[bool, Meta(description="exit with 1 when the verdict is not fit")] = False
    strict: Annotated[bool, Meta(description="exit with 4 when part of the input could not be read")] = False


class BrandTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[brand]``: whose page it is."""

    organisation: Annotated[str, Meta(description="the name beside the title")] = ""
    logo: Annotated[str, Meta(description="PNG, JPEG, WebP or SVG, of any size and shape")] = ""
    logo_dark: Annotated[str, Meta(description="another logo for dark pages")] = ""
    accent: Annotated[str, Meta(description="colour of rules and links, like `#155e8a`")] = ""
    footer: Annotated[str, Meta(description="a line at the page's end")] = ""
    link: Annotated[str, Meta(description="where the logo and the name lead")] = ""
    contact: Annotated[str, Meta(description="an address or a link for questions")] = ""
    stylesheet: Annotated[str, Meta(description="your own CSS, up to 50 KB")] = ""


class MailTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"sender": "from"}):
    """``[mail]``: the digest for mail."""

    file: Annotated[str, Meta(description="where to write it; its name ends in `.eml`")] = ""
    sender: Annotated[str, Meta(description="its From line; else the brand's contact")] = ""
    to: Annotated[tuple[str, ...], Meta(description="its To line")] = ()
    cc: Annotated[tuple[str, ...], Meta(description="its Cc line")] = ()
    server: Annotated[
        str,
        Meta(
            description="who sends it: `smtp://host:587` (STARTTLS), `smtps://host:465` (TLS), "
            "or `smtp+plain://host:25` in a network of your own"
        ),
    ] = ""
    send: Annotated[bool, Meta(description="send it through that server")] = False
    when: Annotated[
        When, Meta(description="when it is sent; `changed`: another verdict than before, or failures new or mended")
    ] = When.ALWAYS
    user_variable: Annotated[str, Meta(description="the environment variable that holds the user's name")] = ""
    password_variable: Annotated[str, Meta(description="the environment variable that holds the password")] = ""
    attach_up_to: Annotated[
        str, Meta(description="how large the page may be to go with it; a larger one is linked to")
    ] = "15MB"


class NotifyTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[[notify]]``: a web service that is told of the run by an HTTP POST."""

    url_variable: Annotated[str, Meta(description="the environment variable that holds the service's address")]
    template: Annotated[
        str, Meta(description="a template of your own, `.json`, `.xml` or `.txt`; else a small JSON is posted")
    ] = ""
    when: Annotated[When, Meta(description="when it is told, as for mail")] = When.ALWAYS


class PublishTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[[publish]]``: a place where the page is published once it is written."""

    place: Annotated[
        str,
        Meta(
            description="a folder, `git+ssh://host/repository.git#branch:folder` (also `git+file`, `git+https`), "
            "`https://host/folder/`, `s3://bucket/folder`, `sftp://host/folder`"
        ),
    ]
    keep: Annotated[
        int, Meta(description="remove the oldest pages there until so many are left; 0 keeps all", ge=0)
    ] = 0
    link: Annotated[str, Meta(description="where others open that folder with a browser; ends in a slash")] = ""


class MaskingTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[masking]``: what is hidden before anything leaves the tool."""

    off: Annotated[bool, Meta(description="mask nothing; the page says so")] = False
    values: Annotated[
        tuple[str, ...],
        Meta(description="secrets to look for: files, as `--mask-values`, or variables like `env:DEPLOY_*`"),
    ] = ()
    patterns: Annotated[tuple[str, ...], Meta(description="regular expressions of more that must be masked")] = ()
    ignore: Annotated[tuple[str, ...], Meta(description="words that are no secrets")] = ()


class EvidenceTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"of": "for"}):
    """``[evidence]``: where to look for it, whose goes in, how large the page may get."""

    look_in: Annotated[
        tuple[str, ...], Meta(description="folders, and templates like `shots/{suite}/{check}*.png`")
    ] = ()
    of: Annotated[EvidenceOf, Meta(description="whose goes into the page")] = EvidenceOf.ALL
    size_limit: Annotated[str, Meta(description="how large the page may get")] = "25MB"


class KindsTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[input.kinds]``: files, folders or patterns by kind, like ``api = ["fares/*.xml"]``."""

    functional: Annotated[tuple[str, ...], Meta(description="of functional checks")] = ()
    api: Annotated[tuple[str, ...], Meta(description="of API checks, as `api=` before a path")] = ()
    load: Annotated[tuple[str, ...], Meta(description="of load runs")] = ()
    compliance: Annotated[tuple[str, ...], Meta(description="of compliance checks")] = ()


class InputTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[input]``: what must arrive, and how old it may be."""

    expect: Annotated[
        tuple[str, ...], Meta(description="patterns of files, each of which must match at least one")
    ] = ()
    expect_files: Annotated[int | None, Meta(description="how many files must arrive")] = None
    kinds: KindsTable = KindsTable()
    shapes: Annotated[
        tuple[str, ...], Meta(description="files of shapes that several teams share, as `--shape`")
    ] = ()
    stale_after: Annotated[str, Meta(description="how much older than the newest a file may be")] = "12h"
    newer_than: Annotated[str, Meta(description="leave out older results: an age or a date")] = ""
    variants: Annotated[
        tuple[str, ...], Meta(description="facts under which the same check is a variant, no other attempt")
    ] = VARIANT_FACTS
    variants_from: Annotated[
        str, Meta(description="a template of paths whose parts are such facts, like `results/{python}/*.xml`")
    ] = ""
    retry: Annotated[
        tuple[str, ...],
        Meta(description="files, folders or patterns of a second go; each entry retries what stands before it"),
    ] = ()


class ApiTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[api]``: what the API is documented to do."""

    document: Annotated[
        str, Meta(description="an OpenAPI 3.0 or 3.1 document, YAML or JSON, to group and compare calls by")
    ] = ""


class LoadTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[load]``: how load results are counted, and what they are compared with."""

    baseline: Annotated[
        tuple[str, ...], Meta(description="samples of an earlier run: files, folders or patterns")
    ] = ()
    least_change: Annotated[
        str, Meta(description="how much slower or faster a percentile must be to count as changed")
    ] = "5 %"
    least_difference: Annotated[str, Meta(description="and by how much time at least")] = "5 ms"
    leave_out: Annotated[
        str, Meta(description="a part of each file that is not counted, like `first 60 s`; the page says so")
    ] = ""
    metrics: Annotated[
        tuple[str, ...], Meta(description="columns of samples with numbers of your own, like `queue length`")
    ] = ()
    engine: Annotated[
        str, Meta(description="where results are read: a Dask cluster, like `dask://HOST:PORT`; else here")
    ] = ""


class RequirementsTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[requirements]``: what was asked for."""

    files: Annotated[
        tuple[str, ...], Meta(description="files, folders or patterns of requirements, as `--requirements`")
    ] = ()
    pattern: Annotated[
        str, Meta(description="a regular expression that finds their ids in the names of checks, like `BQ-\\d+`")
    ] = ""


class ComplianceTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[compliance]``: which broken rules count."""

    breaks_from: Annotated[
        Severity, Meta(description="the least severity that breaks the verdict; lower ones are counted and said")
    ] = Severity.MEDIUM


class HistoryTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[history]``: where earlier runs are, and what this one is compared with."""

    store: Annotated[
        str,
        Meta(description="a file of SQLite, or an address like `postgresql://user@host/database`, that keeps runs"),
    ] = ""
    earlier: Annotated[
        tuple[str, ...], Meta(description="pages, digests and summaries of earlier runs, and folders of them")
    ] = ()
    look_beside: Annotated[
        bool, Meta(description="look for the page of the run before in the folder of the new one")
    ] = True
    against: Annotated[
        str, Meta(description="the build or the branch to compare with, instead of the run before")
    ] = ""
    series: Annotated[str, Meta(description="what runs belong together by; may hold `{title} {fact:KEY}`")] = (
        "{title} {fact:branch}"
    )
    every: Annotated[
        str,
        Meta(description="how often the series runs, like `1d`, so that missing builds show; else by their keys"),
    ] = ""
    pages: Annotated[
        str, Meta(description="where the page of a build stands, like `https://host/builds/{build}/verdict.html`")
    ] = ""
    must: Annotated[
        bool, Meta(description="exit with 5 when earlier runs could not be read or this one not be kept")
    ] = False


class SettingsFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that the file may hold."""

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
    shape: tuple[Shape, ...] = ()

    @property
    def rules(self) -> Rules:
        """Return the rules to judge by."""
        return Rules(self.cause, self.waiver, self.condition, self.compliance.breaks_from)
