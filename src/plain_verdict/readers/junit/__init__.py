"""JUnit XML, in all its dialects."""
