"""Writes records: our own result format, from any Python program. Standard library only; see ``recording``."""

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from plain_verdict.recorder.recording import Recorder

__all__ = ["Recorder"]


def __getattr__(name: str) -> object:
    """Return the recorder once it is used (PEP 562): importing the pytest plugin must cost nothing."""
    if name != "Recorder":
        raise AttributeError(f"module 'plain_verdict.recorder' has no attribute {name!r}")
    from plain_verdict.recorder.recording import Recorder  # the plugin must cost nothing until it records

    return Recorder
