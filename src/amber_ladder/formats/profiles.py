"""Colour profiles that we write ourselves: sRGB, and its primaries with linear light (ICC.1:2001-04)."""

import struct
from functools import cache
from io import BytesIO

from PIL import ImageCms

_LONGEST_NAME = 60
_D50 = (0.9642, 1.0, 0.8249)
_PRIMARIES = {"r": (0.43607, 0.22249, 0.01392), "g": (0.38515, 0.71687, 0.09708), "b": (0.14307, 0.06061, 0.7141)}
"""Of sRGB, adapted to D50 (Bradford), as in the profiles of the ICC."""


UNREADABLE = "unreadable"
"""What a damaged profile is called."""


@cache
def srgb_profile() -> bytes:
    """The profile of sRGB."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


@cache
def linear_profile() -> bytes:
    """A profile with the primaries of sRGB in which numbers stand for light itself."""
    told = b"Linear light, primaries of sRGB"
    desc = b"desc" + bytes(4) + struct.pack(">I", len(told) + 1) + told + bytes(1 + 4 + 4 + 2 + 1 + 67)
    parts = {
        "desc": desc,
        "cprt": b"text" + bytes(4) + b"No copyright, use freely\0",
        "wtpt": _xyz(_D50),
        **{f"{name}XYZ": _xyz(value) for name, value in _PRIMARIES.items()},
        **{f"{name}TRC": b"curv" + bytes(4) + struct.pack(">I", 0) for name in "rgb"},  # no points: the identity
    }
    at = 128 + 4 + 12 * len(parts)
    directory, content = struct.pack(">I", len(parts)), b""
    for name, part in parts.items():
        directory += name.encode() + struct.pack(">II", at + len(content), len(part))
        content += part + bytes(-len(part) % 4)
    size = at + len(content)
    header = struct.pack(">I4sI4s4s4s", size, bytes(4), 0x02400000, b"mntr", b"RGB ", b"XYZ ")
    header += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(28)
    header += b"".join(_s15(value) for value in _D50)
    return header + bytes(128 - len(header)) + directory + content


def is_linear(profile: bytes) -> bool:
    """Whether a colour profile is the one that :func:`linear_profile` makes."""
    return profile == linear_profile()


def name_of(profile: bytes) -> str:
    """What a profile calls itself; "unreadable" for one that is damaged."""
    try:
        told = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(BytesIO(profile)))
    except (ImageCms.PyCMSError, OSError, ValueError):
        return UNREADABLE
    return " ".join("".join(one for one in told if one.isprintable()).split())[:_LONGEST_NAME]


def _xyz(value: tuple[float, float, float]) -> bytes:
    return b"XYZ " + bytes(4) + b"".join(_s15(one) for one in value)


def _s15(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))
