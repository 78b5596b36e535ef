"""The messages between the window and its worker: a JSON header, then arrays of numbers as they lie
in memory.

A message is eight bytes (the length of the header and of the rest, little-endian), the header as
UTF-8 JSON, then the arrays named in its ``arrays`` list one after another.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: What is not numbers, as JSON knows it.
Header = dict[str, Any]
#: Arrays of numbers by their names.
Arrays = dict[str, NDArray[Any]]

_LENGTHS = struct.Struct("<II")


def pack(header: Mapping[str, Any], arrays: Mapping[str, NDArray[Any]] | None = None) -> bytes:
    """One message as bytes."""
    arrays = arrays or {}
    listed = [
        {"name": name, "dtype": array.dtype.str, "shape": list(array.shape)}
        for name, array in arrays.items()
    ]
    text = json.dumps({**header, "arrays": listed}, ensure_ascii=False).encode("utf8")
    rest = b"".join(np.ascontiguousarray(array).tobytes() for array in arrays.values())
    return _LENGTHS.pack(len(text), len(rest)) + text + rest


class Unpacker:
    """Puts messages together from pieces of bytes as they arrive."""

    def __init__(self) -> None:
        self._pending = bytearray()

    def feed(self, data: bytes) -> list[tuple[Header, Arrays]]:
        """Add bytes; return the messages that are complete."""
        self._pending += data
        messages = []
        while len(self._pending) >= _LENGTHS.size:
            header_size, rest_size = _LENGTHS.unpack_from(self._pending)
            whole = _LENGTHS.size + header_size + rest_size
            if len(self._pending) < whole:
                break
            header_end = _LENGTHS.size + header_size
            header = json.loads(self._pending[_LENGTHS.size : header_end].decode("utf8"))
            arrays = _arrays(header.pop("arrays"), bytes(self._pending[header_end:whole]))
            messages.append((header, arrays))
            del self._pending[:whole]
        return messages


def _arrays(listed: list[Header], data: bytes) -> Arrays:
    arrays, at = {}, 0
    for entry in listed:
        dtype = np.dtype(entry["dtype"])
        count = int(np.prod(entry["shape"], dtype=np.int64))
        arrays[entry["name"]] = np.frombuffer(data, dtype, count, at).reshape(entry["shape"])
        at += count * dtype.itemsize
    return arrays
