"""How a file's format is given: each syntax sees the beginning of a file in its own way."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from plain_verdict.readers import READERS
from plain_verdict.readers.interface import Head
from plain_verdict.text.json_text import are_plain, key_twice, surely_once

XML = [
    ("<a/>", ("a", "", "")),
    ('\ufeff<?xml version="1.0"?><!-- x > y --><n:a xmlns:n="urn:n" b="1"/>', ("a", "urn:n", "")),
    ("<a xmlns='urn:x' xmlns:n='urn:n'>", ("a", "urn:x", "")),
    ('<n:a xmlns="urn:x">', ("a", "", "")),
    ("<!DOCTYPE html><html>", ("", "", "html")),
    ('{"a": "<b>"}', ("", "", "")),
    ("", ("", "", "")),
]
VIEWS = [
    # beginning, JSON keys, CSV columns, TAP
    (b'{"a": 1, "b": [2]}', {"a", "b"}, (), False),
    (b'{"a": 1}\n{"c": 2}\n', {"a"}, (), False),
    (b'  {"log": {"version": "1.2", "entries": [', {"log"}, (), False),
    (b'{"a:{": ":", "b": {"c": [{"d": 1}]}, "e": "f\\"g:", "h', {"a:{", "b", "e"}, (), False),
    (b'[{"a": 1}]', set(), (), False),
    (b"time,label,elapsed\n1,a,3\n", set(), ("time", "label", "elapsed"), False),
    (b'"time stamp";"la;bel"\r\n1;2', set(), ("time stamp", "la;bel"), False),
    (b"TAP version 14\n1..2\nok 1\n", set(), (), True),
    (b"1..2 # two\nok 1 - sails\n", set(), (), True),
    (b"not ok 1 - sinks\n", set(), (), True),
    (b"okay, that is a sentence\n", set(), ("okay", "that is a sentence"), False),
    (b"plain words", set(), (), False),
    (b"\x00\x01\x02", set(), (), False),
    (b"", set(), (), False),
]


@pytest.mark.parametrize(("text", "start"), XML)
def test_xml_by_its_root_and_namespace(text, start):
    assert tuple(Head(text.encode()).xml) == start


@pytest.mark.parametrize(("data", "keys", "columns", "tap"), VIEWS)
def test_json_csv_and_tap(data, keys, columns, tap):
    head = Head(data)
    assert (head.json_keys, head.csv_columns, head.is_tap) == (keys, columns, tap)


def test_no_beginning_is_taken_by_two_readers():
    beginnings = [
        *(text.encode() for text, _ in XML),
        *(row[0] for row in VIEWS),
        b"<testsuite/>",
        b'{"what": "record"}\n',
    ]
    for data in beginnings:
        assert sum(reader.recognises(Head(data)) for reader in READERS) <= 1
    assert len({reader.format for reader in READERS}) == len(READERS)


LINES = [
    '{"a": 1}',
    '{"a" : "b:c"}',
    '{"a":{"a":[{"b":1}]}}',
    '["a", {"b": 2}]',
    '"a:"',
    "{}",
    '{"a\\":": 1}',
    '{"a": "\\"b\\":"}',
    '{"a": 1, "a": 2}',
    '{"a"\t: 1,"b":2, "a" :3}',
    '{"c":{"b":1,"b":2}}',
]


@given(st.lists(st.sampled_from(LINES), min_size=1, max_size=6))
def test_a_key_that_stands_twice_is_never_passed_over_where_lines_are_looked_at_together(texts):
    lines = [text.encode() for text in texts]
    values = [msgspec.json.decode(line) for line in lines]
    if are_plain(lines) and surely_once(lines, values):
        assert not any(map(key_twice, lines))
    else:
        assert any(map(key_twice, lines)) or any(b"\\" in line for line in lines)
