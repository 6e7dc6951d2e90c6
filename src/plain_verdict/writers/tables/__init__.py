"""What a run holds as tables for spreadsheets and programs."""
