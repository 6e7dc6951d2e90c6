#!/usr/bin/env python3
"""Writes a JUnit file of N checks as a large suite leaves it behind.

4 % fail with 24-line stack texts, some have output, some are skipped. The same N gives the same bytes.

    make_junit.py N FILE
"""

import random
import sys
from pathlib import Path
from typing import TextIO
from xml.sax.saxutils import quoteattr

CHECKS_A_SUITE = 200
STACK_LINES = 24


def stack(rng: random.Random) -> str:
    sailing = f"BQ-{rng.randrange(1000, 9999)}"
    frames = "\n".join(
        f'  File "desk/pages/part_{rng.randrange(40)}.py", line {rng.randrange(900)}, in step_{number}'
        for number in range(STACK_LINES - 2)
    )
    return f"Traceback (most recent call last):\n{frames}\nTimeoutError: no fare for sailing {sailing} after 30 s"


def write_case(file: TextIO, rng: random.Random, suite: int, number: int) -> None:
    name = quoteattr(f"Sailing {number} can be booked with fare {rng.randrange(100, 999)}")
    start = f'<testcase classname="booking.suite_{suite}" name={name} time="{rng.random() * 4:.3f}"'
    draw = rng.random()
    if draw < 0.04:
        message = f"no fare for sailing BQ-{rng.randrange(1000, 9999)} after 30 s"
        file.write(f'{start}><failure message="{message}" type="TimeoutError">{stack(rng)}</failure></testcase>\n')
    elif draw < 0.06:
        file.write(f'{start}><skipped message="not on this browser"/></testcase>\n')
    elif draw < 0.10:
        file.write(f"{start}><system-out>opened the timetable\nchose a sailing\npaid</system-out></testcase>\n")
    else:
        file.write(f"{start}/>\n")


def write_file(total: int, path: Path) -> None:
    rng = random.Random(total)
    with path.open("w", encoding="utf-8") as file:
        file.write('<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="Booking desk">\n')
        for suite, first in enumerate(range(0, total, CHECKS_A_SUITE)):
            size = min(CHECKS_A_SUITE, total - first)
            file.write(f'<testsuite name="suite {suite}" tests="{size}" timestamp="2026-11-22T02:10:00+01:00">\n')
            for number in range(first, first + size):
                write_case(file, rng, suite, number)
            file.write("</testsuite>\n")
        file.write("</testsuites>\n")


if __name__ == "__main__":
    write_file(int(sys.argv[1]), Path(sys.argv[2]))
