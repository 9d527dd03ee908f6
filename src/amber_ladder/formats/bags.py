"""Packages as BagIt bags (RFC 8493) in a zip: written as a stream, and looked through for every fault."""

import hashlib
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import IO, Any
from zipfile import BadZipFile, ZipFile, ZipInfo

from amber_ladder.errors import BadInput
from amber_ladder.formats.zips import Member, ZipStream, skeleton

PAYLOAD = "data/"
_AGENT = "Amber Ladder"
_DECLARED = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
_MANIFEST, _TAGS, _INFO, _BAGIT = "manifest-sha256.txt", "tagmanifest-sha256.txt", "bag-info.txt", "bagit.txt"
_CHUNK = 1 << 20
_LINE = re.compile(r"([0-9a-fA-F]{64}) [ *]?(.+)")
_LARGEST_TAG = 64_000_000
_UNREADABLE = (BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError, ValueError)
"""What the reader raises over a damaged zip; names that are no UTF-8 are a ValueError."""
Followed = Callable[[int], None]
"""Told of each number of bytes that was gone through."""


@dataclass(frozen=True, slots=True)
class Packed:
    """A file to be packed: its name below the payload, and what it is; ``sha256`` where it is known what it must be."""

    name: str
    content: Path | bytes
    sha256: str | None = None

    @property
    def size(self) -> int:
        """In bytes."""
        return len(self.content) if isinstance(self.content, bytes) else self.content.stat().st_size

    def chunks(self) -> Iterator[bytes]:
        """Its content, piece by piece."""
        if isinstance(self.content, bytes):
            yield self.content
            return
        with self.content.open("rb") as file:
            while chunk := file.read(_CHUNK):
                yield chunk

    def sum(self) -> str:
        """Its checksum (SHA-256, hex)."""
        digest = hashlib.sha256()
        for chunk in self.chunks():
            digest.update(chunk)
        return digest.hexdigest()


@dataclass(frozen=True, slots=True)
class BagFault:
    """A file, or ``.`` for the package itself, and what is wrong with it."""

    path: str
    reason: str


def write_bag(out: IO[bytes], name: str, files: Sequence[Packed], info: Mapping[str, str], followed: Followed) -> None:
    """Write files as a bag of that name into ``out``.

    Raises BadInput for a file that is not what its checksum says: a damaged original is not handed on as a sound one.
    """
    stream, sums = ZipStream(), dict[str, str]()

    def put(path: str, packed: Packed) -> str:
        digest = hashlib.sha256()
        for chunk in stream.file(f"{name}/{path}", packed.size, _hashed(packed.chunks(), digest, followed)):
            out.write(chunk)
        return digest.hexdigest()

    for packed in files:
        path = f"{PAYLOAD}{packed.name}"
        sums[path] = put(path, packed)
        if packed.sha256 is not None and packed.sha256 != sums[path]:
            raise BadInput(
                f"{packed.name} is not what it was when it came in: its checksum differs. Nothing was packed"
            )
    oxum = f"{sum(packed.size for packed in files)}.{len(files)}"
    told = {**info, "Payload-Oxum": oxum, "Bag-Software-Agent": info["Bag-Software-Agent"]}
    tags = {
        _BAGIT: _DECLARED,
        _INFO: "".join(f"{key}: {' '.join(value.split())}\n" for key, value in told.items()),
        _MANIFEST: _manifest(sums),
    }
    tag_sums = {path: put(path, Packed(path, text.encode())) for path, text in tags.items()}
    put(_TAGS, Packed(_TAGS, _manifest(tag_sums).encode()))
    for chunk in stream.end():
        out.write(chunk)


def _hashed(chunks: Iterable[bytes], digest: Any, followed: Followed) -> Iterator[bytes]:
    for chunk in chunks:
        digest.update(chunk)
        followed(len(chunk))
        yield chunk


def _manifest(sums: Mapping[str, str]) -> str:
    return "".join(f"{digest}  {_written(path)}\n" for path, digest in sums.items())


def _written(path: str) -> str:
    return path.replace("%", "%25").replace("\n", "%0A").replace("\r", "%0D")


def _read(path: str) -> str:
    return path.replace("%0D", "\r").replace("%0d", "\r").replace("%0A", "\n").replace("%0a", "\n").replace("%25", "%")


class Bag:
    """A package as it lies on the disk. Raises BadInput for a file that is none at all."""

    def __init__(self, path: Path) -> None:
        try:
            self._zip = ZipFile(path)
        except _UNREADABLE as error:
            raise BadInput(f"{path} cannot be read as a zip: {_words(error)}", field="package") from error
        self._path = path
        self._infos = [one for one in self._zip.infolist() if not one.is_dir()]
        tops = {PurePosixPath(one.filename).parts[0] for one in self._infos if one.filename}
        self._top = tops.pop() if len(tops) == 1 else ""
        self._by_path = {one.filename.removeprefix(f"{self._top}/"): one for one in self._infos}
        if _BAGIT not in self._by_path and _MANIFEST not in self._by_path:
            self.close()
            raise BadInput(f"{path} is no package: it holds neither {_BAGIT} nor {_MANIFEST}", field="package")

    def close(self) -> None:
        """Let go of the file."""
        self._zip.close()

    @property
    def names(self) -> list[str]:
        """The payload's files, by their names below it."""
        return [path.removeprefix(PAYLOAD) for path in self._by_path if path.startswith(PAYLOAD)]

    @property
    def size(self) -> int:
        """The size of all files together, in bytes."""
        return sum(one.file_size for one in self._infos)

    @contextmanager
    def open(self, name: str) -> Iterator[IO[bytes]]:
        """A file of the payload. Raises BadInput where it is missing or damaged."""
        info = self._by_path.get(PAYLOAD + name)
        if info is None:
            raise BadInput(f"the package holds no {name}", field="package")
        try:
            with self._zip.open(info) as file:
                yield file
        except _UNREADABLE as error:
            raise BadInput(f"{name} is damaged in the package: {_words(error)}", field="package") from error

    def read(self, name: str, most: int = _LARGEST_TAG) -> bytes:
        """A small file of the payload. Raises BadInput where it is missing, damaged, or larger than that."""
        with self.open(name) as file:
            content = file.read(most + 1)
        if len(content) > most:
            raise BadInput(f"{name} is larger than any that this application writes", field="package")
        return content

    def faults(self, followed: Followed) -> list[BagFault]:
        """Go through all of it: every checksum, what is missing and what was put in, and the zip's own structure."""
        sums, crcs, found = dict[str, str](), dict[str, int](), list[BagFault]()
        for path, info in self._by_path.items():
            try:
                sums[path] = self._sum(info, followed)
                crcs[path] = info.CRC
            except _UNREADABLE as error:
                found.append(BagFault(path, f"damaged: {_words(error)}"))
        broken = {one.path for one in found}
        if len(self._by_path) < len(self._infos):
            found.append(BagFault(".", "two files in it have the same name"))
        if not self._top:
            found.append(BagFault(".", "it does not hold one folder alone"))
        listed, wrong = self._listed(_MANIFEST, broken)
        tags, wrong_tags = self._listed(_TAGS, broken)
        found += [*wrong, *wrong_tags]
        if _BAGIT not in self._by_path:
            found.append(BagFault(_BAGIT, "missing"))
        elif _BAGIT not in broken and not self._tag(_BAGIT).startswith("BagIt-Version: "):
            found.append(BagFault(_BAGIT, "does not say what it is"))
        for path, digest in {**listed, **tags}.items():
            if path not in self._by_path:
                found.append(BagFault(path, "missing"))
            elif path not in broken and sums[path] != digest:
                found.append(BagFault(path, "its checksum (SHA-256) is not the one that was written down"))
        for path in self._by_path:
            if path != _TAGS and path not in (listed if path.startswith(PAYLOAD) else tags):
                found.append(BagFault(path, "stands in no manifest: it was put in later"))
        if not found and self._is_ours():
            found += self._structure(crcs)
        return found

    def _sum(self, info: ZipInfo, followed: Followed) -> str:
        digest = hashlib.sha256()
        with self._zip.open(info) as file:
            while chunk := file.read(_CHUNK):
                digest.update(chunk)
                followed(len(chunk))
        return digest.hexdigest()

    def _tag(self, path: str) -> str:
        with self._zip.open(self._by_path[path]) as file:
            return file.read(_LARGEST_TAG).decode(errors="replace")

    def _listed(self, manifest: str, broken: set[str]) -> tuple[dict[str, str], list[BagFault]]:
        if manifest in broken:
            return {}, []
        if manifest not in self._by_path:
            return {}, [BagFault(manifest, "missing")]
        sums, found = dict[str, str](), list[BagFault]()
        for number, line in enumerate(self._tag(manifest).splitlines(), start=1):
            matched = _LINE.fullmatch(line)
            if matched is None:
                found.append(BagFault(manifest, f"line {number} cannot be read"))
            else:
                sums[_read(matched[2].strip())] = matched[1].lower()
        return sums, found

    def _is_ours(self) -> bool:
        return any(line.startswith(f"Bag-Software-Agent: {_AGENT}") for line in self._tag(_INFO).splitlines())

    def _structure(self, crcs: Mapping[str, int]) -> list[BagFault]:
        """Whether all that lies between the files is as it was written, to the byte."""
        members, at = list[Member](), 0
        for path, info in self._by_path.items():
            members.append(Member(info.filename, info.file_size, crcs[path], info.header_offset))
        with self._path.open("rb") as file:
            for at, piece in skeleton(members):
                file.seek(at)
                there = file.read(len(piece))
                if there != piece:
                    place = next((i for i, pair in enumerate(zip(there, piece, strict=False)) if pair[0] != pair[1]), 0)
                    return [BagFault(".", f"changed at byte {at + place}, outside the files")]
            if file.read(1):
                return [BagFault(".", "something was put behind its end")]
        return []


def _words(error: BaseException) -> str:
    return str(error) or type(error).__name__
