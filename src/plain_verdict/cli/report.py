"""``plain-verdict report``: the main job, results in and a page out."""

import argparse
import os
import time
from typing import TYPE_CHECKING

from plain_verdict.cli.common import (
    DONE,
    NOT_FIT,
    NOTHING_READ,
    PARTLY_READ,
    add_arrivals,
    add_config,
    add_masking,
    add_results,
    mask_results,
    read_results,
    show_json,
    show_trouble,
)
from plain_verdict.cli.terminal import Progress, show, show_labelled

if TYPE_CHECKING:
    from pathlib import Path

    from plain_verdict.cli.publishing import Published
    from plain_verdict.cli.wishes import Wishes
    from plain_verdict.masking import Masker
    from plain_verdict.model import Run, Verdict
    from plain_verdict.page import Front

Options = argparse._ArgumentGroup

_SWITCH = argparse.BooleanOptionalAction
_CAUSES_SHOWN = 10
_NAME_CHARS = 160


def add_to(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command and its options; what is not given is taken from the settings."""
    text = "Read result files and write one HTML page with the verdict."
    parser = commands.add_parser("report", help="read result files and write the page", description=text)
    add_results(parser)
    add_config(parser)
    _add_where(parser.add_argument_group("where it goes"))
    _add_words(parser.add_argument_group("what it says and how it looks"))
    _add_contents(parser.add_argument_group("what is in it"))
    add_arrivals(parser.add_argument_group("what must arrive"))
    ends = parser.add_argument_group("how it ends")
    ends.add_argument("--enforce", action=_SWITCH, help='exit with 1 when the verdict is not "fit"')
    ends.add_argument("--strict", action=_SWITCH, help="exit with 4 when part of the input could not be read")
    ends.add_argument("--open", action="store_true", help="open the page in the browser")
    ends.add_argument("--quiet", action="store_true", help="print nothing but errors")
    parser.set_defaults(run=run)


def _add_where(group: Options) -> None:
    group.add_argument(
        "--out",
        metavar="NAME",
        help="file or folder to write (default: verdict.html); "
        "may hold {title} {date} {time} {verdict} {fact:KEY}; a name that is taken gets a counter",
    )
    group.add_argument("--overwrite", action=_SWITCH, help="write over what has the name")
    group.add_argument("--latest", metavar="NAME", help="keep the newest under this name as well, beside it")
    group.add_argument("--keep", type=int, metavar="N", help="remove the oldest pages there until N are left")
    group.add_argument(
        "--layout",
        choices=("page", "folder"),
        help="one file (default), or a folder that needs no script, no inline style and no data URL",
    )
    group.add_argument("--zip", action=_SWITCH, help="write a folder, and the same packed as a zip file")
    group.add_argument("--mail", metavar="FILE", help="also write a digest as a mail message (.eml)")


def _add_words(group: Options) -> None:
    group.add_argument("--title", metavar="TEXT", help="the page's title (default: the results' own name)")
    group.add_argument("--description", metavar="TEXT", help="words under the verdict, in Markdown")
    group.add_argument("--fact", action="append", metavar="KEY=VALUE", help="a fact about the run; repeat for more")
    group.add_argument("--git", action=_SWITCH, help="take facts from the results' repository (default: on)")
    group.add_argument("--organisation", metavar="NAME", help="whose page it is")
    group.add_argument("--logo", metavar="FILE", help="PNG, JPEG, WebP or SVG, of any size and shape")
    group.add_argument("--accent", metavar="COLOUR", help="colour of rules and links, like #155e8a")
    group.add_argument("--theme", choices=("auto", "light", "dark"), help="the page's colours (default: auto)")
    group.add_argument("--time-zone", metavar="NAME", help="zone of every time shown, like Europe/Oslo")


def _add_contents(group: Options) -> None:
    group.add_argument("--only", choices=("all", "failed"), help="leave passed and skipped checks out of the page")
    group.add_argument(
        "--evidence",
        nargs="+",
        action="extend",
        metavar="FOLDER",
        help="folders with screenshots and logs, matched to checks by name; "
        "or templates like 'shots/{suite}/{check}*.png'",
    )
    group.add_argument(
        "--evidence-for",
        choices=("all", "failed", "none"),
        help="whose evidence goes into the page (default: all)",
    )
    group.add_argument("--size-limit", metavar="SIZE", help="how large the page may get (default: 25MB)")
    add_masking(group)


def run(options: argparse.Namespace) -> int:
    """Write the page and print the verdict."""
    from plain_verdict.cli.publishing import publish
    from plain_verdict.cli.wishes import read_wishes
    from plain_verdict.evidence import collect
    from plain_verdict.judge import judge
    from plain_verdict.page.view import title_of
    from plain_verdict.settings import DEFAULT_LIMITS
    from plain_verdict.writers.summary import published, render_summary, summarise
    from plain_verdict.zones import in_zone

    began = time.perf_counter()
    wishes = read_wishes(options, os.environ)
    results = read_results(options.results, wishes.expected)
    if results.files:
        with Progress("Evidence") as progress:
            results = collect(results, wishes.evidence, DEFAULT_LIMITS, progress)
    results, masker = mask_results(in_zone(results, wishes.zone), wishes.masking)
    verdict = judge(results, wishes.made.date(), wishes.rules)
    show_trouble(results, verdict, notes=not options.quiet)
    for note in () if options.quiet else wishes.notes:
        show_labelled("note", note)
    if not results.files:
        show_labelled("error", "nothing could be read, so no page was written")
        if options.json:
            show_json(render_summary(summarise(results, verdict, masked=masker.count, detail=options.detail)))
        return NOTHING_READ
    front = _front(results, wishes, masker)
    written = publish(results, verdict, front, wishes)
    if options.json:
        summary = summarise(results, verdict, masked=masker.count, detail=options.detail)
        files = {"page": written.page, "packed": written.packed, "latest": written.latest, "mail": written.mail}
        show_json(render_summary(published(summary, front.title or title_of(results), front.facts, files)))
    elif not options.quiet:
        show_verdict(results, verdict)
        _show_written(written, time.perf_counter() - began)
    if options.open:
        open_page(written.page)
    return exit_code(results, verdict, enforce=wishes.report.enforce, strict=wishes.report.strict)


def _front(results: "Run", wishes: "Wishes", masker: "Masker") -> "Front":
    """Return what the page says besides its results, masked as they are."""
    from plain_verdict.facts import repository_facts
    from plain_verdict.page import Front

    report = wishes.report
    folders = list(dict.fromkeys(file.folder for file in results.files if file.folder))
    own = {fact.key.casefold() for fact in wishes.facts}
    told = repository_facts(folders) if report.git else ()
    facts = masker.facts((*wishes.facts, *(fact for fact in told if fact.key not in own)))
    title, description = masker.text(report.title.strip()), masker.text(report.description)
    return Front(
        made=wishes.made,
        title=title,
        description=description,
        facts=facts,
        brand=wishes.brand,
        theme=report.theme,
        only=report.only,
        masks=None if masker.off else masker.count,
        notes=(*wishes.brand.notes, *wishes.notes, *masker.troubles),
    )


def _show_written(written: "Published", took_s: float) -> None:
    for path in written.removed:
        show(f"Removed {path}, one of the oldest.", "soft")
    for words, other in (("Packed", written.packed), ("The newest", written.latest), ("The digest", written.mail)):
        if other:
            show(f"{words}: {other}", "soft")
    show(f"Took {took_s:.2f} s. The page is here:", "soft")
    show(str(written.page))


def exit_code(results: "Run", verdict: "Verdict", *, enforce: bool, strict: bool) -> int:
    """Return the exit code; where several apply, the first in the order of the documentation."""
    if enforce and verdict.word.value != "fit":
        return NOT_FIT
    if strict and (any(not one.chosen for one in results.unread) or any(note.lost for note in results.notes)):
        return PARTLY_READ
    return DONE


def show_verdict(results: "Run", verdict: "Verdict") -> None:
    """Print the verdict sentence, the causes with their checks, and what else a reader should know."""
    from plain_verdict.words import listed

    show(verdict.sentence, verdict.word.value)
    for cause in verdict.causes[:_CAUSES_SHOWN]:
        show(f"{len(cause.checks):>5,}", "failed", end="  ")
        name = cause.name if len(cause.name) <= _NAME_CHARS else cause.name[: _NAME_CHARS - 1] + "…"
        show(name + (", waived" if all(check.id in verdict.waived for check in cause.checks) else ""))
        show(
            f"       {listed([' › '.join((*check.suite, check.title)) for check in cause.checks], most=3)}", "soft"
        )
    if len(verdict.causes) > _CAUSES_SHOWN:
        show(f"       and {len(verdict.causes) - _CAUSES_SHOWN:,} more causes", "soft")
    # These are on stderr already.
    told = {trouble.sentence for trouble in results.unread} | {note.sentence for note in results.notes}
    for remark in verdict.remarks:
        if remark not in told:
            show(remark)


def open_page(page: "Path") -> None:
    """Open the page in the user's browser, or say that there is none."""
    import webbrowser

    if not webbrowser.open(page.as_uri()):
        show_labelled("note", "no browser could be opened here.")
