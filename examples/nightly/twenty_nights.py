#!/usr/bin/env python3
"""Twenty nights of a booking desk: a real git repository, real tests, a report each night, one history.

    examples/nightly/twenty_nights.py FOLDER [STORE]

FOLDER must not be there yet. STORE is a file or postgresql://user@host/db; default: a file in FOLDER. Nights are
run one after another, so each night's date is written into its results. Needs git, pytest and plain-verdict.

What happens: the ticket printer is offline in four nights; one check of seats is flaky, and gets into quarantine;
searching is slower since night 15; in night 19 a fare is rounded, in night 20 the seats are sorted otherwise.
"""

import json
import os
import re
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

NIGHTS = 20
FIRST = datetime(2026, 11, 2, 2, tzinfo=UTC)
FLAKY, OFFLINE = (3, 8, 12, 17), (4, 9, 10, 16)
"""Nights in which one check fails by itself, and in which the printer is offline."""
FILES = {
    "desk/__init__.py": "",
    "desk/fares.py": """import time


def quote(adults, children=0):
    return 209.0 * adults + 104.5 * children


def search(day):
    time.sleep(0.06)
    return ["09:40", "13:15"]
""",
    "desk/seats.py": """def free(taken):
    return [seat for seat in ("1A", "1B", "2A", "2B") if seat not in taken]
""",
    "desk/tickets.py": """import os


def printed(text):
    if os.environ.get("PRINTER") == "offline":
        raise ConnectionError("the ticket printer of the quays is offline")
    return text.upper()
""",
    "docs/words.md": "Booking desk\n",
    "tests/test_fares.py": """from desk.fares import quote, search


def test_a_single_for_one_adult():
    assert quote(1) == 209.0


def test_a_day_return_for_two_adults():
    assert 2 * quote(2) == 836.0


def test_a_child_travels_at_half_the_fare():
    assert quote(1, 1) == 313.5


def test_sailings_of_a_day_are_found():
    assert search("2026-11-02")[0] == "09:40"
""",
    "tests/test_seats.py": """import os

from desk.seats import free


def test_a_taken_seat_is_not_free():
    assert "1A" not in free(["1A"])


def test_the_first_free_seat_is_in_front():
    assert free([])[0] == "1A"


def test_the_map_can_be_used_with_the_keyboard():
    assert os.environ.get("KEYBOARD") != "slow", "the map had no focus after 5 s"
""",
    "tests/test_tickets.py": """from desk.tickets import printed


def test_a_ticket_is_printed():
    assert printed("skarholm") == "SKARHOLM"


def test_a_receipt_is_printed():
    assert printed("418.00") == "418.00"


def test_a_barcode_is_printed():
    assert printed("bq-402") == "BQ-402"
""",
    "CODEOWNERS": """*fares.py @brindle/fares
*seats.py @brindle/seats
*tickets.py @brindle/quays
""",
    "plain-verdict.toml": """[report]
title = "Booking desk"
out = "reports/night-{fact:build}.html"
markdown = "reports/verdict.md"

[[quarantine]]                  # a flaky check does not stop the line for two weeks
flaky = true
limit = 2

[[owner]]
name = "@brindle/fares"
link = "https://wiki.desk.test/teams/fares"
""",
    ".gitignore": "reports/\nresults.xml\n",
}
KARI, JONAS = ("Kari Nord", "kari@desk.test"), ("Jonas Vik", "jonas@desk.test")
COMMITS = {
    2: [(KARI, "Name the desk", "docs/words.md", "desk", "desk of Brindle Quay")],
    15: [(JONAS, "Look up both quays in a search", "desk/fares.py", "sleep(0.06)", "sleep(0.14)")],
    19: [
        (KARI, "Greet guests by day", "docs/words.md", "desk", "desk, open by day"),
        (JONAS, "Round fares of groups down", "desk/fares.py", "209.0 * adults", "200.0 * adults"),
    ],
    20: [
        (KARI, "Say when the desk opens", "docs/words.md", "by day", "from six"),
        (
            JONAS,
            "Sort the seats from the back",
            "desk/seats.py",
            '"1A", "1B", "2A", "2B"',
            '"2A", "2B", "1A", "1B"',
        ),
        (KARI, "Say when it closes", "docs/words.md", "from six", "from six to nine"),
    ],
}
"""In which night: who, what for, in which file, and what is replaced by what."""


def git(folder: Path, *arguments: str, who: tuple[str, str] = KARI, when: datetime = FIRST) -> None:
    """Run git in the repository as somebody, at a time."""
    names = {"NAME": who[0], "EMAIL": who[1], "DATE": when.isoformat()}
    variables = {f"GIT_{role}_{key}": value for role in ("AUTHOR", "COMMITTER") for key, value in names.items()}
    subprocess.run(["git", *arguments], cwd=folder, env={**os.environ, **variables}, check=True)


def commit(folder: Path, night: int) -> None:
    """Commit what was written on the day before a night."""
    when = FIRST + timedelta(days=night - 1, hours=-8)
    for number, (who, subject, file, before, after) in enumerate(COMMITS.get(night, ())):
        path = folder / file
        path.write_text(path.read_text().replace(before, after, 1))
        git(
            folder, "commit", "--quiet", "--all", "--message", subject, who=who, when=when + timedelta(hours=number)
        )


def run_tests(folder: Path, night: int) -> None:
    """Run the tests as in a night, and give their results its date."""
    circumstances = {
        "PRINTER": "offline" if night in OFFLINE else "",
        "KEYBOARD": "slow" if night in FLAKY else "",
        "PYTHONDONTWRITEBYTECODE": "1",
        "PYTEST_DISABLE_PLUGIN_AUTOLOAD": "1",
        "PYTHONPATH": str(folder),
    }
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--junitxml=results.xml", "tests"]
    subprocess.run(command, cwd=folder, env={**os.environ, **circumstances}, check=False, stdout=subprocess.DEVNULL)
    results = folder / "results.xml"
    when = (FIRST + timedelta(days=night - 1)).isoformat()
    results.write_text(re.sub(r'timestamp="[^"]*"', f'timestamp="{when}"', results.read_text()))


def report(folder: Path, night: int, store: str) -> dict[str, object]:
    """Report on a night and return its summary."""
    command = [sys.executable, "-m", "plain_verdict", "report", "results.xml", "--config", "plain-verdict.toml"]
    commit = subprocess.run(["git", "rev-parse", "HEAD"], cwd=folder, check=True, stdout=subprocess.PIPE, text=True)
    command += [
        "--fact",
        f"build={night}",
        "--fact",
        f"commit={commit.stdout.strip()}",
    ]  # as a pipeline's variables do
    command += ["--history", store, "--no-find-previous", "--overwrite", "--json"]
    done = subprocess.run(command, cwd=folder, check=True, stdout=subprocess.PIPE)
    summary: dict[str, object] = json.loads(done.stdout)
    return summary


def main() -> None:
    """Run all nights, and print the sentence of each."""
    folder = Path(sys.argv[1]).absolute()
    store = sys.argv[2] if len(sys.argv) > 2 else str(folder / "reports" / "history.db")
    folder.mkdir(parents=True)
    (folder / "reports").mkdir()
    for name, text in FILES.items():
        (folder / name).parent.mkdir(exist_ok=True)
        (folder / name).write_text(text)
    git(folder, "init", "--quiet", "--initial-branch", "main")
    git(folder, "add", "--all")
    git(folder, "commit", "--quiet", "--message", "Open the desk")
    for night in range(1, NIGHTS + 1):
        commit(folder, night)
        run_tests(folder, night)
        print(f"night {night}: {report(folder, night, store)['sentence']}", flush=True)
    print(f"Read {folder / 'reports' / 'verdict.md'}, or open {folder / 'reports' / f'night-{NIGHTS}.html'}")


if __name__ == "__main__":
    main()
