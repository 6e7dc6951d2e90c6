"""Hooks HTTP clients by what they offer in public, so that a team changes one line. No client is imported."""

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from typing import Any

    from plain_verdict_recorder.recording import Recorder

_WATCHES = "plain_verdict_recorder"
"""The attribute of a hook that names the recorder it is for."""


def watch(recorder: "Recorder", client: "Any") -> None:
    """Note every exchange of a client, once however often it is watched. Raises TypeError for one without hooks."""
    events = getattr(client, "event_hooks", None)
    known = events if isinstance(events, dict) else getattr(client, "hooks", None)
    if not isinstance(known, dict):
        raise TypeError(f"{type(client).__name__} has no hooks that are known: event_hooks, or hooks")
    now = _list(known.get("response"))
    # A client that lives longer than a test is watched by each of them.
    if any(getattr(hook, _WATCHES, None) is recorder for hook in now):
        return
    if isinstance(events, dict):
        _watch_events(recorder, client, events)
    else:
        known["response"] = [*now, _marked(recorder, lambda response, **_: _note(recorder, response))]


def _marked(recorder: "Recorder", hook: "Any") -> "Any":
    setattr(hook, _WATCHES, recorder)
    return hook


def _list(hooks: "Any") -> "list[Any]":
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

    # Assigned as a whole: the client makes its own dictionary from it.
    client.event_hooks = {
        "request": [*events.get("request", ()), before],
        "response": [*events.get("response", ()), _marked(recorder, after)],
    }


def _note(recorder: "Recorder", response: "Any") -> None:
    recorder.answered(getattr(response, "request", None))
    recorder.exchange(response, history=False)
