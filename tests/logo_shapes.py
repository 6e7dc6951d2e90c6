"""Ten logos of shapes that companies really have, drawn when they are needed; take-pictures shows them, too."""

from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

SHAPES = (
    "1-drawing.svg",
    "2-photograph.jpg",
    "3-icon.png",
    "4-banner.png",
    "5-tower.png",
    "6-white.png",
    "7-black.png",
    "8-margin.jpg",
    "9-square.webp",
    "10-bare.svg",
)
NAVY, TEAL, SAND = "#17405c", "#0b7285", "#e9b44c"
BARE_SVG = """<?xml version="1.0"?>
<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd">
<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 500 500" onload="alert(1)">
<script>alert(1)</script><image xlink:href="http://elsewhere.test/x.png"/>
<circle cx="250" cy="250" r="60" fill="#0b7285" onclick="alert(1)"/><path d="M210 250h80" stroke="#fff" stroke-width="18"/></svg>"""


def draw_logo(name: str, folder: Path) -> Path:
    """Draw a logo into the folder and return its path."""
    from plain_verdict.cli.demo.files import BRAND

    path = folder / name
    if name == "1-drawing.svg":
        path.write_bytes((BRAND / "logo.svg").read_bytes())
    elif name == "10-bare.svg":
        path.write_text(BARE_SVG)
    else:
        _picture(name).save(path)
    return path


def _word(size: tuple[int, int], text: str, height: int, colour: str, ground: str | None = None) -> Image.Image:
    image = Image.new("RGBA", size, ground or (0, 0, 0, 0))
    left, top, right, bottom = ImageDraw.Draw(image).textbbox((0, 0), text, font=ImageFont.load_default(height))
    place = ((size[0] - right - left) // 2, (size[1] - bottom - top) // 2)
    ImageDraw.Draw(image).text(place, text, font=ImageFont.load_default(height), fill=colour)
    return image


def _picture(name: str) -> Image.Image:
    match name:
        case "2-photograph.jpg":
            image = Image.linear_gradient("L").resize((4000, 3000)).convert("RGB")
            draw = ImageDraw.Draw(image)
            draw.polygon([(600, 2200), (3400, 2200), (3000, 2700), (1000, 2700)], fill=NAVY)
            draw.rectangle([1200, 1500, 2700, 2200], fill="#e6e6e1")
        case "3-icon.png":
            image = Image.new("RGBA", (16, 16))
            ImageDraw.Draw(image).ellipse([0, 0, 15, 15], fill=TEAL)
        case "4-banner.png":
            image = _word((2000, 200), "BRINDLE QUAY FERRIES SINCE 1894", 90, "white", NAVY)
        case "5-tower.png":
            image = Image.new("RGBA", (300, 1200))
            ImageDraw.Draw(image).polygon([(150, 0), (299, 1199), (0, 1199)], fill=NAVY)
            ImageDraw.Draw(image).rectangle([60, 500, 240, 640], fill=SAND)
        case "6-white.png":
            image = _word((900, 300), "Brindle Quay", 120, "white")
        case "7-black.png":
            image = _word((900, 300), "Brindle Quay", 120, "#111111")
        case "8-margin.jpg":
            image = Image.new("RGB", (1600, 1600), "white")
            image.paste(_word((400, 200), "BQF", 110, "white", TEAL), (600, 700))
        case _:
            image = Image.new("RGBA", (512, 512))
            ImageDraw.Draw(image).rounded_rectangle([20, 20, 490, 490], 90, fill="#b4572a")
    return image
