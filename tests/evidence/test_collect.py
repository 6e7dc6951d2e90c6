"""Evidence: found for the right check, made fit for the page, refused where it is not safe, within the size asked for."""

import base64
import json
import os
import random
import re
import zipfile
from io import BytesIO

import msgspec
import pytest
from PIL import Image, ImageDraw
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from plain_verdict.evidence.contents import Task, make_content
from plain_verdict.evidence.finding import claim
from plain_verdict.model import Attempt, Check, Content, Evidence, Kind, Outcome, PictureRole
from plain_verdict.model.evidence import sets_of
from plain_verdict.report.difference import compare
from plain_verdict.settings.limits import DEFAULT_LIMITS
from plain_verdict.text.media_types import media_type_of

JUNIT = """<testsuites>
<testsuite name="Booking"><testcase name="test_pay_by_card"/><testcase name="Pay by card twice"><failure/></testcase>
<testcase name="Seats"/><testcase name="Mentions"><system-out>saved shots/deep/proof.png and ../outside.png</system-out></testcase></testsuite>
<testsuite name="Harbour"><testcase name="Seats"/></testsuite></testsuites>"""


def picture(form="PNG", size=(640, 400), seed=0, **options) -> bytes:
    """A picture that looks like a page: flat areas, lines of text."""
    image = Image.new("RGB", size, "#eef3f6")
    draw = ImageDraw.Draw(image)
    rng = random.Random(seed)
    draw.rectangle((0, 0, size[0], 40), fill="#155e8a")
    for line in range(60, size[1], 18):
        draw.text((20 + seed % 7, line), "".join(rng.choices("abcdefgh ijklm", k=size[0] // 8)), fill="#1b2a33")
    buffer = BytesIO()
    image.save(buffer, form, **options)
    return buffer.getvalue()


NAMES = [
    ("PayByCard.png", "test_pay_by_card"), ("test_pay_by_card_2026-11-22T02-10-04_3.png", "test_pay_by_card"),
    ("Pay by card twice - 2.png", "Pay by card twice"), ("TEST PAY BY CARD/1.png", "test_pay_by_card"),
    ("harbour/seats.png", "Harbour/Seats"), ("booking seats.png", "Booking/Seats"), ("seats.png", None), ("other.png", None),
    ("pay.png", None), ("Påy bÿ vöucher.png", "pay by voucher!"),
]  # fmt: skip


def test_files_belong_to_the_check_whose_name_they_carry_in_any_spelling():
    def check(suite: str, name: str) -> Check:
        return Check(f"{suite}/{name}", Kind.FUNCTIONAL, (suite,), name, (Attempt(Outcome.PASSED),))

    checks = [check("Booking", "test_pay_by_card"), check("Booking", "Pay by card twice"), check("Booking", "Seats"),
              check("Harbour", "Seats"), check("Cards", "pay by voucher!")]  # fmt: skip
    claims = claim([f"/shots/{name}" for name, _ in NAMES], "/shots", checks)
    owner = {file.removeprefix("/shots/"): id_ for id_, files in claims.owned.items() for file in files}
    assert owner["test_pay_by_card_2026-11-22T02-10-04_3.png"] == "Booking/test_pay_by_card"
    assert owner["Pay by card twice - 2.png"] == "Booking/Pay by card twice"
    assert owner["PayByCard.png"] == "Booking/test_pay_by_card"
    assert owner["Påy bÿ vöucher.png"] == "Cards/pay by voucher!"
    assert owner["TEST PAY BY CARD/1.png"] == "Booking/test_pay_by_card"
    assert (owner["harbour/seats.png"], owner["booking seats.png"]) == ("Harbour/Seats", "Booking/Seats")
    assert [file.removeprefix("/shots/") for file in claims.ambiguous] == ["seats.png"]
    assert [file.removeprefix("/shots/") for file in claims.unclaimed] == ["other.png", "pay.png"]


@pytest.fixture
def page_of(tool, tmp_path):
    """Report with evidence and give the page's text and the summary."""

    def report(*arguments, results="r.xml"):
        done = tool("report", results, "--json", "--out", "page.html", "--overwrite", *arguments)
        assert done.code == 0, done.err
        return (tmp_path / "page.html").read_text("utf-8"), json.loads(done.out)

    (tmp_path / "r.xml").write_text(JUNIT)
    return report


def test_evidence_is_found_by_folder_template_and_mention_and_nothing_is_dropped(page_of, tmp_path):
    for name in (
        "shots/pay by card twice.png",
        "shots/deep/proof.png",
        "shots/nobody.png",
        "logs/Harbour/Seats.log",
    ):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(picture(seed=len(name)) if name.endswith("png") else b"seat 14C sold")
    (tmp_path.parent / "outside.png").write_bytes(picture())
    page, _ = page_of("--evidence", "shots", "logs/{suite}/{check}*.log")
    twice, mentions, harbour = (
        page[page.index(f"<bdi>{name}</bdi>") :] for name in ("Pay by card twice", "Mentions", "Seats")
    )
    assert "pay by card twice.png" in twice
    assert "proof.png" in mentions
    assert "seat 14C sold" in harbour
    assert "outside.png</bdi></figcaption>" not in page
    assert "1 file without a check" in " ".join(page.split())
    assert page.count("data:image/") == 4  # three pictures and the page's icon


BAD_EVIDENCE = [
    ("cut.png", picture()[:900], "can't be opened as a picture"),
    ("empty.png", b"", "is empty"),
    ("fake.png", b"\x89PNG\r\n\x1a\nnot really", "can't be opened as a picture"),
    ("../out.png", None, "is outside the folders that were named"),
    ("/etc/hostname", None, "is outside the folders that were named"),
    ("link.png", None, "is outside the folders that were named"),
    ("pipe.png", None, "is not a regular file"),
    ("gone.png", None, "does not exist"),
    ("nul\0.png", None, "has no valid path"),
    ("huge.bin", 30_000_000, "over the limit of 20 MB"),
    ("2gb.png", 2_000_000_000, "over the limit"),
]  # fmt: skip


def test_bad_evidence_is_refused_with_the_reason_and_the_rest_is_shown(page_of, tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()
    (tmp_path / "out.png").write_bytes(picture())
    (folder / "link.png").symlink_to(tmp_path / "out.png")
    os.mkfifo(folder / "pipe.png")
    # A picture of 40,000 x 40,000 pixels that takes some hundred kB: it must not be opened.
    (folder / "bomb.png").write_bytes(bomb())
    (folder / "good.png").write_bytes(picture())
    lines = [{"what": "check", "id": "c", "name": "Pay"}]
    for name, data, _ in BAD_EVIDENCE:
        if isinstance(data, bytes):
            (folder / name).write_bytes(data)
        elif data:
            with (folder / name).open("wb") as file:
                file.write(b"\x89PNG\r\n\x1a\n" if name.endswith("png") else b"\0")
                file.truncate(data)
    names = [*(row[0] for row in BAD_EVIDENCE), "bomb.png", "good.png"]
    lines += [{"what": "evidence", "in": "c", "path": name} for name in names]
    lines.append({"what": "evidence", "in": "c", "name": "inline", "base64": "!!"})
    lines.append({"what": "end", "id": "c", "outcome": "passed"})
    (folder / "r.verdict.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    page, summary = page_of(results="in/r.verdict.jsonl")
    text = " ".join(re.sub("<[^>]+>", "", page.replace("&#39;", "'")).split())
    for name, _, reason in BAD_EVIDENCE:
        shown = name.replace("\\", "/").rpartition("/")[2].replace("\0", "␀")
        assert re.search(re.escape(shown) + " is not here: it .{0,60}?" + re.escape(reason), text), (name, text)
    assert "bomb.png is not here: it is 40,000 x 40,000 pixels" in text
    assert "inline is not here: it has base64 that can't be read" in text
    assert "13 pieces of evidence can't be shown" in summary["evidence_notes"][0]
    assert page.count("<image ") == 1


@pytest.mark.parametrize("form", ["PNG", "JPEG", "GIF", "WEBP", "BMP", "AVIF"])
def test_a_damaged_picture_of_any_form_is_a_reason_and_never_an_error(form):
    whole = picture(form, (200, 120))
    rng = random.Random(form)
    for _ in range(60):
        damaged = bytearray(whole[: rng.randrange(1, len(whole))] if rng.random() < 0.4 else whole)
        for _ in range(rng.randrange(1, 6)):
            damaged[rng.randrange(len(damaged))] = rng.randrange(256)
        made = make_content(Task("", bytes(damaged), DEFAULT_LIMITS))
        assert isinstance(made, Content) or made.startswith(("can't be", "is "))


def bomb() -> bytes:
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", 40_000, 40_000, 1, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b"\0" * 5001 * 200))
        + chunk(b"IEND", b"")
    )


SVG = b'<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20"><script>parent.owned=1</script><rect width="40" height="20" onload="owned=1"/></svg>'
EVERY_KIND = {
    "a.png": (picture(), "image/png"), "b.jpg": (picture("JPEG"), "image/jpeg"), "c.gif": (picture("GIF"), "image/gif"),
    "d.webp": (picture("WEBP"), "image/webp"), "e.bmp": (picture("BMP"), "image/bmp"), "f.svg": (SVG, "image/svg+xml"),
    "g.json": (b'{"total":481}', "application/json"), "h.html": (b"<!DOCTYPE html><script>owned=1</script>", "text/html"),
    "i.xml": (b"<a>&lt;</a>", "text/xml"), "j.log": ("gått".encode(), "text/plain"), "k.bin": (b"\0\1\2", "application/octet-stream"),
    "l.mp4": (b"\0\0\0\x18ftypmp42" + b"\0" * 40, "video/mp4"), "m.webm": (b"\x1a\x45\xdf\xa3" + b"\0" * 40, "video/webm"),
}  # fmt: skip


def record_of(tmp_path, names, outcome="passed") -> None:
    lines = [{"what": "record", "version": 1}]
    for number, name in enumerate(names):
        lines += [{"what": "check", "id": f"c{number}", "name": f"Check {number}", "at": 1795309800 + number},
                  {"what": "evidence", "in": f"c{number}", "path": name, "at": 1795309800 + number},
                  {"what": "end", "id": f"c{number}", "outcome": outcome}]  # fmt: skip
    (tmp_path / "r.verdict.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))


def test_every_kind_is_told_by_its_content_and_shown_safely(page_of, tmp_path, browser):
    for name, (data, media_type) in EVERY_KIND.items():
        assert media_type_of(data[:4096]) == media_type
        (tmp_path / f"{name}.any").write_bytes(data)
    record_of(tmp_path, [f"{name}.any" for name in EVERY_KIND])
    page, _ = page_of(results="r.verdict.jsonl")
    assert page.count("<image ") == 6
    assert page.count("<video ") == 2
    assert 'download="k.bin.any"' in page
    browser.get((tmp_path / "page.html").as_uri())
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
    text = browser.find_element(By.TAG_NAME, "main").text
    for part in ('"total": 481', "<script>owned=1</script>", "<a>&lt;</a>", "gått"):
        assert part in text
    assert browser.execute_script("return window.owned") is None
    assert not [entry for entry in browser.get_log("browser") if "Content Security" in entry["message"]]


def test_equal_content_is_stored_once_and_a_loop_of_pictures_shown_once_with_its_number(page_of, tmp_path):
    (tmp_path / "one.png").write_bytes(picture(size=(1280, 800)))
    (tmp_path / "same.png").write_bytes(picture(size=(1280, 800)))
    record_of(tmp_path, ["one.png"])
    once, _ = page_of(results="r.verdict.jsonl")
    record_of(tmp_path, ["one.png", "same.png"] * 100)
    often, _ = page_of(results="r.verdict.jsonl")
    assert often.count("<image ") == once.count("<image ") == 1
    lines = [
        {"what": "check", "id": "c", "name": "Loop"},
        *({"what": "evidence", "in": "c", "path": "one.png"} for _ in range(30)),
    ]
    (tmp_path / "r.verdict.jsonl").write_text(
        "".join(json.dumps(line) + "\n" for line in [*lines, {"what": "end", "id": "c", "outcome": "passed"}])
    )
    loop, _ = page_of(results="r.verdict.jsonl")
    assert "× 30" in loop


def test_pictures_are_scaled_upright_small_and_without_metadata(page_of, tmp_path):
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by 90 degrees
    exif[0x010E] = "taken at home by Kari"
    (tmp_path / "a.jpg").write_bytes(picture("JPEG", (3000, 1500), exif=exif, quality=95))
    (tmp_path / "b.png").write_bytes(picture("PNG", (2400, 1500), seed=3))
    record_of(tmp_path, ["a.jpg", "b.png"])
    page, _ = page_of(results="r.verdict.jsonl")
    stored = re.findall(
        r'<image id="e-\w+" width="(\d+)" height="(\d+)"\s+href="data:([\w/]+);base64,([^"]+)"', page
    )
    assert [(int(width), int(height)) for width, height, *_ in stored] == [(1500, 3000), (1600, 1000)]
    for (width, height, media_type, data), original in zip(stored, ("a.jpg", "b.png"), strict=True):
        raw = base64.b64decode(data)
        assert media_type in ("image/webp", "image/jpeg")
        assert len(raw) < (tmp_path / original).stat().st_size
        assert b"Kari" not in raw
        assert Image.open(BytesIO(raw)).size == (int(width), int(height))


@pytest.mark.parametrize(
    ("limit", "whose"), [("800kB", "all"), ("700kB", "all"), ("25MB", "failed"), ("25MB", "none")]
)
def test_the_page_keeps_to_its_size_and_says_what_it_left_out(limit, whose, page_of, tmp_path):
    names = []
    for number in range(12):
        names.append(f"{number}.png")
        (tmp_path / names[-1]).write_bytes(picture(size=(1280, 800), seed=number))
    record_of(tmp_path, names)
    text = (tmp_path / "r.verdict.jsonl").read_text()
    (tmp_path / "r.verdict.jsonl").write_text(
        text.replace('"c3", "outcome": "passed"', '"c3", "outcome": "failed"')
    )
    page, summary = page_of("--size-limit", limit, "--evidence-for", whose, results="r.verdict.jsonl")
    notes = " ".join(summary["evidence_notes"])
    assert all(note in page for note in summary["evidence_notes"])
    left = page.count("<image ")
    if whose == "all":
        assert len(page) < int(limit[:3]) * 1000
        assert 1 <= left < 12
        assert f"{12 - left} pieces of evidence left out to keep the page under {limit[:3]} kB" in notes
        kept = re.findall(r"Check (\d+)</bdi></a>", page[page.index('class="sheet"') :])
        assert kept == ["3", *map(str, range(13 - left, 12))]  # the failed one, then the newest
    else:
        assert left == (1 if whose == "failed" else 0)
        assert "left out, as the settings say" in notes


@pytest.mark.parametrize(("arguments", "line"), [
    (["--evidence", "nowhere"], "nowhere: is not a folder to look for evidence in"),
    (["--size-limit", "lots"], "'lots' is not a size"),
    (["--evidence-for", "some"], "use one of all, failed, none"),
])  # fmt: skip
def test_wrong_wishes_are_one_line(arguments, line, tool, tmp_path):
    (tmp_path / "r.xml").write_text(JUNIT)
    done = tool("report", "r.xml", *arguments)
    assert done.code == 2
    assert line in done.err


@pytest.mark.parametrize(
    ("toml", "arguments", "expected"),
    [
        ('[evidence]\nlook_in = ["shots"]', [], 1),
        ('[evidence]\nlook_in = ["shots"]\nfor = "none"', [], 0),
        ('[evidence]\nlook_in = ["shots"]\nfor = "none"', ["--evidence-for", "all"], 1),
        ('[evidence]\nlook_in = ["nowhere"]', ["--evidence", "../shots"], 1),
        (
            '[evidence]\nlook_on = ["shots"]',
            [],
            "plain-verdict.toml:2: evidence: has an unknown key, 'look_on'\nhint: did you mean 'look_in'?",
        ),
        ('[evidence]\nfor = "some"', [], "plain-verdict.toml:2: evidence.for: 'some' is not a value of 'for'"),
        ('[evidence]\nsize_limit = "lots"', [], "'lots' is not a size"),
        ("[evidence", [], "is not proper TOML"),
        ("", ["--config", "gone.toml"], "gone.toml: can't be read"),
    ],
)
def test_the_settings_say_where_evidence_is_and_the_command_line_wins(
    toml, arguments, expected, tool, tmp_path, monkeypatch
):
    (tmp_path / "plain-verdict.toml").write_text(toml)
    (tmp_path / "r.xml").write_text(JUNIT)
    (tmp_path / "shots").mkdir()
    (tmp_path / "shots" / "pay_by_card.png").write_bytes(picture())
    (tmp_path / "below").mkdir()
    monkeypatch.chdir(tmp_path / "below")
    done = tool("report", "../r.xml", *arguments)
    assert done.code == (2 if isinstance(expected, str) else 0)
    if isinstance(expected, str):
        assert expected in done.err
    else:
        assert (tmp_path / "below" / "verdict.html").read_text().count("<image ") == expected


DIFFERENCES = [
    ("NOK 418.00", "NOK 481.00", ["18"], ["81"]),
    ("one two three", "one 2 three", ["two"], ["2"]),
    ("a b", "a  b", [], ["·"]),
    ('{"a": 1, "b": [1, 2]}', '{"b": [1, 3], "a": 1}', ["2"], ["3"]),
    ("same start", "same start and more", [], [" and more"]),
    ("nothing", "alike?", [], []),
    ("x" * 9000 + "1", "x" * 9000 + "2", ["1"], ["2"]),
]


@pytest.mark.parametrize(("expected", "actual", "left", "right"), DIFFERENCES)
def test_what_differs_is_marked_and_nothing_is_changed(expected, actual, left, right):
    sides = compare(expected, actual)
    assert [[text for text, differs in side if differs] for side in sides] == [left, right]


def test_a_picture_opens_large_and_the_way_back_is_short(tool, tmp_path, browser):
    assert tool("demo", "here").code == 0
    browser.get("about:blank")
    browser.get((tmp_path / "here" / "verdict.html").as_uri())
    browser.find_element(By.CSS_SELECTOR, ".open-all").click()
    link = browser.find_element(By.CSS_SELECTOR, ".lead a")
    assert link.is_displayed()  # the failed check's picture is there once the check is open
    link.click()
    body = browser.find_element(By.TAG_NAME, "body")

    def large():
        return browser.execute_script(
            "const f = document.querySelector('.photo:target'); return f && [f.id, f.getBoundingClientRect().width]"
        )

    first = large()
    assert first[1] >= browser.execute_script("return innerWidth") - 20
    body.send_keys(Keys.ARROW_RIGHT)
    second = large()
    assert second[0] != first[0]
    body.send_keys(Keys.ARROW_LEFT)
    assert large() == first
    shot = browser.find_element(By.CSS_SELECTOR, ".photo:target .shot")
    fitted = shot.find_element(By.TAG_NAME, "svg").size["height"]
    shot.click()
    assert shot.find_element(By.TAG_NAME, "svg").size["height"] > fitted
    body.send_keys(Keys.ESCAPE)
    assert large() is None
    link.click()
    browser.back()
    assert large() is None
    browser.find_element(By.CSS_SELECTOR, ".show [value=skipped]").click()
    assert not [one for one in browser.find_elements(By.CSS_SELECTOR, ".photo") if one.is_displayed()]
    browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
    try:
        browser.refresh()
        shut = (
            "//details[contains(@class, 'check')][not(@open or ancestor::details)][.//*[contains(@class, 'lead')]]"
        )
        check = browser.find_element(By.XPATH, shut)
        check.find_element(By.TAG_NAME, "summary").click()
        check.find_element(By.CSS_SELECTOR, ".lead a").click()
        assert browser.find_element(By.CSS_SELECTOR, ".photo:target .shot").size["width"] > 900
        browser.find_element(By.CSS_SELECTOR, ".photo:target .close").click()
        assert not browser.find_elements(By.CSS_SELECTOR, ".photo:target")
    finally:
        browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": False})


TOGETHER = [
    (["total-expected.png", "total-actual.png"], {"total"}), (["a/t.expected.png", "t.actual.png"], {"t"}),
    (["expected.png", "actual.png", "diff.png"], {""}), (["Expected", "Actual", "Difference"], {""}),
    (["map_baseline.webp", "map_received.webp"], {"map"}), (["desk-1-expected.png", "desk-1-actual.png", "desk-2-actual.png"], {"desk-1"}),
    (["desk-expected-2.png", "desk-actual-2.png"], {"desk-2"}), (["expected_seats.png", "actual_seats.png"], {"seats"}),
    (["seats-expected.png", "fares-actual.png"], set()), (["unexpected.png", "factual.png"], set()), (["total-diff.png", "total.png"], set()),
]  # fmt: skip


@pytest.mark.parametrize(
    ("names", "stems"), TOGETHER, ids=lambda value: " ".join(sorted(value)) if value else "none"
)
def test_pictures_belong_together_by_the_ends_of_their_names(names, stems):
    found = sets_of(Evidence(name.rpartition("/")[2]) for name in names)
    assert set(found) == stems
    assert all(
        set(by_role) <= set(PictureRole) and len(by_role) == min(3, len([n for n in names if "2-" not in n]))
        for by_role in found.values()
    )


def screen(total="52.50", size=(640, 400)) -> Image.Image:
    image = Image.new("RGB", size, "#eef3f6")
    ImageDraw.Draw(image).text((30, 80), f"Total {total}", fill="#1b2a33")
    return image


DIFFERENCES = [
    (screen(), screen(), "No pixel differs"),
    (screen(), screen("57.50"), r"0\.0\d+ % of the pixels differ, inside \d x \d+ pixels at \d\d, 8\d"),
    (screen(), screen(size=(640, 500)), r"20 % of the pixels differ, inside 640 x 100 pixels at 0, 400; expected 640 x 400 pixels, actual 640 x 500"),
    (screen(), Image.new("RGB", (640, 400), "black"), r"100 % of the pixels differ, inside 640 x 400 pixels at 0, 0"),
    (screen().convert("P"), screen().convert("RGBA"), r"(No pixel|.* of the pixels) differs?.*"),
]  # fmt: skip


@pytest.mark.parametrize("number", range(len(DIFFERENCES)))
def test_how_much_two_pictures_differ_is_told_and_drawn(number):
    expected, actual, words = DIFFERENCES[number]
    data = []
    for image in (expected, actual):
        buffer = BytesIO()
        image.save(buffer, "PNG")
        data.append(buffer.getvalue())
    task = Task("", data[1], DEFAULT_LIMITS, compared_with=Task("", data[0], DEFAULT_LIMITS))
    made = make_content(task)
    assert isinstance(made, Content)
    assert re.fullmatch(words, made.remark), made.remark
    drawn = Image.open(BytesIO(made.data)).convert("RGB")
    red = sum(count for count, (r, g, b) in drawn.getcolors(1 << 20) if r > 180 and g < 110 and b < 110)
    assert (red > 0) == (made.remark != "No pixel differs")
    broken = msgspec.structs.replace(task, data=data[1][:100])
    assert "can't be compared" in make_content(broken)


def test_what_output_names_is_found_from_the_result_up_to_the_named_folder_and_nowhere_else(
    tool, browser, tmp_path
):
    deep = tmp_path / "results" / "deep"
    (deep / "shots").mkdir(parents=True)
    for name, image in (("total-expected", screen()), ("total-actual", screen("57.50"))):
        image.save(deep / "shots" / f"{name}.png")
    (deep / ".env").write_text("TOKEN=1")
    with zipfile.ZipFile(tmp_path / "results" / "trace 1.zip", "w") as trace:
        trace.writestr("trace.bin", "opened the desk")
    (tmp_path / "secret.png").write_bytes(picture())
    named = (
        "shots/total-expected.png",
        "/home/ci/7/deep/shots/total-actual.png",
        "../trace 1.zip",
        "gone/away.png",
        "../../secret.png",
        ".env",
        "results/deep/.env",
        "link.txt",
        *(f"gone/{number}.png" for number in range(600)),
    )
    (deep / "link.txt").symlink_to(deep / ".env")
    (deep / ".aws").mkdir()
    (deep / ".aws" / "login.txt").write_text("TOKEN=2")
    lines = "\n".join(f"[[ATTACHMENT|{path}]]" for path in named)
    lines += "\nread .aws/login.txt and shots/../.aws/login.txt"
    case = f'<testcase name="Total"><failure message="differs"/><system-out>{lines}</system-out></testcase>'
    (deep / "r.xml").write_text(f"<testsuite>{case}</testsuite>")
    done = tool("report", "results", "--json")
    assert "error" not in done.err
    notes = " ".join(json.loads(done.out)["evidence_notes"])
    for part in (
        "do not exist",
        "3 are hidden",
        "1 is outside the folders that were named",
        "1 is over the limit of 500",
        "--evidence FOLDER",
    ):
        assert part in notes
    assert "TOKEN" not in (tmp_path / "verdict.html").read_text()
    browser.get((tmp_path / "verdict.html").as_uri())
    check = browser.find_element(By.CSS_SELECTOR, "details.check[open]")
    assert check.find_element(By.LINK_TEXT, "trace 1.zip").get_attribute("download") == "trace 1.zip"
    compared = check.find_element(By.CSS_SELECTOR, ".compared")
    assert [part.text.split("\n")[0] for part in compared.find_elements(By.CSS_SELECTOR, ".trio > div")] == [
        "expected",
        "actual",
        "difference",
    ]
    assert "of the pixels differ" in compared.text
    compared.find_elements(By.TAG_NAME, "button")[1].click()
    slider = compared.find_element(By.CSS_SELECTOR, "input[type=range]")
    slider.send_keys(Keys.END)
    assert (
        browser.execute_script("return arguments[0].querySelector('.over').children[1].style.clipPath", compared)
        == "inset(0px 0px 0px 100%)"
    )
    assert not compared.find_element(By.CSS_SELECTOR, ".trio").is_displayed()


def test_a_damaged_archive_counts_although_a_text_attaches_it(tool, tmp_path):
    bad = '<testsuite name="T"><testcase name="z"><failure message="bad"/></testcase></testsuite>'
    (tmp_path / "r").mkdir()
    with zipfile.ZipFile(tmp_path / "r" / "results.zip", "w") as archive:
        archive.writestr("x.xml", bad * 50)
    text = (
        '<testsuite><testcase name="a"><system-out>[[ATTACHMENT|results.zip]]</system-out></testcase></testsuite>'
    )
    (tmp_path / "r" / "a.xml").write_text(text)
    whole = (tmp_path / "r" / "results.zip").read_bytes()
    (tmp_path / "r" / "results.zip").write_bytes(whole[:80])
    done = tool("judge", "r")
    assert done.code == 1
    assert done.out.startswith("Undecided")
    assert "results.zip" in done.err


def test_pictures_that_no_canvas_holds_are_not_compared():
    limits = msgspec.structs.replace(DEFAULT_LIMITS, picture_pixels=1_000_000)
    data = []
    for size in ((60_000, 1), (1, 60_000)):
        buffer = BytesIO()
        Image.new("L", size).save(buffer, "PNG")
        data.append(buffer.getvalue())
    task = Task("", data[1], limits, compared_with=Task("", data[0], limits))
    assert "sizes differ too much" in make_content(task)
    small = msgspec.structs.replace(limits, picture_bytes=10)
    assert "over the limit" in make_content(msgspec.structs.replace(task, limits=small))


def test_a_step_leads_to_its_place_in_the_video(tmp_path, tool, browser):
    film = base64.b64encode(b"\x1a\x45\xdf\xa3" + bytes(60)).decode()
    still = base64.b64encode(picture(size=(64, 40))).decode()
    lines = [
        {"what": "record", "version": 1}, {"what": "check", "id": "1", "name": "Pay", "at": 1795301000.0},
        {"what": "step", "in": "1", "id": "2", "name": "Open the desk", "at": 1795301001.0}, {"what": "end", "id": "2", "outcome": "passed", "at": 1795301002},
        {"what": "step", "in": "1", "id": "3", "name": "Pay by card", "at": 1795301075.5}, {"what": "end", "id": "3", "outcome": "failed", "at": 1795301080},
        {"what": "evidence", "in": "1", "name": "film.webm", "base64": film, "began": 1795301000.0},
        {"what": "evidence", "in": "1", "name": "still.png", "base64": still, "role": "poster"},
        {"what": "end", "id": "1", "outcome": "failed", "problems": [{"message": "refused"}], "at": 1795301081},
    ]  # fmt: skip
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    tool("report", "r.verdict.jsonl")
    browser.get((tmp_path / "verdict.html").as_uri())
    video = browser.find_element(By.TAG_NAME, "video")
    assert video.get_attribute("poster").startswith("data:image/")
    assert [button.text for button in browser.find_elements(By.CSS_SELECTOR, ".seek")] == ["0:01", "1:15"]
    set_time = "const v = document.querySelector('video'); Object.defineProperty(v, 'currentTime', {set(t) { window.went = t; }})"
    browser.execute_script(set_time)
    browser.find_elements(By.CSS_SELECTOR, ".seek")[1].click()
    assert browser.execute_script("return window.went") == 75.5
