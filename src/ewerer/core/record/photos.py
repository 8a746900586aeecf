"""Photographs: JPEG, PNG or WebP in, a JPEG of bounded size out, without position or any other data of the camera."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass

from ..documents import DocumentError, Problem

MAX_BYTES = 12_000_000
"""Largest photograph accepted [bytes]."""
MAX_PIXELS = 60_000_000
"""Most pixels of a photograph accepted: a small file may unfold to a huge picture."""
LONG_SIDE = 2000
"""Longer side of what is kept [pixels]."""
FORMATS = ("JPEG", "PNG", "WEBP")


@dataclass(frozen=True, slots=True)
class Photo:
    """What is kept of a photograph: a JPEG, its SHA-256 and its size in pixels."""

    data: bytes
    sha256: str
    width: int
    height: int


def kept(data: bytes) -> Photo:
    """Return what is kept of a photograph: turned upright, made smaller, drawn anew so that nothing but the picture is left.

    Raises :class:`DocumentError` for what is no photograph, or too big.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    if len(data) > MAX_BYTES:
        raise _refused(f"{len(data)} bytes", f"at most {MAX_BYTES} bytes")
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as seen:
            size = seen.size
            upright = seen if seen.width * seen.height > MAX_PIXELS else ImageOps.exif_transpose(seen).convert("RGB")
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError):
        raise _refused("not a photograph that can be read", "a JPEG, PNG or WebP file") from None
    if size[0] * size[1] > MAX_PIXELS:
        raise _refused(f"{size[0]} by {size[1]} pixels", f"at most {MAX_PIXELS} pixels")
    upright.thumbnail((LONG_SIDE, LONG_SIDE))
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    out = io.BytesIO()
    bare.save(out, "JPEG", quality=85, optimize=True)
    made = out.getvalue()
    return Photo(made, hashlib.sha256(made).hexdigest(), *bare.size)


def _refused(message: str, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer="/photo", message=message, expected=expected)])
