"""A mapping as a whole, and the file that several share."""

from typing import Annotated, Literal

from msgspec import Meta

from plain_verdict.model import Kind
from plain_verdict.settings.mappings.load import MetricMapping, RequestMapping, SamplesMapping
from plain_verdict.settings.mappings.parts import CheckMapping, LevelMapping
from plain_verdict.settings.mappings.values import Conditions, ManyTexts, MappingTable, Moment, Text


class RunMapping(ManyTexts, frozen=True):
    """What the file says of the run as a whole. Places are seen from the file's root, or the line that fits."""

    title: Annotated[Text, Meta(description="the page's title, where the settings give none")] = ""
    started: Annotated[str | int | Moment, Meta(description="else the first check's")] = ""
    ended: Annotated[str | int | Moment, Meta(description="else the last check's")] = ""
    facts: Annotated[str | dict[str, Text], Meta(description="facts about the run")] = {}
    checks: Annotated[Text, Meta(description="how many checks the file says it has; fewer are missing results")] = (
        ""
    )


class EventsMapping(ManyTexts, frozen=True):
    """Lines or items that tell of one thing one after another: those of the same id are one item."""

    id: Annotated[
        str | tuple[str, ...],
        Meta(description="where the id stands, or its parts; an item without the last parts holds those with them"),
    ] = ""
    nested_by: Annotated[
        str,
        Meta(
            description="what stands between the names in an id: with `/`, the item `a/b` is held by the item `a`"
        ),
    ] = ""
    parent: Annotated[str, Meta(description="where the id of the item stands that holds it")] = ""
    start: Annotated[
        Conditions, Meta(description="tells the event that begins an item: another is a new attempt")
    ] = {}
    end: Annotated[
        Conditions,
        Meta(description="tells the event that ends an item: its values count; without one it is errored"),
    ] = {}
    append: Annotated[
        tuple[str, ...], Meta(description="keys whose texts are put together in their order, like `output`")
    ] = ()


class TableMapping(MappingTable, frozen=True):
    """How a CSV or TSV file is written; what is not told is found out."""

    delimiter: Annotated[str, Meta(description="between cells; a comma, semicolon, tab or bar is found out")] = ""
    quote: Annotated[str, Meta(description="around cells")] = '"'
    encoding: Annotated[str, Meta(description="else UTF-8, or Windows-1252 where it is not that")] = ""
    header: Annotated[
        Annotated[int, Meta(ge=0)] | tuple[Annotated[int, Meta(ge=1)], ...],
        Meta(
            description="the line that holds the columns' names, or several, whose names are joined; 0: none does"
        ),
    ] = 1


class ResultMapping(MappingTable, frozen=True, kw_only=True):
    """``[[mapping]]``: a result file of your own form. See docs/mappings.md."""

    name: Annotated[str, Meta(description="what outputs call the format", min_length=1)]
    check: Annotated[
        CheckMapping | tuple[CheckMapping, ...],
        Meta(description="the items that are checks; several lists of them"),
    ] = CheckMapping()
    events: Annotated[
        EventsMapping, Meta(description="lines that belong together; places then see `items`, one for each id")
    ] = EventsMapping()
    samples: Annotated[SamplesMapping | None, Meta(description="for kind load: its rows are samples")] = None
    request: Annotated[
        RequestMapping | tuple[RequestMapping, ...],
        Meta(description="for kind load: sums of each request, as reported"),
    ] = ()
    metric: Annotated[
        MetricMapping | tuple[MetricMapping, ...], Meta(description="for kind load: numbers of your own")
    ] = ()
    files: Annotated[
        tuple[str, ...], Meta(description="patterns for the ends of paths; such files are tried before all formats")
    ] = ()
    needs: Annotated[tuple[str, ...], Meta(description="places that a file must have to be of this mapping")] = ()
    syntax: Annotated[
        Literal["", "json", "json lines", "json sequence", "xml", "table"],
        Meta(description="else told by the content"),
    ] = ""
    kind: Annotated[Kind, Meta(description="of the checks")] = Kind.FUNCTIONAL
    decimal: Annotated[
        Literal["", ".", ","], Meta(description="what stands before decimals; else found out number by number")
    ] = ""
    level: Annotated[
        tuple[LevelMapping, ...], Meta(description="what stands around the checks, from outside in")
    ] = ()
    run: Annotated[RunMapping, Meta(description="what the file says as a whole")] = RunMapping()
    table: Annotated[TableMapping, Meta(description="how a CSV or TSV file is written")] = TableMapping()
    prefixes: Annotated[dict[str, str], Meta(description="XML namespaces by the prefixes used in places")] = {}

    @property
    def is_load(self) -> bool:
        """Return whether it is about a load run, not about checks."""
        return bool(self.samples or self.request or self.metric)


class MappingFile(MappingTable, frozen=True):
    """What a file for ``--mapping`` may hold."""

    mapping: tuple[ResultMapping, ...] = ()
