"""A load run in numbers: what its requests took, when, and how many of them failed. Times are in seconds."""

from datetime import datetime

from plain_verdict.model.facts import Value


class Percentile(Value, frozen=True, omit_defaults=True):
    """A percentile: its share of 100; None where too few requests tell it; between which times chance puts it."""

    per_cent: float
    value_s: float | None = None
    low_s: float | None = None
    high_s: float | None = None
    batches: int = 0
    """Parts of the run that the interval rests on."""
    degrees: float = 0.0
    """Degrees of freedom of its error."""
    wanders: bool = False
    """Whether those parts are still alike: the run is too short for how slowly its times wander."""


class Change(Value, frozen=True):
    """How a percentile of a request changed since an earlier run; ``low_s`` to ``high_s`` is its interval.

    ``certain``: the change is significant and not slight. The interval is None
    where one of the runs is too short to tell.
    """

    request: str
    per_cent: float
    before_s: float
    now_s: float
    low_s: float | None = None
    high_s: float | None = None
    certain: bool = False
    slight: bool = False
    """Whether it is no more than a trifle slower, by the longer end of its interval as well."""
    low_share: float | None = None
    high_share: float | None = None
    """The ends of the interval of ``share``."""

    @property
    def share(self) -> float:
        """Return the change as a share of what it was: 0.05 is 5 % slower."""
        return self.now_s / self.before_s - 1 if self.before_s else 0.0


class RateChange(Value, frozen=True):
    """How a rate changed since an earlier run: the share of failed requests (0 to 1), or requests a second.

    The interval is that of the difference; None where one of the runs is too short to tell.
    """

    before: float
    now: float
    low: float | None = None
    high: float | None = None

    @property
    def certain(self) -> bool:
        """Return whether chance within these two runs does not explain it."""
        return self.low is not None and self.high is not None and not self.low <= 0 <= self.high


class Comparison(Value, frozen=True):
    """What changed since an earlier run: by request and percentile; and of what there is only one side."""

    started: datetime
    changes: tuple[Change, ...]
    failed: RateChange
    """The share of failed requests, of all together."""
    per_second: RateChange
    failed_by_request: tuple[tuple[str, RateChange], ...] = ()
    new: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    without_start_s: float = 0.0
    """Seconds at the beginning of both runs that percentiles are compared without: one of them was slower there."""
    shown_share: float | None = None
    """From which share on a change of the p95 of all requests is shown; None where none is."""
    needed_s: float | None = None
    """How long both runs would have to be to show a tenth; None where they show it, or nothing."""
    too_short: bool = False
    """Whether one of the runs is too short for how slowly its times wander."""

    def of(self, request: str, per_cent: float) -> Change | None:
        """Return the change of one percentile of a request; None where one of the runs does not tell it."""
        return next(
            (change for change in self.changes if change.request == request and change.per_cent == per_cent), None
        )


ALL_REQUESTS = "all requests"
"""What the requests of a run are called together."""


class RequestNumbers(Value, frozen=True, omit_defaults=True):
    """The numbers of one request, or of all: times of answered ones; ``with_failed`` those of failed ones, too."""

    name: str
    count: int
    failed: int
    received_bytes: float
    mean_s: float | None = None
    least_s: float | None = None
    longest_s: float | None = None
    percentiles: tuple[Percentile, ...] = ()
    with_failed: tuple[Percentile, ...] = ()
    mean_with_failed_s: float | None = None
    settled: tuple[Percentile, ...] = ()
    """Percentiles after a beginning that was surely slower, of coarser bins; empty where there is none."""

    def percentile(self, per_cent: float) -> Percentile:
        """Return one of the percentiles."""
        return next(
            (percentile for percentile in self.percentiles if percentile.per_cent == per_cent), Percentile(per_cent)
        )

    def settled_percentile(self, per_cent: float) -> Percentile:
        """Return one of the percentiles after a slow beginning; of the whole run where it had none."""
        after = (percentile for percentile in self.settled if percentile.per_cent == per_cent)
        return next(after, self.percentile(per_cent))

    @property
    def failed_share(self) -> float:
        """Return the share of failed ones, 0 to 1."""
        return self.failed / self.count if self.count else 0.0


class Rates(Value, frozen=True):
    """How many requests were started in each part of a run, ``step_s`` long, and how many of these failed."""

    step_s: int
    sent: tuple[int, ...]
    failed: tuple[int, ...]


class Series(Value, frozen=True):
    """The run over time: one entry a step, from its start. None where nothing was answered, or nobody counts."""

    started: datetime
    step_s: int
    counts: tuple[int, ...]
    failed: tuple[int, ...]
    p50_s: tuple[float | None, ...]
    p95_s: tuple[float | None, ...]
    p99_s: tuple[float | None, ...]
    users: tuple[int | None, ...]


class Density(Value, frozen=True):
    """How times are spread: edges a part of a doubling apart, and the share of all between each two."""

    edges_s: tuple[float, ...]
    shares: tuple[float, ...]


class ErrorWindow(Value, frozen=True):
    """Where failed requests gather: from when to when, how many of how many failed there, and outside."""

    started: datetime
    ended: datetime
    count: int
    failed: int
    count_outside: int
    failed_outside: int


class SlowStart(Value, frozen=True):
    """A beginning that was slower than the rest: how long, and both medians, in seconds."""

    span_s: float
    early_s: float
    rest_s: float
    is_sure: bool = False
    """Whether chance does not explain it, so that runs are compared after it."""


class Pause(Value, frozen=True):
    """A while in which nothing was started, though requests were under way."""

    started: datetime
    span_s: float


class Waiting(Value, frozen=True):
    """How many users there were on average, and how many of them waited for an answer (Little's law)."""

    users: float
    waiting: float


class UserLevel(Value, frozen=True):
    """What requests took while there were so many users. Percentiles are None where they are too few."""

    users: int
    most_users: int
    requests: int
    failed: int
    per_second: float
    p50_s: float | None
    p95_s: float | None


class Heat(Value, frozen=True):
    """How many answered requests took how long, and when: cells are (column, row, how many).

    A column is a step in time from ``started_s`` (seconds since 1970) on, a row lies between two edges.
    """

    started_s: int
    step_s: int
    columns: int
    edges_s: tuple[float, ...]
    cells: tuple[tuple[int, int, int], ...]


class TimeBound(Value, frozen=True):
    """What a target says of the times of a request, or of all (""): so many per cent within so many seconds."""

    request: str
    per_cent: float
    seconds: float
    words: str


class LoadRun(Value, frozen=True, omit_defaults=True):
    """A load run: all requests, by request and together.

    ``statuses`` are (status, how often), ``messages`` (status, message, how often) of failed requests; the most
    frequent stand first.
    """

    rows: int
    bad_rows: int
    started: datetime
    ended: datetime
    whole: RequestNumbers
    requests: tuple[RequestNumbers, ...]
    series: Series
    """In steps so wide that a chart can show each."""
    series_5s: Series
    density: Density
    statuses: tuple[tuple[str, int], ...] = ()
    messages: tuple[tuple[str, str, int], ...] = ()
    users_most: int | None = None
    paths: tuple[str, ...] = ()
    """Of the result files that it is made of."""
    left_out: int = 0
    """Requests that are not counted, as the user wants it."""
    notes: tuple[str, ...] = ()
    bounds: tuple[TimeBound, ...] = ()
    compared: Comparison | None = None
    error_window: ErrorWindow | None = None
    slow_start: SlowStart | None = None
    pauses: tuple[Pause, ...] = ()
    waiting: Waiting | None = None
    """Hints at what may be behind the numbers; nothing was changed because of them."""
    levels: tuple[UserLevel, ...] = ()
    heat: Heat | None = None
    rates: Rates | None = None

    @property
    def span_s(self) -> float:
        """Return how long it was, from the first start to the last end."""
        return (self.ended - self.started).total_seconds()

    @property
    def per_second(self) -> float:
        """Return how many requests were started a second."""
        return self.rows / self.span_s if self.span_s else 0.0


class SumChange(Value, frozen=True):
    """A request in sums of two runs: its numbers in the earlier run and in this one. Sums tell no interval."""

    before: RequestNumbers
    now: RequestNumbers


class Reported(Value, frozen=True):
    """A load run of which only sums are left, as the tool that made them computed them."""

    path: str
    requests: tuple[RequestNumbers, ...]
    whole: RequestNumbers
    started: datetime | None = None
    ended: datetime | None = None
    compared: tuple[SumChange, ...] = ()
    """With an earlier run, request by request; the last is that of all, where both tell it."""


class Metric(Value, frozen=True):
    """A number of the team's own: one value, or many; ``series`` are the means of equal steps over time.

    ``p95`` is None where too few values tell it.
    """

    name: str
    unit: str
    count: int
    least: float
    mean: float
    longest: float
    p95: float | None = None
    started: datetime | None = None
    ended: datetime | None = None
    series: tuple[float | None, ...] = ()
