"""A file kept within another: compressed, as text, within bounds."""

from __future__ import annotations

import base64
import binascii
import zlib

from .files import LARGEST

#: The largest file that is taken, bytes, and how long it may be as it is kept.
_LARGEST = LARGEST["solid"]
LONGEST = 12_000_000


def packed(data: bytes) -> str:
    """A file as it is kept in a design."""
    return base64.b64encode(zlib.compress(data, 9)).decode("ascii")


def unpacked(text: str) -> bytes:
    """The file again; never more than ``LARGEST["solid"]`` bytes, whatever the text claims.

    Raises:
        ValueError: where the text is no packed file, or too large a one.
    """
    try:
        press = zlib.decompressobj()
        data = press.decompress(base64.b64decode(text, validate=True), _LARGEST + 1)
    except (binascii.Error, zlib.error):
        raise ValueError("what is kept of the file is damaged") from None
    if len(data) > _LARGEST:
        raise ValueError(f"the file is larger than {_LARGEST // 1_000_000} MB")
    return data


def begins_with(text: str, mark: bytes) -> bool:
    """Whether a packed file begins so; only its beginning is looked at."""
    try:
        head = base64.b64decode(text[:256], validate=True)
        return zlib.decompressobj().decompress(head, len(mark)) == mark
    except (binascii.Error, zlib.error):
        return False
