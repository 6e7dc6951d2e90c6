"""Writes records: our own result format, from any Python program. Standard library only; see ``recording``."""

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from plain_verdict_recorder.recording import Recorder

__version__ = "0.1.0"
__all__ = ["Recorder"]


def __getattr__(name: str) -> object:
    """Return the recorder once it is used (PEP 562): importing the pytest plugin must cost nothing."""
    if name != "Recorder":
        raise AttributeError(f"module 'plain_verdict_recorder' has no attribute {name!r}")
    from plain_verdict_recorder.recording import Recorder  # the plugin must cost nothing until it records

    return Recorder
