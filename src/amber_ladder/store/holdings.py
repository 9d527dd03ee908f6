"""What the database says lies on the disk: read at one moment, while the station goes on working."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import psycopg

from amber_ladder.settings import settings


@dataclass(frozen=True, slots=True)
class Original:
    """A stored file by its checksum. ``name`` is one under which it came, ``owner`` what it belongs to in words."""

    sha256: str
    suffix: str
    name: str
    owner: str

    @property
    def place(self) -> Path:
        """Where it lies below the folder of originals."""
        return Path(self.sha256[:2]) / f"{self.sha256}{self.suffix}"


@dataclass(frozen=True, slots=True)
class StoredProduct:
    """The folder of a finished product and the files in it."""

    id: int
    files: tuple[str, ...]
    owner: str


@dataclass(frozen=True, slots=True)
class Holdings:
    """All that must lie on the disk, thrown away or not; and all products there are, finished or not."""

    originals: tuple[Original, ...]
    products: tuple[StoredProduct, ...]
    product_ids: frozenset[int]


@contextmanager
def snapshot() -> Iterator[tuple[str, Holdings]]:
    """A moment of the database that others can be shown too, by its name, for as long as this lasts."""
    with psycopg.connect(settings().database_url, connect_timeout=3) as connection:
        connection.execute("set transaction isolation level repeatable read, read only")
        row = connection.execute("select pg_export_snapshot()").fetchone()
        assert row is not None
        yield str(row[0]), _read(connection)


def held() -> Holdings:
    """What must lie on the disk now."""
    with snapshot() as (_, holdings):
        return holdings


def _read(connection: psycopg.Connection) -> Holdings:
    originals = dict[tuple[str, str], Original]()
    for query in (_FRAMES, _CALIBRATIONS, _CARDS):
        for sha256, suffix, name, owner in connection.execute(query):
            originals.setdefault((sha256, suffix), Original(sha256, suffix, name, owner))
    products = connection.execute(_PRODUCTS).fetchall()
    return Holdings(
        tuple(originals.values()),
        tuple(StoredProduct(number, tuple(files), owner) for number, files, owner in products if files is not None),
        frozenset(number for number, _, _ in products),
    )


_FRAMES = """
select f.sha256, f.suffix, f.name, format('take %s of stack %s of %s', t.number, s.number, p.catalogue_number)
  from frame f join take t on t.id = f.take_id join stack s on s.id = t.stack_id join specimen p on p.id = s.specimen_id
  order by f.id
"""
_CALIBRATIONS = """
select one ->> 'sha256', one ->> 'suffix', one ->> 'name', format('a calibration of %s', r.name)
  from calibration c join rig r on r.id = c.rig_id, jsonb_array_elements(c.pictures) one
"""
_CARDS = """
select f.sha256, f.suffix, f.name, format('the card %s', c.name)
  from card_file f join card c on c.id = f.card_id where f.sha256 is not null order by f.id
"""
_PRODUCTS = """
select d.id, d.files,
    format('%s %s of take %s of stack %s of %s', d.kind, d.number, t.number, s.number, p.catalogue_number)
  from product d join take t on t.id = d.take_id join stack s on s.id = t.stack_id
  join specimen p on p.id = s.specimen_id
"""
