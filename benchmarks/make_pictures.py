#!/usr/bin/env python3
"""Writes a record of N checks with a distinct page-like screenshot each, of about 1 MB: text and a photograph.

make_pictures.py N FOLDER [DISTINCT]
"""

import json
import random
import sys
from pathlib import Path

from PIL import Image, ImageDraw, ImageFilter

SIZE = (1280, 800)


def picture(number: int) -> Image.Image:
    rng = random.Random(number)
    image = Image.new("RGB", SIZE, "#eef3f6")
    photo = Image.frombytes("RGB", (160, 110), rng.randbytes(160 * 110 * 3))
    photo = photo.resize((640, 440), Image.Resampling.BICUBIC).filter(ImageFilter.GaussianBlur(2))
    image.paste(photo, (600, 80))
    draw = ImageDraw.Draw(image)
    draw.rectangle((0, 0, SIZE[0], 56), fill="#155e8a")
    draw.text((40, 20), f"Brindle Quay Ferries, booking {number}", fill="#fff")
    for row in range(30):
        words = " ".join("".join(rng.choices("abcdefghijklmnoprstuv", k=rng.randrange(2, 9))) for _ in range(11))
        draw.text((40, 90 + row * 22), words, fill="#1b2a33")
    return image


def write_record(total: int, folder: Path, distinct: int) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(distinct):
        picture(number).save(folder / f"{number}.png", compress_level=1)
    with (folder / "pictures.verdict.jsonl").open("w") as file:
        for number in range(total):
            for line in (
                {"what": "check", "id": f"c{number}", "name": f"Booking {number} is shown", "suite": ["Booking"]},
                {"what": "evidence", "in": f"c{number}", "path": f"{number % distinct}.png"},
                {"what": "end", "id": f"c{number}", "outcome": "passed", "took_s": 1},
            ):
                file.write(json.dumps(line) + "\n")


if __name__ == "__main__":
    count = int(sys.argv[1])
    write_record(count, Path(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else count)
