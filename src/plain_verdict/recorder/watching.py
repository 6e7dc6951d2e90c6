"""Hooks HTTP clients by what they offer in public, so that a team changes one line. No client is imported."""

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from typing import Any

    from plain_verdict.recorder import Recorder


def watch(recorder: "Recorder", client: "Any") -> None:
    """Note every exchange of a client. Raises TypeError for one whose hooks are not known."""
    events = getattr(client, "event_hooks", None)
    hooks = getattr(client, "hooks", None)
    if isinstance(events, dict):
        _watch_events(recorder, client, events)
    elif isinstance(hooks, dict):
        hooks["response"] = [*_several(hooks.get("response")), lambda response, **_: _note(recorder, response)]
    else:
        raise TypeError(f"{type(client).__name__} has no hooks that are known: event_hooks, or hooks")


def _several(hooks: "Any") -> "list[Any]":
    return list(hooks) if isinstance(hooks, (list, tuple)) else [hooks] if hooks else []


def _watch_events(recorder: "Recorder", client: "Any", events: "dict[str, Any]") -> None:
    """Give a client that has hooks for requests and for responses one of each."""
    if hasattr(client, "aclose"):

        async def before(request: object) -> None:
            recorder.await_answer(request)

        async def after(response: "Any") -> None:
            await response.aread()
            _note(recorder, response)

    else:

        def before(request: object) -> None:  # type: ignore[misc]  # the same hook, for a client without tasks
            recorder.await_answer(request)

        def after(response: "Any") -> None:  # type: ignore[misc]  # the same
            response.read()
            _note(recorder, response)

    # Assigned as a whole: the client makes a dictionary of its own from it.
    client.event_hooks = {
        "request": [*events.get("request", ()), before],
        "response": [*events.get("response", ()), after],
    }


def _note(recorder: "Recorder", response: "Any") -> None:
    recorder.answered(getattr(response, "request", None))
    recorder.exchange(response, history=False)
