"""Reads an SVG logo: nothing in it may run or point elsewhere, and its own margin goes."""

from io import BytesIO
from pathlib import Path

import msgspec
import resvg_py
from lxml import etree
from PIL import Image

from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.processes import BackgroundTask, can_fork

_ACTIVE = ("script", "foreignObject", "iframe", "audio", "video", "animate", "set", "handler", "listener")
_SVG_BYTES = 2_000_000
_DRAWING_PATIENCE_S = 10.0  # a drawing may nest patterns without end


class Drawing(msgspec.Struct, frozen=True):
    """An SVG as text, and its view box: left, top, width, height in its own units."""

    text: str
    view: tuple[float, float, float, float]

    def trimmed(self, box: tuple[int, int, int, int], size: tuple[int, int]) -> "Drawing":
        """Return the drawing cut to ``box``, in pixels of a picture of it that has ``size``."""
        left, top, width, height = self.view
        across, down = width / size[0], height / size[1]
        view = (
            left + box[0] * across,
            top + box[1] * down,
            (box[2] - box[0]) * across,
            (box[3] - box[1]) * down,
        )
        root = etree.fromstring(self.text)
        root.set("viewBox", " ".join(f"{number:.6g}" for number in view))
        root.set("width", f"{view[2]:.6g}")
        root.set("height", f"{view[3]:.6g}")
        return Drawing(etree.tostring(root, encoding="unicode"), view)


def read_svg(data: bytes, path: Path) -> Drawing:
    """Return an SVG without anything that runs or is fetched. Raises UsageError."""
    if len(data) > _SVG_BYTES:
        raise UsageError(f"the logo is over {_SVG_BYTES // 1_000_000} MB of SVG", path=str(path))
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True)
    try:
        root = etree.parse(BytesIO(data), parser).getroot()
    except etree.XMLSyntaxError as error:
        raise UsageError(f"the logo is not valid SVG: {error.msg}", path=str(path)) from error
    if etree.QName(root).localname != "svg" or b"<!ENTITY" in data:
        raise UsageError(
            "the logo is not an SVG, or one with entities", path=str(path), hint="save it again without them"
        )
    for node in list(root.iter()):
        _cleanse(node)
    view = _view(root, path)
    root.set("viewBox", " ".join(f"{number:g}" for number in view))
    return Drawing(etree.tostring(root, encoding="unicode"), view)


def _cleanse(node: "etree._Element") -> None:
    if not isinstance(node.tag, str) or etree.QName(node).localname in _ACTIVE:
        parent = node.getparent()
        if parent is not None:
            parent.remove(node)
        return
    for name in list(node.attrib):
        local = str(name).rpartition("}")[2].lower()
        value = str(node.attrib[name]).strip()
        is_external = local == "href" and not value.startswith(("#", "data:image/png", "data:image/jpeg"))
        if local.startswith("on") or is_external:
            del node.attrib[name]


def _view(root: "etree._Element", path: Path) -> tuple[float, float, float, float]:
    """Return the view box, or the one that width and height make. Source: SVG 2, section 8.6."""
    try:
        numbers = [float(part) for part in str(root.get("viewBox", "")).replace(",", " ").split()]
        if len(numbers) != 4:
            sizes = [float(str(root.get(side, "")).removesuffix("px")) for side in ("width", "height")]
            numbers = [0, 0, *sizes]
    except ValueError:
        numbers = [0, 0, 0, 0]
    left, top, width, height = numbers
    if not (0 < width < 1e6 and 0 < height < 1e6):
        raise UsageError("the logo has neither a viewBox nor a width and height", path=str(path))
    return left, top, width, height


def draw_svg(text: str, width: int, path: Path) -> Image.Image:
    """Return the drawing as a picture that many pixels wide, its shape kept. Raises UsageError."""
    # A filter can take for ever, and the drawing library can't be interrupted.
    drawing = BackgroundTask(lambda: _drawn(text, width))
    if can_fork(alone=True):
        drawing.start()
    try:
        png = drawing.result(_DRAWING_PATIENCE_S, again=False)
    except TimeoutError as error:
        what = f"the logo takes longer than {_DRAWING_PATIENCE_S:.0f} s to draw"
        raise UsageError(what, path=str(path), hint="save it as PNG, or simplify its filters") from error
    except ChildProcessError as error:
        raise UsageError("the logo can't be drawn: what draws it failed", path=str(path)) from error
    if isinstance(png, str):
        raise UsageError(f"the logo can't be drawn: {png}", path=str(path))
    try:
        return Image.open(BytesIO(png)).convert("RGBA")
    except (ValueError, OSError) as error:
        raise UsageError(f"the logo can't be drawn: {error}", path=str(path)) from error


def _drawn(text: str, width: int) -> bytes | str:
    """Return the drawing as PNG, or why it can't be drawn."""
    try:
        # Reading the machine's fonts takes longer than drawing.
        return bytes(resvg_py.svg_to_bytes(svg_string=text, width=width, skip_system_fonts="<text" not in text))
    except (ValueError, OSError) as error:
        return str(error)


def picture_of_svg(data: bytes) -> bytes:
    """Return an SVG drawn as PNG, at most 1,600 pixels wide; an empty picture where it can't be drawn."""
    try:
        drawing = read_svg(data, Path("picture.svg"))
        image = draw_svg(drawing.text, min(1600, max(1, round(drawing.view[2]))), Path("picture.svg"))
    except UsageError:
        image = Image.new("RGBA", (1, 1))
    out = BytesIO()
    image.save(out, "PNG")
    return out.getvalue()
