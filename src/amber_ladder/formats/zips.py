"""A zip that is written as a stream, the same to the byte for the same files, and of any size.

Files are stored as they are: pictures gain nothing by packing. All offsets are of 64 bits, the moment is the first that
a zip knows, and checksums follow their file; so all of it but the checksums is known before anything is read. The
layout is that of PKWARE's APPNOTE 6.3.10, sections 4.3 and 4.5.3.
"""

import struct
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from zlib import crc32

_ZIP64 = 45
_MADE_BY = 3 << 8 | _ZIP64  # Unix: the names' case counts
_FLAGS = 0x0808  # the checksum follows, names are UTF-8
_MOMENT = 0x0021_0000  # 1980-01-01 00:00
_FILE = 0o100644 << 16
_NOT_HERE = 0xFFFFFFFF


@dataclass(frozen=True, slots=True)
class Member:
    """A file in the zip: its name, size in bytes, checksum (CRC-32), and where it begins."""

    name: str
    size: int
    crc: int
    offset: int


class ZipStream:
    """Gives the bytes of a zip one after another, file by file."""

    def __init__(self) -> None:
        self.members = list[Member]()
        self._at = 0

    def file(self, name: str, size: int, chunks: Iterable[bytes]) -> Iterator[bytes]:
        """A file of that size. Raises ValueError where it turns out to have another."""
        offset, crc, seen = self._at, 0, 0
        head = _head(name, size)
        self._at += len(head)
        yield head
        for chunk in chunks:
            crc, seen = crc32(chunk, crc), seen + len(chunk)
            yield chunk
        if seen != size:
            raise ValueError(f"{name} has {seen} bytes, not {size}")
        member = Member(name, size, crc, offset)
        self.members.append(member)
        tail = _tail(member)
        self._at += size + len(tail)
        yield tail

    def end(self) -> Iterator[bytes]:
        """The list of all files, which closes the zip."""
        yield _closing(self.members, self._at)


def skeleton(members: Iterable[Member]) -> Iterator[tuple[int, bytes]]:
    """All that such a zip holds besides the files themselves, piece by piece: where it lies, and what it is."""
    listed, at = list(members), 0
    for member in listed:
        head = _head(member.name, member.size)
        yield at, head
        at += len(head) + member.size
        tail = _tail(member)
        yield at, tail
        at += len(tail)
    yield at, _closing(listed, at)


def _head(name: str, size: int) -> bytes:
    raw = name.encode()
    extra = struct.pack("<HHQQ", 1, 16, size, size)
    fixed = struct.pack(
        "<IHHHIIIIHH", 0x04034B50, _ZIP64, _FLAGS, 0, _MOMENT, 0, _NOT_HERE, _NOT_HERE, len(raw), len(extra)
    )
    return fixed + raw + extra


def _tail(member: Member) -> bytes:
    return struct.pack("<IIQQ", 0x08074B50, member.crc, member.size, member.size)


def _closing(members: list[Member], at: int) -> bytes:
    listed = b"".join(_listed(member) for member in members)
    count, end = len(members), at + len(listed)
    return b"".join(
        (
            listed,
            struct.pack("<IQHHIIQQQQ", 0x06064B50, 44, _MADE_BY, _ZIP64, 0, 0, count, count, len(listed), at),
            struct.pack("<IIQI", 0x07064B50, 0, end, 1),
            struct.pack("<IHHHHIIH", 0x06054B50, 0, 0, 0xFFFF, 0xFFFF, _NOT_HERE, _NOT_HERE, 0),
        )
    )


def _listed(member: Member) -> bytes:
    raw = member.name.encode()
    extra = struct.pack("<HHQQQ", 1, 24, member.size, member.size, member.offset)
    fixed = struct.pack(
        "<IHHHHIIIIHHHHHII", 0x02014B50, _MADE_BY, _ZIP64, _FLAGS, 0, _MOMENT, member.crc, _NOT_HERE, _NOT_HERE,
        len(raw), len(extra), 0, 0, 0, _FILE, _NOT_HERE,
    )  # fmt: skip
    return fixed + raw + extra
