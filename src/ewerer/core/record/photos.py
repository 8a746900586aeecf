"""Photographs: JPEG, PNG or WebP in, a JPEG of bounded size out, without position or any other data of the camera."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass

from ..trade.errors import DocumentError, Problem

MAX_BYTES = 12_000_000
"""Largest photograph accepted [bytes]."""
MAX_PIXELS = 24_000_000
"""Most pixels that a photograph may unfold to: a small file may be a huge picture. A JPEG is unfolded at a half, a quarter or an eighth of its size."""
MAX_JPEG_PIXELS = 200_000_000
"""Most pixels of a JPEG."""
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
            size, most = seen.size, MAX_JPEG_PIXELS if seen.format == "JPEG" else MAX_PIXELS
            if size[0] * size[1] <= most:
                seen.draft("RGB", (LONG_SIDE, LONG_SIDE))
                too_big = seen.width * seen.height > MAX_PIXELS
                upright = seen if too_big else ImageOps.exif_transpose(seen).convert("RGB")
            else:
                too_big = True
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError):
        raise _refused("not a photograph that can be read", "a JPEG, PNG or WebP file") from None
    if too_big:
        raise _refused(f"{size[0]} by {size[1]} pixels", f"at most {most // 1_000_000} million pixels")
    upright.thumbnail((LONG_SIDE, LONG_SIDE))
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    out = io.BytesIO()
    bare.save(out, "JPEG", quality=85, optimize=True)
    made = out.getvalue()
    return Photo(made, hashlib.sha256(made).hexdigest(), *bare.size)


def _refused(message: str, expected: str) -> DocumentError:
    return DocumentError([Problem(pointer="/photo", message=message, expected=expected)])
