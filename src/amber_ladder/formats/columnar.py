"""Tables in Parquet: typed, with what each column is called and its unit."""

from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO
from typing import Any, Literal


@dataclass(frozen=True, slots=True)
class TypedColumn:
    """A column by the name that programs use; ``label`` and ``unit`` (empty for none) go with it for people."""

    name: str
    kind: Literal["text", "count", "number", "time"]
    label: str
    unit: str
    values: Sequence[Any]


def parquet_table(columns: Sequence[TypedColumn]) -> bytes:
    """Columns of the same length as one file; None where a value is not known."""
    import pyarrow as pa  # here, for a station's start does without it
    import pyarrow.parquet as pq

    types = {"text": pa.string(), "count": pa.int64(), "number": pa.float64(), "time": pa.timestamp("us", tz="UTC")}
    fields = [pa.field(one.name, types[one.kind], metadata={"label": one.label, "unit": one.unit}) for one in columns]
    arrays = [pa.array(one.values, type=types[one.kind]) for one in columns]
    out = BytesIO()
    pq.write_table(pa.Table.from_arrays(arrays, schema=pa.schema(fields)), out, compression="zstd")
    return out.getvalue()
