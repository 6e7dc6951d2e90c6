"""Writes checks of builds as Parquet (Apache Parquet 2): build by build, so that memory holds one of them."""

from collections.abc import Iterable, Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

_TEXT = pa.dictionary(pa.int32(), pa.string())  # few texts, each of them often
_COLUMN_TYPES = [_TEXT, _TEXT, pa.timestamp("ms", tz="UTC"), *[_TEXT] * 6, pa.float64()]


def write_parquet(path: Path, names: Sequence[str], pieces: Iterable[Sequence[Sequence[object]]]) -> int:
    """Write rows, some at a time, and return how many there were. Raises OSError."""
    schema = pa.schema(list(zip(names, _COLUMN_TYPES, strict=True)))
    number = 0
    with pq.ParquetWriter(path, schema) as writer:
        for rows in pieces:
            columns = list(zip(*rows, strict=True)) or [()] * len(names)
            arrays = [pa.array(column, type_) for column, type_ in zip(columns, schema.types, strict=True)]
            writer.write_table(pa.Table.from_arrays(arrays, schema=schema))
            number += len(rows)
    return number
