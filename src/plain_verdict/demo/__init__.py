"""The demo run: one night at the booking desk of Brindle Quay Ferries, made up from end to end."""

from pathlib import Path

RESULTS = Path(__file__).parent / "results"
SHOTS = Path(__file__).parent / "shots"
TITLE = "Booking desk, nightly"
