"""Makes the small inputs of the tables: suites, records, archives."""

import io
import json
import tarfile
import zipfile

FAIL = '<failure message="no boat"/>'
STAMP = "2026-11-22T02:10:00"


def case(name="sails", inside="", attributes=""):
    return f'<testcase name="{name}" {attributes}>{inside}</testcase>'


def suite(*cases, name="Quay", attributes=""):
    return f'<testsuite name="{name}" {attributes}>{"".join(cases)}</testsuite>'


def timed(stamp, *cases, name="Quay"):
    return suite(*cases, name=name, attributes=f'timestamp="{stamp}" time="60"')


def record(*lines):
    head = {"what": "record", "version": 1}
    return "\n".join(line if isinstance(line, str) else json.dumps(line) for line in (head, *lines)) + "\n"


def check(id_="c", name="sails", outcome="passed", steps=(), **about):
    end = {key: about.pop(key) for key in ("problems", "reason") if key in about}
    begin = {"what": "check", "id": id_, "name": name, "suite": ["Quay"], **about}
    return (begin, *steps, {"what": "end", "id": id_, "outcome": outcome, **end})


def step(id_, inside, outcome="passed", **end):
    begin = {"what": "step", "id": id_, "in": inside, "name": f"step {id_}"}
    return (begin, {"what": "end", "id": id_, "outcome": outcome, **end})


def tarred(*files, end=True):
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        for name, data in files:
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            archive.addfile(entry, io.BytesIO(data.encode()))
    data = buffer.getvalue()
    return data if end else data[: 512 * 2 * len(files)]


def zipped(**files):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, data in files.items():
            archive.writestr(f"{name}.xml", data)
    return buffer.getvalue()


GOOD = suite(case("lands"))
BAD = suite(case("sails", FAIL))
