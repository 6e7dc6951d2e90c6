"""What the harbour office needs of Plain Verdict: its gate log, a measure, a section of the page, and a board."""
