"""Text: cleaning what runners write, and numbers, times and lists in plain words."""
