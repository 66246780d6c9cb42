"""Whether the end of a write-ahead log can be read: SQLite stops at the first frame that is damaged, and says nothing of those behind it.

A log is a header of 32 bytes and frames of 24 bytes and a page; each frame carries the salts of the header and a sum over all before it
(SQLite, *Database File Format*, section 4). What an earlier turn of the log left behind has other salts. The number of frames also stands in
the shared index beside it, as long as nobody closed the log in order.
"""

from __future__ import annotations

import struct
import sys
from pathlib import Path

HEADER, FRAME_HEADER = 32, 24
MAGIC = (0x377F0682, 0x377F0683)  # sums of little-endian words; of big-endian ones
INDEX_VERSION = 3007000


def unread_frames(database: Path) -> int:
    """How many frames of the write-ahead log of ``database`` were written and cannot be read any more; 0 where all can, or there is no log.

    A transaction that was cut off before it was acknowledged leaves frames whose sums are right and none that ends it: they are not counted.
    """
    index = _read(database, "-shm")[:48]  # before the log: whoever is writing may add to it meanwhile
    data = _read(database, "-wal")
    if len(data) < HEADER:
        return _indexed(index, None)
    magic, _, page, _, salt1, salt2, sum1, sum2 = struct.unpack(">8I", data[:HEADER])
    order = "<" if magic == MAGIC[0] else ">"
    each = FRAME_HEADER + page
    if magic not in MAGIC or not 512 <= page <= 65536 or _summed(data[:24], order, (0, 0)) != (sum1, sum2):
        return max(1, (len(data) - HEADER) // 4096) if len(data) > HEADER + 4096 else 0
    frames = [data[at : at + each] for at in range(HEADER, len(data) - each + 1, each)]
    total, whole = (sum1, sum2), 0
    for frame in frames:
        total = _summed(frame[:8], order, total)
        total = _summed(frame[FRAME_HEADER:], order, total)
        if struct.unpack(">4I", frame[8:FRAME_HEADER]) != (salt1, salt2, *total):
            break
        whole += 1
    # One salt that is right is no accident: the other was damaged.
    mine = [k for k, frame in enumerate(frames) if k >= whole and (frame[8:12] == data[16:20] or frame[12:16] == data[20:24])]
    lost = max(mine) + 1 - whole if mine else 0
    return max(lost, _indexed(index, (salt1, salt2)) - whole)


def _read(database: Path, suffix: str) -> bytes:
    try:
        return database.with_name(database.name + suffix).read_bytes()
    except OSError:
        return b""


def _indexed(head: bytes, salts: tuple[int, int] | None) -> int:
    """Frames that the shared index knows of the log with these ``salts``, or of any; 0 where it says nothing."""
    if len(head) < 48:
        return 0
    version, _, _, _, _, _, frames = struct.unpack("=IIIBBHI", head[:20])
    known = struct.unpack("=II", head[32:40])
    order = "<" if sys.byteorder == "little" else ">"
    if version != INDEX_VERSION or _summed(head[:40], order, (0, 0)) != struct.unpack("=II", head[40:48]):
        return 0
    swapped = struct.unpack(">II", head[32:40])  # they are kept as they stand in the log
    return int(frames) if salts is None or salts in (known, swapped) else 0


def _summed(data: bytes, order: str, before: tuple[int, int]) -> tuple[int, int]:
    """The running sum of SQLite's logs over pairs of words."""
    first, second = before
    words = struct.unpack(f"{order}{len(data) // 4}I", data)
    for k in range(0, len(words), 2):
        first = (first + words[k] + second) & 0xFFFFFFFF
        second = (second + words[k + 1] + first) & 0xFFFFFFFF
    return first, second
