"""Evidence, wherever it stands. Pictures are stored once and drawn by reference."""

from base64 import b64encode
from collections.abc import Iterable, Iterator

from markupsafe import Markup

from plain_verdict.model import Content, ContentKind, PictureRole
from plain_verdict.report.evidence_index import EvidenceIndex, PictureSet, ShownEvidence, picture_sets
from plain_verdict.text.formatting import format_size
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.texts import fold_html
from plain_verdict.writers.html.links import Links


class EvidenceHtml:
    """Writes the evidence of one page."""

    def __init__(self, evidence: EvidenceIndex, links: Links) -> None:
        self._evidence = evidence
        self._links = links

    def drawn(self, content: Content, caption: str) -> Markup:
        """Return a picture, drawn."""
        width, height, words = content.width, content.height, escaped(caption)
        if self._links.folder:
            way = escaped(self._links.file(content))
            picture = f'<img src="{way}" width="{width}" height="{height}" alt="{words}" loading="lazy">'
        else:
            use = f'<use href="#e-{escaped(content.key)}"/>'
            picture = f'<svg viewBox="0 0 {width} {height}" role="img" aria-label="{words}">{use}</svg>'
        return Markup(picture)  # noqa: S704  every text is escaped

    def picture(self, piece: ShownEvidence) -> Markup:
        """Return a picture with its caption and a link to it at full size."""
        content = piece.content
        if content is None:
            return Markup()
        times = f" <b>× {piece.times}</b>" if piece.times > 1 else ""
        picture = f'<a href="{self._home("pic", content)}">{self.drawn(content, piece.caption)}</a>'
        caption = f"<figcaption><bdi>{escaped(piece.caption)}</bdi>{times}</figcaption>"
        figure = f'<figure class="pic"{title(piece.note)}>{picture}{caption}</figure>'
        return Markup(figure)  # noqa: S704  every text is escaped

    def whole(self, content: Content, name: str, note: str = "") -> Markup:
        """Return a content that is not a picture: a text folded, a film, a file to take along."""
        if content.kind is ContentKind.TEXT:
            return fold_html(name, content.text, note)
        way = escaped(self._way(content))
        name = escaped(name)
        if content.kind is ContentKind.VIDEO:
            film = f'<video controls preload="metadata" src="{way}"></video>'
            html = f'<figure class="film"{title(note)}>{film}<figcaption><bdi>{name}</bdi></figcaption></figure>'
        else:
            size = f'<span class="soft num">{format_size(len(content.data))}</span>'
            link = f'<a href="{way}" download="{name}"><bdi>{name}</bdi></a>'
            html = f'<p class="file"{title(note)}>{link} {size}</p>'
        return Markup(html)  # noqa: S704  every text is escaped

    def all(self, shown: Iterable[ShownEvidence]) -> Markup:
        """Return all evidence of a check, a step or a message: pictures side by side, then the rest."""
        return Markup("".join(self._all(list(shown))))  # noqa: S704  every text is escaped

    def _all(self, shown: list[ShownEvidence]) -> Iterator[str]:
        sets, others = picture_sets(shown)
        yield from map(self._set, sets)
        poster = _poster_of(others)
        pictures = [piece for piece in others if _stands_as_picture(piece) and piece is not poster]
        if pictures:
            yield f'<div class="pics">{"".join(map(self.picture, pictures))}</div>'
        for piece in others:
            if not _stands_as_picture(piece):
                yield self._other(piece, poster)

    def _set(self, pictures: PictureSet) -> str:
        """Return pictures that belong together, side by side; the script can lay them over each other."""
        figures = "".join(
            f'<div data-role="{piece.role.value}"><p class="soft">{piece.role.value}</p>{self.picture(piece)}</div>'
            for piece in pictures.pieces
            if piece.role
        )
        words = f'<p class="soft differs-by">{escaped(pictures.words)}.</p>' if pictures.words else ""
        label = escaped(pictures.name) or "Pictures"
        group = f'<div class="compared" role="group" aria-label="{label}, compared">'
        return f'{group}{words}<div class="trio">{figures}</div></div>'

    def _other(self, piece: ShownEvidence, poster: ShownEvidence | None) -> str:
        content, caption = piece.content, f"<bdi>{escaped(piece.caption)}</bdi>"
        if content is None:
            name = f"<bdi>{escaped(piece.evidence.name)}</bdi>"
            return f'<p class="missing">{name} is not here: it {_why(piece)}.</p>'
        if piece.repeated:
            link = f'<a href="{self._home("pic", content)}">{caption}</a>'
            return (
                f'<p class="file"{title(piece.note)}>{link} <span class="soft">as shown with this check</span></p>'
            )
        if self._evidence.is_shared(content):
            return f'<p class="file"{title(piece.note)}><a href="{self._home("file", content)}">{caption}</a></p>'
        if content.kind is ContentKind.VIDEO:
            return self._film(content, piece, poster)
        return self.whole(content, piece.caption, piece.note)

    def _film(self, content: Content, piece: ShownEvidence, poster: ShownEvidence | None) -> str:
        still = f' poster="{escaped(self._way(poster.content))}"' if poster and poster.content else ""
        began = f' data-began="{piece.evidence.began.timestamp():.3f}"' if piece.evidence.began else ""
        film = f'<video controls preload="metadata" src="{escaped(self._way(content))}"{still}{began}></video>'
        caption = f"<figcaption><bdi>{escaped(piece.caption)}</bdi></figcaption>"
        return f'<figure class="film"{title(piece.note)}>{film}{caption}</figure>'

    def _way(self, content: Content) -> str:
        return self._links.file(content) if self._links.folder else data_url(content)

    def _home(self, prefix: str, content: Content) -> str:
        return escaped(self._links.home(f"{prefix}-{content.key}"))


def _stands_as_picture(piece: ShownEvidence) -> bool:
    return piece.is_picture and not piece.repeated


def _poster_of(shown: list[ShownEvidence]) -> ShownEvidence | None:
    """Return the frame that stands for a video that is among them."""
    if not any(piece.content and piece.content.kind is ContentKind.VIDEO for piece in shown):
        return None
    return next((piece for piece in shown if piece.role is PictureRole.POSTER and piece.is_picture), None)


def _why(piece: ShownEvidence) -> str:
    return escaped(piece.evidence.unavailable or "was left out")


def title(words: str) -> str:
    """Return the attribute that shows words when it is pointed at; nothing where there are none."""
    return f' title="{escaped(words)}"' if words else ""


def data_url(content: Content) -> str:
    """Return content as a data URL. What is not shown is of no type that a browser would run."""
    shown = content.kind in (ContentKind.PICTURE, ContentKind.VIDEO)
    media_type = content.media_type if shown else "application/octet-stream"
    return f"data:{media_type};base64,{b64encode(content.data).decode()}"
