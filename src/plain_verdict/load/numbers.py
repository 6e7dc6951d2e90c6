"""Makes the numbers of a load run of its state."""

from collections.abc import Iterator
from datetime import UTC, datetime

import numpy as np

from plain_verdict.load.active_users import heat_of, step_for, user_levels
from plain_verdict.load.bins import COARSE_BITS, Ints, middle_of
from plain_verdict.load.counts import SparseCounts, starts_of
from plain_verdict.load.hints import find_error_window, find_pauses, find_slow_start, find_waiting
from plain_verdict.load.percentiles import (
    Batches,
    CoarseTimes,
    Histogram,
    Times,
    density,
    interval,
    least_count,
    percentile,
)
from plain_verdict.load.state import LoadState, RequestState, Span, split_batches, split_fine, split_seconds
from plain_verdict.model import ALL_REQUESTS, Density, LoadRun, Percentile, Rates, RequestNumbers, Series

PER_CENTS = (50.0, 90.0, 95.0, 99.0, 99.9)
_WITH_INTERVAL = (50.0, 95.0, 99.0)  # p90 and p99.9 are listed without: nobody sets targets on them
_MOST_STEPS = 130  # points of a chart: each is about seven units wide
_MOST_MESSAGES = 40
_MOST_SLOTS = 20_000
"""Steps of a series: more than a day in steps of five seconds."""
_LONGEST_S = 31 * 86_400  # a month: what spans more are clocks that differ


def numbers_of(
    state: LoadState, bad_rows: int = 0, paths: tuple[str, ...] = (), settled_s: float = 0.0
) -> LoadRun | None:
    """Return the numbers of a run; None where it has no samples.

    ``settled_s`` is the beginning that percentiles are compared without.
    """
    if state.first_us is None or state.last_us is None:
        return None
    fine_codes, fine_bins, fine_counts = *split_fine(state.fine.items()[0]), state.fine.items()[1]
    failed_codes, failed_bins = split_fine(state.fine_failed.items()[0])
    failed_counts = state.fine_failed.items()[1]
    batches, all_batches = _batches(state)
    span_s = (state.last_us - state.first_us) // 1_000_000
    seconds = _series(state, 1 + span_s // _MOST_SLOTS)
    settled_from = _settled_from(state.first_us, settled_s, state.batch_s)
    requests = []
    for name, code in state.names.items():
        request, of_request = state.requests[code], fine_codes == code
        answered = _histogram(fine_bins[of_request], fine_counts[of_request], request.answered)
        of_failed = failed_codes == code
        both = _together(answered, failed_bins[of_failed], failed_counts[of_failed], state.everything)
        requests.append(_numbers(name, request, answered, both, batches[code], settled_from))
    answered = _histogram(*_summed(fine_bins, fine_counts), state.answered)
    both = _together(answered, *_summed(failed_bins, failed_counts), state.everything)
    whole = _numbers(ALL_REQUESTS, _all_of(state), answered, both, all_batches, settled_from)
    edges, shares = density(answered)
    return LoadRun(
        rows=state.rows,
        bad_rows=bad_rows,
        started=_moment(state.first_us),
        ended=_moment(state.last_us),
        whole=whole,
        requests=tuple(sorted(requests, key=lambda request: (-request.count, request.name))),
        series=_series(state),
        series_5s=_series(state, 5),
        error_window=find_error_window(seconds),
        slow_start=find_slow_start(seconds),
        pauses=find_pauses(state),
        waiting=find_waiting(state, (state.last_us - state.first_us) / 1e6),
        levels=user_levels(state),
        heat=heat_of(state),
        rates=_rates(state),
        density=Density(tuple(edges.tolist()), tuple(shares.tolist())),
        statuses=tuple(sorted(state.statuses.items(), key=lambda pair: (-pair[1], pair[0]))),
        messages=tuple((*status_and_message, times) for status_and_message, times in _most_frequent(state)),
        users_most=max(state.users.values(), default=None),
        paths=paths,
        left_out=state.left_out,
        notes=tuple(_notes(state)),
    )


def _notes(state: LoadState) -> Iterator[str]:
    if state.first_us is not None and state.last_us is not None:
        span_s = (state.last_us - state.first_us) / 1e6
        if span_s > _LONGEST_S:
            yield f"The samples span {span_s / 86_400:,.0f} days: is the time of some of them wrong?"
        if span_s > 5 * _MOST_SLOTS:
            hours = 5 * _MOST_SLOTS / 3600
            yield f"The run in steps of five seconds, in the JSON, ends after the first {hours:.0f} hours."
    if state.folded:
        yield (
            f"The samples have {len(state.folded) + len(state.names):,} names of requests: those past the first "
            f"{len(state.names):,} that differ only by numbers are counted together."
        )


def _most_frequent(state: LoadState) -> list[tuple[tuple[str, str], int]]:
    return sorted(state.messages.items(), key=lambda pair: (-pair[1], pair[0]))[:_MOST_MESSAGES]


def _moment(microseconds: int) -> datetime:
    return datetime.fromtimestamp(microseconds / 1e6, UTC)


def _histogram(bins: Ints, counts: Ints, span: Span) -> Histogram:
    return Histogram(bins, counts, span.step, span.least, max(span.longest, 0))


def _summed(bins: Ints, counts: Ints) -> tuple[Ints, Ints]:
    """Return bins in their order, each once, with their counts."""
    unique, indices = np.unique(bins, return_inverse=True)
    return unique, np.bincount(indices, counts, minlength=unique.size).astype(np.int64)


def _together(answered: Histogram, bins: Ints, counts: Ints, span: Span) -> Histogram:
    """Return the times of answered and failed requests together; the whole run's ends bound them."""
    if not bins.size:
        return answered
    both, times = _summed(np.concatenate((answered.bins, bins)), np.concatenate((answered.counts, counts)))
    return Histogram(both, times, span.step, span.least, max(span.longest, 0))


def _all_of(state: LoadState) -> RequestState:
    whole = RequestState()
    for request in state.requests:
        whole.count += request.count
        whole.failed += request.failed
        whole.sum_us += request.sum_us
        whole.sum_all_us += request.sum_all_us
        whole.received += request.received
    return whole


def _numbers(
    name: str,
    request: RequestState,
    answered: Histogram,
    both: Histogram,
    batches: Batches,
    settled_from: int | None,
) -> RequestNumbers:
    count = request.count - request.failed
    known = answered.total > 0
    return RequestNumbers(
        name=name,
        count=request.count,
        failed=request.failed,
        received_bytes=request.received,
        mean_s=request.sum_us / count / 1e6 if count else None,
        least_s=answered.least_us / 1e6 if known else None,
        longest_s=answered.longest_us / 1e6 if known else None,
        percentiles=tuple(_percentile(answered, per_cent, batches) for per_cent in PER_CENTS),
        with_failed=tuple(
            Percentile(per_cent, percentile(both, per_cent / 100) if both.total else None) for per_cent in PER_CENTS
        ),
        mean_with_failed_s=request.sum_all_us / request.count / 1e6 if request.count else None,
        settled=() if settled_from is None else _settled(batches, settled_from),
    )


def _settled(batches: Batches, since: int) -> tuple[Percentile, ...]:
    """Return the percentiles of what was answered from a batch on."""
    rest = batches.since(since)
    times = CoarseTimes(*_summed(rest.bins, rest.counts))
    return tuple(_percentile(times, per_cent, rest) for per_cent in _WITH_INTERVAL)


def _percentile(times: Times, per_cent: float, batches: Batches) -> Percentile:
    if not times.total:
        return Percentile(per_cent)
    share = per_cent / 100
    value_s = percentile(times, share)
    found = interval(times, share, batches) if per_cent in _WITH_INTERVAL else None
    if found is None:
        return Percentile(per_cent, value_s)
    reach = found.reach
    return Percentile(
        per_cent, value_s, found.low_s, found.high_s, reach.batches, reach.degrees, wanders=reach.alike
    )


def _batches(state: LoadState) -> tuple[dict[int, Batches], Batches]:
    """Return the batches of each request by its code, and of all together."""
    keys, counts = state.batches.items()
    codes, slots, bins = split_batches(keys)  # in the order of requests, then of batches
    ends = np.searchsorted(codes, np.arange(len(state.requests) + 1))
    found = {}
    for code in range(len(state.requests)):
        part = slice(int(ends[code]), int(ends[code + 1]))
        found[code] = _in_time(bins[part], counts[part], slots[part])
    order = np.argsort(slots, kind="stable")
    return found, _in_time(bins[order], counts[order], slots[order])


def _in_time(bins: Ints, counts: Ints, slots: Ints) -> Batches:
    starts = starts_of(slots)
    return Batches(bins, counts, starts, slots[starts])


def _runs(slots: Ints) -> Iterator[slice]:
    """Yield where equal neighbours stand."""
    starts = starts_of(slots).tolist()
    if starts:
        yield from (slice(start, end) for start, end in zip(starts, [*starts[1:], slots.size], strict=True))


def _series(state: LoadState, step: int = 0) -> Series:
    """Return the run over time, in steps of so many seconds; 0: so wide that a chart can show each."""
    first, last = (state.first_us or 0) // 1_000_000, (state.last_us or 0) // 1_000_000
    last = max(first, min(last, int(state.started.items()[0][-1])))  # nothing starts later
    step = step or step_for(last - first, _MOST_STEPS)
    start = first // step * step
    size = min((last - start) // step + 1, _MOST_SLOTS)
    quantiles = _quantiles(state, start, step, size)
    users: list[int | None] = [None] * size
    for second, number in state.users.items():
        at = (second - start) // step
        if 0 <= at < size:
            users[at] = max(number, users[at] or 0)
    return Series(
        started=_moment(start * 1_000_000),
        step_s=step,
        counts=_by_slot(state.started, start, step, size),
        failed=_by_slot(state.failed, start, step, size),
        p50_s=quantiles[0],
        p95_s=quantiles[1],
        p99_s=quantiles[2],
        users=tuple(users),
    )


def _settled_from(first_us: int, settled_s: float, batch_s: int) -> int | None:
    """Return the first batch that begins after a slow beginning; None where there is none."""
    return -(-(first_us // 1_000_000 + round(settled_s)) // batch_s) if settled_s else None


def _rates(state: LoadState) -> Rates:
    """Return how many requests were started in each batch, and how many of these failed."""
    seconds, _ = state.started.items()
    step = state.batch_s
    first, last = int(seconds[0]) // step, int(seconds[-1]) // step
    size = min(last - first + 1, _MOST_SLOTS)
    sent, failed = (_by_slot(counts, first * step, step, size) for counts in (state.started, state.failed))
    return Rates(step, sent, failed)


def _by_slot(counted: SparseCounts, start: int, step: int, size: int) -> tuple[int, ...]:
    """Return how often each step was counted; what is outside of all, by a wrong clock, is in none."""
    seconds, counts = counted.items()
    slots = (seconds - start) // step
    inside = (slots >= 0) & (slots < size)
    return tuple(np.bincount(slots[inside], counts[inside], minlength=size).astype(int).tolist())


def _quantiles(state: LoadState, start: int, step: int, size: int) -> list[tuple[float | None, ...]]:
    """Return median, 95 % and 99 % of each step, from coarse bins; the last two as far as there are enough."""
    keys, counts = state.seconds.items()
    seconds, bins = split_seconds(keys)
    slots = (seconds - start) // step
    order = np.lexsort((bins, slots))
    slots, bins, counts = slots[order], bins[order], counts[order]
    found: list[list[float | None]] = [[None] * size for _ in _DRAWN]
    for run in _runs(slots):
        slot = int(slots[run.start])
        if not 0 <= slot < size:
            continue
        sums = np.cumsum(counts[run])
        for numbers, share in zip(found, _DRAWN, strict=True):
            if sums[-1] >= least_count(share) or share == _DRAWN[0]:
                at = int(np.searchsorted(sums, np.ceil(share * sums[-1])))
                chosen = bins[run][at : at + 1]
                numbers[slot] = float(middle_of(chosen, COARSE_BITS, 0)[0]) / 1e6
    return [tuple(quantile_values) for quantile_values in found]


_DRAWN = (0.5, 0.95, 0.99)
