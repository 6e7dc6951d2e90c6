"""``plain-verdict demo``: the demo results and the page made from them."""

import argparse
import os
import shlex
import shutil
from datetime import datetime
from pathlib import Path

from plain_verdict.cli import report
from plain_verdict.cli.common import add_debug
from plain_verdict.cli.terminal import show
from plain_verdict.demo import API_DOCUMENT, ASKED, BRAND, EARLIER, RESULTS, RULES, SETTINGS, SHOTS, WAIVER_LASTS
from plain_verdict.errors import WriteError
from plain_verdict.request import made_at

TO_LOOK_AT = """
What to look at:
  - the company's logo, words and facts; another logo where your system is dark
  - the verdict, the conditions it rests on, and "Why": causes by rule and by likeness, one of them waived
  - "Every check": press / and type fare; click failed; order them slowest first
  - "Day return for two adults": its steps, the one that failed, and the picture beside it
  - "In short": the four kinds of run; "API": the operations of the fares service, and what was never called
  - "A school class can be booked": what was expected, what was sent, what came back, and a curl command
  - "South quay", by hand: the harbour office's own spreadsheet, read by a [[shape]] in plain-verdict.toml
  - "Load": the first morning of ticket sales, its targets, when it failed, and what got slower since the rehearsal
  - "Compliance": the servers' hardening, accessible pages and a code scan; one rule was decided by a person
  - "Since 4210": twenty builds, two of them without results, and what is new, mended, wobbly, slower
  - "What was asked": twelve requirements, and the ones that nothing has checked
  - any picture opens large: arrow keys go on, Esc goes back; "Pictures" has them all
  - press n and p to go from failure to failure; each check has a link of its own
  - "How this was read" names the file that was cut off when its machine went down
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
        shutil.copy(ASKED, folder)
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
