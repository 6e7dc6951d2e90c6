"""History: what earlier builds were, where that is kept, and what it tells of this one.

``interface`` says what a place is that keeps runs; ``pages`` and ``sql`` are such places. ``comparison`` and
``trends`` are numbers only.
"""
