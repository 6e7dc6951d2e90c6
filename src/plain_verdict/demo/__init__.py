"""The demo run: one night at the booking desk of Brindle Quay Ferries, made up from end to end."""

from datetime import timedelta
from pathlib import Path

RESULTS = Path(__file__).parent / "results"
SHOTS = Path(__file__).parent / "shots"
BRAND = Path(__file__).parent / "brand"
SETTINGS = Path(__file__).parent / "settings.toml"
WAIVER_LASTS = timedelta(days=5)
