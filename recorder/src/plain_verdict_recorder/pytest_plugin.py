"""Lets pytest write a record: ``pytest --verdict-record FOLDER``. Off without the option, and then nearly free."""

import os
from collections.abc import Generator, Iterator

import pytest


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the option that turns recording on."""
    group = parser.getgroup("plain-verdict")
    group.addoption(
        "--verdict-record",
        metavar="FOLDER",
        help="record every test with its steps and evidence in FOLDER, for plain-verdict report",
    )


def pytest_configure(config: pytest.Config) -> None:
    """Turn recording on where it is asked for."""
    folder = config.getoption("--verdict-record")
    if folder:
        from plain_verdict_recorder.pytest_recorder import Recording  # it must cost nothing until it records

        config.pluginmanager.register(Recording(config, folder), "plain-verdict-recording")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call(item: pytest.Item) -> Generator[None, object, object]:
    """Let a test fail at its end whose noted expectations were not all met."""
    __tracebackhide__ = True
    result = yield
    record = getattr(item, "funcargs", {}).get("verdict_record")
    if record is not None:
        record.settle()
    return result


@pytest.fixture
def verdict_record(request: pytest.FixtureRequest) -> Iterator[object]:
    """Give the test its recorder, for steps, evidence and log lines; without the option it records nowhere."""
    recording = request.config.pluginmanager.get_plugin("plain-verdict-recording")
    if recording is not None:
        yield recording.recorder
        return
    from plain_verdict_recorder.recording import Recorder  # the plugin must cost nothing until it records

    class Silent(Recorder):
        """A recorder that takes everything and keeps nothing."""

        def write(self, line: object) -> None:
            """Drop the line."""

        def exchange(self, response: object = None, *, history: bool = True, **fields: object) -> None:
            """Drop the exchange before anything is made of it."""

        def attach(self, *_: object, **__: object) -> None:
            """Drop the evidence."""

    yield Silent(os.devnull)
