"""History: what earlier builds were, where that is kept, and what it tells of this one.

``interface`` says what a store of runs is; ``pages`` and ``sql`` are such stores. ``flakiness`` and ``durations``
are numbers only; ``flaky_checks`` and ``level_changes`` apply them to runs, and ``comparison`` puts all together.
"""
