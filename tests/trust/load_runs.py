"""Load runs: samples, sums, condensed ones, targets, and what changed."""

import contextlib
import functools
import gzip
import io
import json
import os
import random
import tempfile
import zlib
from pathlib import Path

from builders import GOOD

from plain_verdict.cli import main

HEAD = "started_ms,request,took_ms,status,ok\n"
START = 1795312800000


def row(at, name="Pay", took=50, *, ok=True):
    return f"{START + at * 1000},{name},{took},{200 if ok else 503},{'true' if ok else 'false'}\n"


def samples(rows=120, bad=(), head=HEAD, **own):
    return head + "".join(row(at, ok=at not in bad, **own) for at in range(rows))


ALL_BAD = range(10_000)


def wander(seed, level=1.0, minutes=15, spread=0.7):
    """Times that come in bursts, minute by minute, as real ones do."""
    rng = random.Random(seed)
    levels = [level * rng.lognormvariate(0, spread) for _ in range(minutes)]
    rows = [
        row(at, took=max(1, int(200 * levels[at // 60] * rng.lognormvariate(0, 0.3)))) for at in range(minutes * 60)
    ]
    return HEAD + "".join(rows)


def target(measure, bound, request="", key="at_most", **load):
    scope = f'scope = {{ request = "{request}" }}\n' if request else ""
    table = "".join(f"{name} = {value}\n" for name, value in load.items())
    return f'[load]\n{table}[[condition]]\nmeasure = "{measure}"\n{key} = "{bound}"\n{scope}'


BASELINE = {"baseline": '["aside/before.csv"]'}


@functools.cache
def condensed(*texts, options=()):
    """What the program condenses samples to; what it says is thrown away."""
    here = Path.cwd()
    with tempfile.TemporaryDirectory() as name:
        os.chdir(name)
        try:
            for at, text in enumerate(texts):
                Path(f"{at}.csv").write_bytes(text if isinstance(text, bytes) else text.encode())
            with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
                main(["condense", *(f"{at}.csv" for at in range(len(texts))), *options, "--out", "all.load"])
            return Path("all.load").read_bytes()
        finally:
            os.chdir(here)


def rewritten(data, **changed):
    """A condensed file with other words in its first line."""
    first, _, rest = data.partition(b"\n")
    return json.dumps(json.loads(first) | changed, separators=(",", ":")).encode() + b"\n" + rest


def renumbered(data, at, number):
    """A condensed file with another number in its columns."""
    first, _, rest = data.partition(b"\n")
    columns = bytearray(zlib.decompress(rest))
    columns[8 * at : 8 * at + 8] = number.to_bytes(8, "little", signed=True)
    return first + b"\n" + zlib.compress(bytes(columns))


WHOLE = samples()
CUT = WHOLE[:-8]
LINE = '{"started": %d, "request": "Pay", "took_ms": 50, "status": %s}\n'
TIMES = target("p95", "400 ms", "Pay")

NOT_FIT = {
    # All failed: never fit, with or without a target.
    "every request failed": {"load.csv": samples(bad=ALL_BAD), "g.xml": GOOD},
    "every request failed, alone": {"load.csv": samples(bad=ALL_BAD)},
    "every request failed, condensed": {"load.load": condensed(samples(bad=ALL_BAD)), "g.xml": GOOD},
    "every request of one of two files failed": {"a.csv": samples(bad=ALL_BAD, name="Quote"), "b.csv": samples(), "plain-verdict.toml": target("p95", "400 ms", "*")},
    **{
        f"every request failed, {measure}": {"load.csv": samples(bad=ALL_BAD), "g.xml": GOOD, "plain-verdict.toml": target(measure, bound)}
        for measure, bound in (("p50", "400 ms"), ("p95", "400 ms"), ("p99.9", "9 s"), ("mean", "400 ms"), ("longest", "9 s"), ("error share", "100 %"), ("requests", "1000"), ("throughput", "900"))
    },
    "one of two requests failed every time": {"load.csv": samples() + samples(bad=ALL_BAD, name="Quote", head=""), "plain-verdict.toml": target("p95", "400 ms", "Quote")},
    **{
        f"a third of the answers is {status}": {"load.csv": "started_ms,request,took_ms,status\n" + "".join(f"{START + at * 1000},Pay,50,{200 if at % 3 else status}\n" for at in range(60)), "g.xml": GOOD, "plain-verdict.toml": target("error share", "1 %")}
        for status in ("", "-", "timeout", 0, 99, 400, 404, 499, 500, 599, 600)
    },
    "one request, which failed": {"load.csv": samples(1, bad=[0]), "g.xml": GOOD},
    # Targets that nothing is known of, or that are not met.
    "a target on a request that is not there": {"load.csv": WHOLE, "g.xml": GOOD, "plain-verdict.toml": target("p95", "400 ms", "Gone")},
    "too few requests for a percentile": {"load.csv": samples(3), "g.xml": GOOD, "plain-verdict.toml": target("p99.9", "400 ms")},
    "more failed than a percentile leaves room for": {"load.csv": samples(bad=range(0, 120, 10)), "g.xml": GOOD, "plain-verdict.toml": TIMES},
    "a change in runs that wander": {"aside/before.csv": wander(1), "load.csv": wander(2, 1.2), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "no change, in runs that wander": {"aside/before.csv": wander(3), "load.csv": wander(4), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "a change of the median, in runs that wander": {"aside/before.csv": wander(5), "load.csv": wander(6, 1.2), "g.xml": GOOD, "plain-verdict.toml": target("p50 change", "10 %", **BASELINE)},
    "a change without an earlier run": {"load.csv": wander(7), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %")},
    "a change from a run that is too short": {"aside/before.csv": samples(40), "load.csv": samples(40), "g.xml": GOOD, "plain-verdict.toml": target("p50 change", "10 %", **BASELINE)},
    "a change in two minutes that wander": {"aside/before.csv": wander(5, minutes=2), "load.csv": wander(6, 1.2, minutes=2), "g.xml": GOOD, "plain-verdict.toml": target("p50 change", "10 %", **BASELINE)},
    "a change from a run that is gone": {"load.csv": wander(7), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "a change that is certain": {"aside/before.csv": wander(8, spread=0.05), "load.csv": wander(9, 1.5, spread=0.05), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "all failed, and were fast before": {"aside/before.csv": wander(8), "load.csv": samples(900, bad=ALL_BAD), "g.xml": GOOD, "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    # Rows and parts that are lost.
    "a row truncated": {"load.csv": CUT, "plain-verdict.toml": TIMES},
    "a row without a duration": {"load.csv": WHOLE + f"{START},Pay,,200,true\n", "plain-verdict.toml": TIMES},
    "a row of another form": {"load.csv": WHOLE + "Traceback (most recent call last):\n", "plain-verdict.toml": TIMES},
    "nothing but a header": {"load.csv": HEAD, "g.xml": GOOD},
    "samples that can't be unpacked": {"load.csv.gz": gzip.compress(WHOLE.encode())[:-20], "plain-verdict.toml": TIMES},
    "a key twice in a line": {"load.jsonl": "".join(LINE % (START + at * 1000, "200") for at in range(60)) + LINE % (START, '503, "status": 200'), "plain-verdict.toml": TIMES},
    "a line that is cut": {"load.jsonl": "".join(LINE % (START + at * 1000, "200") for at in range(60))[:-9], "plain-verdict.toml": TIMES},
    "condensed without a row": {"load.load": condensed(CUT), "plain-verdict.toml": TIMES},
    "condensed without a file": {"load.load": condensed(WHOLE, "no samples\n"), "plain-verdict.toml": TIMES},
    "condensed of what is damaged": {"load.load": condensed(WHOLE, gzip.compress(samples(name="Quote").encode())[:-20]), "plain-verdict.toml": TIMES},
    "condensed of nothing but a header, too": {"load.load": condensed(WHOLE, HEAD), "plain-verdict.toml": TIMES},
    # Condensed files that were changed.
    "condensed, truncated": {"load.load": condensed(WHOLE)[:-9], "g.xml": GOOD},
    "condensed, with a request that is not there": {"load.load": renumbered(condensed(WHOLE), 0, 7 << 17), "g.xml": GOOD},
    "condensed, with a time that is none": {"load.load": renumbered(condensed(WHOLE), 0, (1 << 17) - 1), "g.xml": GOOD},
    "condensed, with a count under 0": {"load.load": renumbered(condensed(WHOLE), 1, -5), "g.xml": GOOD},
    "condensed, with a count of none": {"load.load": renumbered(condensed(WHOLE), 1, 0), "g.xml": GOOD},
    "condensed, with other numbers in its first line": {"load.load": rewritten(condensed(WHOLE), rows=7), "g.xml": GOOD},
    "condensed, without its requests": {"load.load": rewritten(condensed(WHOLE), requests=[]), "g.xml": GOOD},
    "condensed, of a later version": {"load.load": rewritten(condensed(WHOLE), version=99), "g.xml": GOOD},
    "condensed, with words for a number": {"load.load": rewritten(condensed(WHOLE), rows="many"), "g.xml": GOOD},
}  # fmt: skip

FIT = {
    "a target that is met": {"load.csv": WHOLE, "plain-verdict.toml": TIMES},
    "a target that is met, condensed": {"load.load": condensed(WHOLE), "plain-verdict.toml": TIMES},
    "two machines, condensed": {"a.load": condensed(WHOLE), "b.load": condensed(samples(name="Quote")), "plain-verdict.toml": TIMES},
    "some failed, and few enough": {"load.csv": samples(bad=[7]), "plain-verdict.toml": target("error share", "1 %")},
    "as fast as before": {"aside/before.csv": wander(8, spread=0.02), "load.csv": wander(9, spread=0.02), "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "faster than before": {"aside/before.csv": wander(8, spread=0.05), "load.csv": wander(9, 0.5, spread=0.05), "plain-verdict.toml": target("p95 change", "10 %", **BASELINE)},
    "samples beside checks, without a target": {"load.csv": WHOLE, "g.xml": GOOD},
    "files that were joined": {"load.csv": WHOLE + samples(60, name="Quote"), "plain-verdict.toml": TIMES},
    "a line of JSON each": {"load.jsonl": "".join(LINE % (START + at * 1000, "200") for at in range(60)), "plain-verdict.toml": TIMES},
    "samples in gzip": {"load.csv.gz": gzip.compress(WHOLE.encode()), "plain-verdict.toml": TIMES},
    "one that was condensed twice": {"load.load": condensed(WHOLE, WHOLE), "plain-verdict.toml": TIMES},
}  # fmt: skip
