"""A run and what is derived from it."""

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plain_verdict.masking import Masker, MaskRules, mask_run
from plain_verdict.merging import VariantOptions, merge
from plain_verdict.merging.time_zones import in_zone
from plain_verdict.model import Attempt, Check, Kind, Masked, Outcome, Payload, ResultFile, Run, Tally, tally_of


class Samples(Payload, frozen=True):
    """What a reader of load runs might find."""

    name: str
    began: datetime


def check_of(outcome: Outcome, name: str = "sails") -> Check:
    return Check(f"c-{name}", Kind.FUNCTIONAL, ("Quay",), name, (Attempt(outcome),))


@given(st.lists(st.lists(st.sampled_from(Outcome), max_size=6), max_size=5))
def test_checks_and_tallies_are_those_of_the_files(files):
    run = Run(
        tuple(
            ResultFile(f"{n}.xml", "junit-xml", 1, tuple(map(check_of, several))) for n, several in enumerate(files)
        )
    )
    flat = [outcome for several in files for outcome in several]
    assert [check.outcome for check in run.checks] == flat
    assert run.tally == Tally(**{outcome.value: flat.count(outcome) for outcome in Outcome})
    assert sum(file.tally.total for file in run.files) == run.tally.total == len(flat)
    assert tally_of(run.checks).ran == len(flat) - flat.count(Outcome.SKIPPED)


def test_what_is_no_check_goes_the_whole_way_masked_and_moved():
    samples = Samples(Kind.LOAD, "GET /fares?password=hunter2-8181", datetime(2026, 11, 22, 1, 0, tzinfo=UTC))
    run = Run((ResultFile("load.csv", "samples", 1, payloads=(samples,)),))
    run = in_zone(merge(run, VariantOptions()), ZoneInfo("Europe/Oslo"))
    masked = mask_run(run, Masker(MaskRules())).files[0].payloads[0]
    assert isinstance(masked, Samples)
    assert "hunter2" not in masked.name
    assert f"{masked.began:%H:%M}" == "02:00"


@pytest.mark.parametrize("off", [False, True])
def test_a_run_tells_how_many_secrets_were_masked(off):
    run = Run(
        (ResultFile("r.xml", "junit-xml", 1, (check_of(Outcome.PASSED, "opens with password=hunter2-8181"),)),)
    )
    assert mask_run(run, Masker(MaskRules(off=off))).masked == (None if off else Masked(1))
