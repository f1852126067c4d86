"""Unpacking pieces of files under a bound: never more comes of one than is asked for."""

from __future__ import annotations

import lzma
import zlib
from collections.abc import Callable, Mapping

import lz4.block

#: Bytes of memory that LZMA may take beside what it unpacks: its highest usual setting takes 65 MB.
_LZMA_MEMORY = 128 * 1024**2


def _inflate(packed: bytes, most: int) -> bytes:
    return zlib.decompressobj().decompress(packed, most)


def _expand(packed: bytes, most: int) -> bytes:
    return lzma.LZMADecompressor(memlimit=_LZMA_MEMORY).decompress(packed, most)


def _unroll(packed: bytes, most: int) -> bytes:
    return bytes(lz4.block.decompress(packed, uncompressed_size=most))


#: What unpacks at most so many bytes of a piece, by the name of how it was packed.
_WAYS: Mapping[str, Callable[[bytes, int], bytes]] = {"zlib": _inflate, "lzma": _expand, "lz4": _unroll}
#: What a damaged piece raises.
DAMAGE = (zlib.error, lzma.LZMAError, lz4.block.LZ4BlockError, EOFError)


def unpacked(packed: bytes, way: str, size: int) -> bytes:
    """Unpack a piece that is said to have ``size`` bytes, by zlib, LZMA or LZ4.

    Raises ValueError where it has others, told before more than one byte too many has been made.
    """
    found = _WAYS[way](packed, size + 1)
    if len(found) != size:
        raise ValueError(f"a piece that is said to unpack to {size} bytes does not")
    return found
