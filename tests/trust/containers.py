"""What results stand in: archives, compressed files, folders with hidden files, files of zeros."""

import gzip
import io
import zipfile

from builders import FAIL, GOOD, case, suite, tarred

BAD = suite(case("sinks", FAIL), name="Desk")
DECLARED = '<?xml version="1.0"?>\n'
APPLE_DOUBLE = bytes.fromhex("00051607 00020000") + b"Mac OS X        " + bytes(60)


def zipped(*files, comment=b"", method=0):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", method) as archive:
        for name, data in files:
            archive.writestr(name, data)
        archive.comment = comment
    return buffer.getvalue()


def streamed(*files):
    """A zip that was written to a pipe: sizes stand behind each file."""

    class Pipe(io.BytesIO):
        def seekable(self):
            return False

        def seek(self, *_):
            raise io.UnsupportedOperation

        def tell(self):
            raise io.UnsupportedOperation

    buffer = Pipe()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files:
            archive.writestr(name, data)
    return buffer.getvalue()


def unlisted(data, number_of=1):
    """A zip whose list of files lacks the last one, which still stands in it."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        entries, start = archive.infolist(), archive.start_dir
    kept = entries[:-number_of]
    length = sum(46 + len(entry.filename) + len(entry.extra) + len(entry.comment) for entry in kept)
    end = data[data.rindex(b"PK\x05\x06") :]
    counts = len(kept).to_bytes(2, "little") * 2 + length.to_bytes(4, "little")
    return data[: start + length] + end[:8] + counts + end[16:]


GOOD_ZIP, BAD_ZIP = zipped(("a.xml", GOOD)), zipped(("b.xml", BAD))
ENTRY = '{"startedDateTime": "2026-11-22T02:10:00Z", "time": 4, "request": {"method": "GET", "url": "https://f.test/%s", "headers": []}, "response": {"status": %d, "headers": []}}'


def har(*statuses):
    entries = ", ".join(ENTRY % (at, status) for at, status in enumerate(statuses))
    return '{"log": {"version": "1.2", "entries": [' + entries + "]}}"


NOT_FIT = {
    "two zips put together": {"r.zip": GOOD_ZIP + BAD_ZIP},
    "two zips, the failure in the first": {"r.zip": BAD_ZIP + GOOD_ZIP},
    "three zips put together": {"r.zip": GOOD_ZIP + BAD_ZIP + GOOD_ZIP},
    "bytes behind a zip": {"r.zip": GOOD_ZIP + BAD.encode()},
    "bytes before a zip": {"r.zip": BAD.encode() + GOOD_ZIP},
    "results between the files of a zip": {"r.zip": GOOD_ZIP[: GOOD_ZIP.index(b"PK\x01\x02")] + BAD.encode() + GOOD_ZIP[GOOD_ZIP.index(b"PK\x01\x02") :]},
    "a file in a zip that its list lacks": {"r.zip": unlisted(zipped(("a.xml", GOOD), ("b.xml", BAD)))},
    "the same, compressed": {"r.zip": unlisted(zipped(("a.xml", GOOD), ("b.xml", BAD), method=8))},
    "two zips that were written to pipes": {"r.zip": streamed(("b.xml", BAD)) + streamed(("a.xml", GOOD))},
    "a zip in a zip, with more behind": {"r.zip": zipped(("in.zip", BAD_ZIP + GOOD_ZIP))},
    "a name twice in a zip": {"r.zip": BAD_ZIP.replace(b"b.xml", b"a.xml") + GOOD_ZIP},
    **{f"a member {name}": {"r.zip": zipped(("a.xml", GOOD), (name, BAD))} for name in ("__MACOSX/b.xml", "in/__MACOSX/deep/b.xml", "._b.xml", "in/._b.xml", ".b.xml", ".hidden/b.xml", "in/.deep/b.xml")},
    **{f"a member of a tar {name}": {"r.tar": tarred(("a.xml", GOOD), (name, BAD))} for name in ("__MACOSX/b.xml", "._b.xml", ".hidden/b.xml")},
    "a hidden zip in a zip": {"r.zip": zipped(("a.xml", GOOD), (".in.zip", BAD_ZIP))},
    **{f"a hidden file {name}": {"in/g.xml": GOOD, f"in/{name}": BAD} for name in (".r.xml", ".hidden/r.xml", "deep/.r.xml", ".hidden/deep/r.xml", ".r")},
    "a hidden zip": {"in/g.xml": GOOD, "in/.r.zip": BAD_ZIP},
    "a hidden record": {"in/g.xml": GOOD, "in/.r.jsonl": '{"what": "record", "version": 1}\n'},
    # Bytes of zero.
    **{f"zeros, {name}": {"in/g.xml": GOOD, f"in/{name}": bytes(4096)} for name in ("r.xml", "r.json", "r.jsonl", "r.tap", "r.har", "r.gz", "r.zip")},
    "zeros that are named": {"g.xml": GOOD, "r.dat": bytes(64)},
    "zeros in a zip": {"r.zip": zipped(("a.xml", GOOD), ("b.xml", bytes(512)))},
    "zeros behind half of a file": {"r.xml": suite(case("a"), case("b"))[:60].encode() + bytes(512)},
    # Several members of gzip are one file, and so one document.
    "declared documents as members": {"r.xml.gz": gzip.compress((DECLARED + GOOD).encode()) + gzip.compress((DECLARED + BAD).encode())},
    "three members": {"r.xml.gz": b"".join(gzip.compress(text.encode()) for text in (GOOD, GOOD, BAD))},
    "a member of words": {"r.xml.gz": gzip.compress(GOOD.encode()) + gzip.compress(b"FAILED 1 of 2")},
    "two tars as members": {"r.tar.gz": gzip.compress(tarred(("a.xml", GOOD))) + gzip.compress(tarred(("b.xml", BAD)))},
    # HTTP archives.
    "two archives of exchanges": {"r.har": har(200) + har(500)},
    "the same, with a line between": {"r.har": har(200) + "\n" + har(500)},
    "words behind an archive": {"r.har": har(200) + "\nerror: out of memory"},
    "an answer twice in an exchange": {"r.har": har(200).replace('"status": 200', '"status": 500, "status": 200')},
    "entries twice in an archive": {"r.har": har(200)[:-2] + ', "entries": ' + har(500).partition('"entries": ')[2]},
    # TAP.
    "a second plan": {"r.tap": "TAP version 13\n1..1\nok 1 - a\nTAP version 13\n1..2\nok 1 - b\n"},
    "a plan of more": {"r.tap": "1..3\nok 1 - a\nok 2 - b\n"},
    "a point behind the end of the plan": {"r.tap": "1..1\nok 1 - a\nnot ok 2 - b\n"},
    "a bail": {"r.tap": "1..1\nok 1 - a\nBail out! no boat\n"},
    "not ok, indented": {"r.tap": "1..1\n    not ok 1 - a\n    1..1\nok 1 - b\n"},
    **{f"a plan {plan}": {"r.tap": f"{plan}\nok 1 - a\n"} for plan in ("1..+2", "1..2.0", "1..1,200", "1..２", "1.." + "9" * 20)},
}  # fmt: skip

FIT = {
    "a zip": {"r.zip": zipped(("a.xml", GOOD), ("b/c.xml", GOOD.replace("lands", "turns")))},
    "a zip with a comment": {"r.zip": zipped(("a.xml", GOOD), comment=b"night 7")},
    "a zip that was written to a pipe": {"r.zip": streamed(("a.xml", GOOD), ("b.xml", GOOD.replace("lands", "turns")))},
    "a deflated zip": {"r.zip": zipped(("a.xml", GOOD), method=8)},
    "a zip with folders": {"r.zip": zipped(("in/", ""), ("in/a.xml", GOOD))},
    "zeros behind a zip": {"r.zip": GOOD_ZIP + bytes(512)},
    "what a system adds to a zip": {"r.zip": zipped(("a.xml", GOOD), ("__MACOSX/._a.xml", APPLE_DOUBLE))},
    "a hidden file that is not a result": {"in/g.xml": GOOD, "in/.gitignore": "*.log\n", "in/.last.json": '{"seen": 1}'},
    "a tool's own folder": {"in/g.xml": GOOD, "in/.git/r.xml": BAD},
    "a hidden file that is named": {".r.xml": GOOD},
    "zeros that are no result": {"in/g.xml": GOOD, "in/core.bin": bytes(512)},
    "an archive of exchanges": {"r.har": har(200, 204)},
    "blank space behind an archive": {"r.har": har(200) + "\n\n"},
    "TAP": {"r.tap": "TAP version 14\n1..2\nok 1 - a\nok 2 - b # SKIP tide\n"},
}  # fmt: skip
