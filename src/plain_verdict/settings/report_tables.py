"""Tables of plain-verdict.toml on the report itself: ``[report]``, ``[brand]`` and ``[mail]``."""

from typing import Annotated

import msgspec
from msgspec import Meta

from plain_verdict.settings.choices import ChecksShown, Option, PaperSize, TablesAs, Theme, When


class ReportTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[report]``: title, outputs and look."""

    title: Annotated[
        str,
        Meta(description="title of the report; default: from the results"),
        Option("--title", "title of the report (default: from the results)", metavar="TEXT", group="look"),
    ] = ""
    description: Annotated[
        str,
        Meta(description="text under the verdict, in Markdown"),
        Option("--description", "text under the verdict, in Markdown", metavar="TEXT", group="look"),
    ] = ""
    out: Annotated[
        str,
        Meta(description="file or folder to write; placeholders: `{title} {date} {time} {verdict} {fact:KEY}`"),
        Option(
            "--out",
            "file or folder to write (default: verdict.html), with the placeholders "
            "{title} {date} {time} {verdict} {fact:KEY}; an existing name gets a counter",
            metavar="NAME",
            group="outputs",
        ),
    ] = ""
    layout: Annotated[
        str,
        Meta(description="one file, or a folder without scripts and inline styles"),
        Option(
            "--layout",
            "one file (default), or a folder without scripts, inline styles and data URLs",
            group="outputs",
        ),
    ] = "page"
    zip: Annotated[
        bool,
        Meta(description="also write a zip file of the folder"),
        Option("--zip", "write a folder and a zip file of it", group="outputs"),
    ] = False
    overwrite: Annotated[
        bool,
        Meta(description="replace an existing page of that name, instead of adding a counter"),
        Option("--overwrite", "replace an existing page of that name", group="outputs"),
    ] = False
    latest: Annotated[
        str,
        Meta(description="a name, beside the page, under which the newest is kept as well"),
        Option(
            "--latest",
            "also keep the newest page under this name, in the same folder",
            metavar="NAME",
            group="outputs",
        ),
    ] = ""
    index: Annotated[
        bool,
        Meta(description="update the index of reports, index.html in their folder"),
        Option("--index", "update the index of reports in that folder, index.html", group="outputs"),
    ] = False
    index_title: Annotated[str, Meta(description="title of the index")] = "Reports"
    keep: Annotated[
        int,
        Meta(description="keep the newest N pages there and remove older ones; 0 keeps all", ge=0),
        Option("--keep", "keep the newest N pages in that folder, remove older ones", metavar="N", group="outputs"),
    ] = 0
    tables: Annotated[
        str,
        Meta(description="folder for tables, or a workbook with the suffix `.xlsx`"),
        Option(
            "--tables",
            "also write tables: a folder, or a workbook (.xlsx) (docs/tables.md)",
            metavar="PATH",
            group="outputs",
        ),
    ] = ""
    tables_as: Annotated[
        TablesAs,
        Meta(description="format in a folder: `csv-bom` has a byte order mark, `csv-raw` keeps formulas"),
        Option("--tables-as", "format of the tables in a folder (default: csv)", group="outputs"),
    ] = TablesAs.CSV
    pdf: Annotated[
        str,
        Meta(description="file for the PDF report"),
        Option("--pdf", "also write a PDF report", metavar="FILE", group="outputs"),
    ] = ""
    pdf_for: Annotated[
        ChecksShown,
        Meta(description="checks that the PDF report lists"),
        Option("--pdf-for", "checks that the PDF report lists (default: failed)", group="outputs"),
    ] = ChecksShown.FAILED
    pdf_paper: Annotated[
        PaperSize,
        Meta(description="paper size of the PDF report"),
        Option("--pdf-paper", "paper size of the PDF report (default: A4)", group="outputs"),
    ] = PaperSize.A4
    outputs: Annotated[
        tuple[str, ...],
        Meta(description="more outputs by name, each `NAME=FILE`; also those of extensions"),
        Option(
            "--output",
            "also write an output by its name (docs/python.md lists them), or one of an extension",
            metavar="NAME=FILE",
            group="outputs",
            repeats=True,
        ),
    ] = ()
    attest: Annotated[
        str,
        Meta(description="file for a statement on the report, which can be signed (in-toto, DSSE)"),
        Option(
            "--attest",
            "also write a statement on the report that can be signed (in-toto, DSSE; docs/proof.md)",
            metavar="FILE",
            group="outputs",
        ),
    ] = ""
    subjects: Annotated[
        tuple[str, ...],
        Meta(description="what was tested: files, or `NAME=sha256:HASH`; the statement is on them as well"),
        Option(
            "--subject",
            "with --attest: what was tested, a file or NAME=sha256:HASH; repeat for more",
            metavar="SUBJECT",
            group="outputs",
            repeats=True,
        ),
    ] = ()
    sign_with: Annotated[
        str,
        Meta(description="key that signs the statement: an SSH key, or an Ed25519 key in PEM"),
        Option(
            "--sign-with",
            "with --attest: sign with this SSH key, or Ed25519 key in PEM",
            metavar="KEY",
            group="outputs",
        ),
    ] = ""
    junit: Annotated[
        str,
        Meta(description="file for the results as JUnit XML"),
        Option("--junit", "also write the results as JUnit XML", metavar="FILE", group="outputs"),
    ] = ""
    markdown: Annotated[
        str,
        Meta(description="file for the summary as Markdown; `-` is standard output"),
        Option("--markdown", "also write a summary as Markdown; - prints it", metavar="FILE", group="outputs"),
    ] = ""
    link: Annotated[
        str,
        Meta(description="address of the page for others; an address that ends in a slash gets the page's name"),
        Option(
            "--link",
            "address of the page for others; of its folder if it ends in a slash",
            metavar="URL",
            group="outputs",
        ),
    ] = ""
    digest: Annotated[
        str,
        Meta(description="file for the digest: the run's data as JSON, small enough for a cache"),
        Option(
            "--digest",
            "also write the run's data as JSON, for --previous (docs/history.md)",
            metavar="FILE",
            group="outputs",
        ),
    ] = ""
    earl: Annotated[
        str,
        Meta(description="file for the compliance results as EARL in JSON-LD"),
        Option(
            "--earl",
            "also write the compliance results as EARL in JSON-LD (docs/compliance.md)",
            metavar="FILE",
            group="outputs",
        ),
    ] = ""
    charts: Annotated[
        str,
        Meta(description="folder for the charts of load runs as PNG and SVG files"),
        Option(
            "--charts", "also write the charts of load runs as PNG and SVG files", metavar="FOLDER", group="outputs"
        ),
    ] = ""
    theme: Annotated[
        Theme,
        Meta(description="colour scheme of the page"),
        Option("--theme", "colour scheme of the page (default: auto)", group="look"),
    ] = Theme.AUTO
    only: Annotated[
        ChecksShown,
        Meta(description="`failed` leaves passed and skipped checks out of the page"),
        Option("--only", "failed: leave passed and skipped checks out of the page", group="contents"),
    ] = ChecksShown.ALL
    time_zone: Annotated[
        str,
        Meta(description="time zone of all times, like `Europe/Oslo`"),
        Option("--time-zone", "time zone of all times, like Europe/Oslo", metavar="NAME", group="look"),
    ] = ""
    pipeline: Annotated[
        bool,
        Meta(description="read build, branch, commit and job from the pipeline's variables"),
        Option(
            "--pipeline",
            "read build, branch, commit and job from the pipeline's variables (default: on)",
            group="look",
        ),
    ] = True
    git: Annotated[
        bool,
        Meta(description="read branch and commit from the repository of the results"),
        Option("--git", "read branch and commit from the results' repository (default: on)", group="look"),
    ] = True
    enforce: Annotated[
        bool,
        Meta(description="exit with 1 when the verdict is not fit"),
        Option("--enforce", 'exit with 1 when the verdict is not "fit"', group="exit"),
    ] = False
    strict: Annotated[
        bool,
        Meta(description="exit with 4 when part of the input could not be read"),
        Option("--strict", "exit with 4 when part of the input could not be read", group="exit"),
    ] = False


class BrandTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[brand]``: the company's name, logo and colour."""

    organisation: Annotated[
        str,
        Meta(description="name of your company or team, next to the title"),
        Option("--organisation", "name of your company or team", metavar="NAME", group="look"),
    ] = ""
    logo: Annotated[
        str,
        Meta(description="PNG, JPEG, WebP or SVG, of any size and shape"),
        Option("--logo", "PNG, JPEG, WebP or SVG, of any size and shape", metavar="FILE", group="look"),
    ] = ""
    logo_dark: Annotated[str, Meta(description="logo for dark mode")] = ""
    accent: Annotated[
        str,
        Meta(description="colour of lines and links, like `#155e8a`"),
        Option("--accent", "colour of lines and links, like #155e8a", metavar="COLOUR", group="look"),
    ] = ""
    footer: Annotated[str, Meta(description="line at the end of the page")] = ""
    link: Annotated[str, Meta(description="address that the logo and the name link to")] = ""
    contact: Annotated[str, Meta(description="mail address or link for questions")] = ""
    stylesheet: Annotated[str, Meta(description="file with your own CSS, up to 50 KB")] = ""


class MailTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"sender": "from"}):
    """``[mail]``: the summary as a mail."""

    file: Annotated[
        str,
        Meta(description="file to write; its name ends in `.eml`"),
        Option("--mail", "also write the verdict as a mail message (.eml)", metavar="FILE", group="outputs"),
    ] = ""
    sender: Annotated[str, Meta(description="sender address; default: the brand's contact")] = ""
    to: Annotated[tuple[str, ...], Meta(description="recipients")] = ()
    cc: Annotated[tuple[str, ...], Meta(description="recipients of a copy")] = ()
    to_owners: Annotated[
        bool, Meta(description="also send each `[[owner]]` with a mail address the failures of their own checks")
    ] = False
    server: Annotated[
        str,
        Meta(
            description="mail server: `smtp://host:587` (STARTTLS), `smtps://host:465` (TLS), "
            "or `smtp+plain://host:25` in your own network"
        ),
    ] = ""
    send: Annotated[
        bool,
        Meta(description="send the mail through that server"),
        Option("--send", "send that message, see [mail] in the settings (docs/publishing.md)", group="outputs"),
    ] = False
    when: Annotated[
        When,
        Meta(
            description="when to send; `changed`: the verdict changed, or failures are new or fixed; "
            "`new`: failures are new or failing again"
        ),
    ] = When.ALWAYS
    user_variable: Annotated[str, Meta(description="environment variable with the user name")] = ""
    password_variable: Annotated[str, Meta(description="environment variable with the password")] = ""
    attach_up_to: Annotated[
        str, Meta(description="maximum size of an attached page; a larger page is only linked")
    ] = "15MB"
