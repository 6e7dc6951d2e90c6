#!/usr/bin/env python3
"""Writes JUnit files of N checks as a large suite leaves them behind.

4 % fail with 24-line stack texts (or another share), some have output, some are skipped. The same numbers give the
same bytes.

    make_junit.py N FILE                 one file
    make_junit.py N FOLDER FILES         the same in so many files
    make_junit.py N FILE failing         all checks fails, with 200-line stack texts
"""

import random
import sys
from pathlib import Path
from typing import TextIO
from xml.sax.saxutils import quoteattr

CHECKS_A_SUITE = 200
BAD = 0.04
STACK_LINES = 24


def stack(rng: random.Random, lines: int = STACK_LINES) -> str:
    sailing = f"BQ-{rng.randrange(1000, 9999)}"
    frames = "\n".join(
        f'  File "desk/pages/part_{rng.randrange(40)}.py", line {rng.randrange(900)}, in step_{number}'
        for number in range(lines - 2)
    )
    return f"Traceback (most recent call last):\n{frames}\nTimeoutError: no fare for sailing {sailing} after 30 s"


def write_case(file: TextIO, rng: random.Random, suite: int, number: int, bad: float) -> None:
    name = quoteattr(f"Sailing {number} can be booked with fare {rng.randrange(100, 999)}")
    start = f'<testcase classname="booking.suite_{suite}" name={name} time="{rng.random() * 4:.3f}"'
    draw = rng.random()
    if draw < bad:
        message = f"no fare for sailing BQ-{rng.randrange(1000, 9999)} after 30 s"
        file.write(f'{start}><failure message="{message}" type="TimeoutError">{stack(rng)}</failure></testcase>\n')
    elif draw < bad + 0.02:
        file.write(f'{start}><skipped message="not on this browser"/></testcase>\n')
    elif draw < bad + 0.06:
        file.write(f"{start}><system-out>opened the timetable\nchose a sailing\npaid</system-out></testcase>\n")
    else:
        file.write(f"{start}/>\n")


def write_file(total: int, path: Path, first: int = 0, bad: float = BAD) -> None:
    rng = random.Random(total + first)
    with path.open("w", encoding="utf-8") as file:
        file.write('<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="Booking desk">\n')
        for start in range(first, first + total, CHECKS_A_SUITE):
            suite, size = start // CHECKS_A_SUITE, min(CHECKS_A_SUITE, first + total - start)
            file.write(f'<testsuite name="suite {suite}" tests="{size}" timestamp="2026-11-22T02:10:00+01:00">\n')
            for number in range(start, start + size):
                write_case(file, rng, suite, number, bad)
            file.write("</testsuite>\n")
        file.write("</testsuites>\n")


def write_files(total: int, folder: Path, files: int, bad: float = BAD) -> None:
    folder.mkdir(exist_ok=True)
    size = total // files
    for number in range(files):
        write_file(size, folder / f"shard-{number:04}.xml", number * size, bad)


def write_alternating(total: int, path: Path) -> None:
    """Write cases of 40 suites by turns, as runners do that run suites side by side."""
    rng = random.Random(total)
    with path.open("w", encoding="utf-8") as file:
        file.write('<testsuite name="Booking desk">\n')
        for number in range(total):
            write_case(file, rng, number % 40, number, BAD)
        file.write("</testsuite>\n")


def write_failing(total: int, path: Path) -> None:
    rng = random.Random(total)
    with path.open("w", encoding="utf-8") as file:
        file.write('<testsuite name="Booking desk">\n')
        for number in range(total):
            message = f"no fare for sailing BQ-{rng.randrange(1000, 9999)} after waiting 30 s"
            text = stack(rng, 200)
            file.write(f'<testcase name="Sailing {number}" time="{rng.random() * 4:.3f}">')
            file.write(f'<failure message="{message}" type="TimeoutError">{text}</failure></testcase>\n')
        file.write("</testsuite>\n")


if __name__ == "__main__":
    number, place, *more = sys.argv[1:]
    if more == ["failing"]:
        write_failing(int(number), Path(place))
    elif more:
        write_files(int(number), Path(place), int(more[0]))
    else:
        write_file(int(number), Path(place))
