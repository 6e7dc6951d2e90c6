"""Load results in a mapping: samples, sums of requests, and metrics."""

from typing import Annotated

from msgspec import Meta

from plain_verdict.settings.mappings.values import ManyTexts, MappingTable, Moment, Scalar, Text, Took, Unit

Column = Annotated[str | int, Meta(description="a column or key by its name, or a column's number")]
Words = Scalar | tuple[Scalar, ...]


class SuccessMapping(MappingTable, frozen=True, rename={"from_": "from"}):
    """How a row says that a request went well; any other word makes it no sample."""

    from_: Column = ""
    passed: Annotated[Words, Meta(description="words for yes; else those of English")] = ()
    failed: Annotated[Words, Meta(description="words for no; else those of English")] = ()


class SamplesMapping(MappingTable, frozen=True, kw_only=True):
    """Rows that are samples of a load run, each a request."""

    time: Annotated[str | int | Moment, Meta(description="when it was sent; a zone for times that name none")]
    duration: Annotated[str | int | Took, Meta(description="how long it took; its unit, else told by the values")]
    request: Column = ""
    method: Column = ""
    status: Column = ""
    success: SuccessMapping = SuccessMapping()
    bytes: Column = ""
    message: Column = ""
    users: Column = ""
    metrics: Annotated[dict[str, Column], Meta(description="numbers of your own: a name and a column each")] = {}
    units: Annotated[dict[str, str], Meta(description="of metrics, by their names")] = {}


class RequestMapping(ManyTexts, frozen=True):
    """What a summary says of each request. ``each`` may be an object, whose members are named by their keys."""

    name: Annotated[Text, Meta(description='else the key it stands under; `{ text = "all requests" }`: of all')] = (
        ""
    )
    count: Annotated[Text, Meta(description="how many were sent")] = ""
    failed: Annotated[Text, Meta(description="how many of them failed")] = ""
    least: Annotated[Text, Meta(description="the shortest time")] = ""
    mean: Annotated[Text, Meta(description="the mean time")] = ""
    longest: Annotated[Text, Meta(description="the longest time")] = ""
    percentiles: Annotated[dict[str, Text], Meta(description='like `{ p50 = "median", "p99.9" = "p999" }`')] = {}
    unit: Annotated[Unit, Meta(description="of bare times")] = "ms"


class MetricMapping(ManyTexts, frozen=True):
    """Numbers of your own: one an item, or one a member where ``each`` is an object."""

    name: Annotated[Text, Meta(description="what is measured; else the key it stands under")] = ""
    value: Annotated[Text, Meta(description="the number; else the item itself is one")] = ""
    unit: Annotated[str, Meta(description="as the page writes it, like `ms`, `MB` or `jobs`")] = ""
    at: Annotated[str | int | Moment, Meta(description="when it was measured")] = ""
