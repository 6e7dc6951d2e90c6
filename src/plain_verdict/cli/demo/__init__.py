"""``plain-verdict demo``: the demo results and the page made from them."""

import argparse
import os
import shlex
import shutil
from datetime import datetime
from pathlib import Path

from plain_verdict.cli import report
from plain_verdict.cli.common import add_debug
from plain_verdict.cli.demo.files import (
    API_DOCUMENT,
    BRAND,
    EARLIER,
    REQUIREMENTS,
    RESULTS,
    RULES,
    SETTINGS,
    SHOTS,
    WAIVER_LASTS,
)
from plain_verdict.cli.terminal import show
from plain_verdict.request import made_at
from plain_verdict.runtime.errors import WriteError

TO_LOOK_AT = """
What to look at:
  - the company's logo, title and facts; a second logo for dark mode
  - the verdict, the conditions, and "Causes": by rule and by similarity, one of them waived
  - "All checks": press / and type fare; click failed; sort by duration
  - "Day return for two adults": its steps, the failed step, and its screenshot
  - "By kind": the four kinds of run; "API": the operations of the fares service, and those never called
  - "A school class can be booked": expected and actual values, the request, the response, and a curl command
  - "South quay": the harbour office's own spreadsheet, read with a [[mapping]] of plain-verdict.toml
  - "Load": the first morning of ticket sales, its targets, its failures, and the change since the rehearsal
  - "Compliance": hardening of servers, accessible pages and a code scan; one rule was decided by hand
  - "Changes since 4210": twenty builds, two of them without results; new, fixed and flaky checks, an incident, and
    a check that is slower since 4207
  - "Requirements": twelve requirements, and those that no check covers
  - a picture opens large: arrow keys show the next one, Esc goes back; "Pictures" shows all
  - n and p jump from failure to failure; each check has its own link
  - "Inputs" names the file that was truncated when its machine went down
"""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument(
        "folder",
        nargs="?",
        default="plain-verdict-demo",
        metavar="FOLDER",
        help="where to write (default: %(default)s)",
    )
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write the demo and say what to look at."""
    folder = Path(options.folder)
    try:
        shutil.copytree(RESULTS, folder / "results", dirs_exist_ok=True)
        shutil.copytree(EARLIER, folder / "earlier", dirs_exist_ok=True)
        shutil.copytree(SHOTS, folder / "shots", dirs_exist_ok=True)
        shutil.copytree(BRAND, folder / "brand", dirs_exist_ok=True)
        shutil.copytree(RULES, folder / "rules", dirs_exist_ok=True)
        shutil.copy(API_DOCUMENT, folder)
        shutil.copy(REQUIREMENTS, folder)
        until = (made_at(os.environ, datetime.now().astimezone()).date() + WAIVER_LASTS).isoformat()
        settings = SETTINGS.read_text("utf-8").replace("{UNTIL}", until)
        (folder / "plain-verdict.toml").write_text(settings, "utf-8")
    except OSError as error:
        raise WriteError(f"the demo can't be written ({error.strerror})", path=str(folder)) from error
    command = [
        "report",
        f"{folder}/results",
        f"{folder}/rules",
        "--evidence",
        f"{folder}/shots",
        "--out",
        f"{folder}/verdict.html",
    ]
    command += ["--config", f"{folder}/plain-verdict.toml", "--overwrite"]
    show(f"$ plain-verdict {shlex.join(command)}\n", "soft")
    parser = argparse.ArgumentParser()
    report.add_options(parser)
    code = report.run(parser.parse_args(command[1:]))
    show(TO_LOOK_AT.rstrip())
    return code
