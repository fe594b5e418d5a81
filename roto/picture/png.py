"""PNG for mattes: a deflate stream of runs, written as fast as rows can be looked at.

A matte is black, white, and some edge between: runs of one byte. So the stream (RFC 1951) has just literals and repeats of the byte
before, in one block whose code is made once for all mattes from how often what occurs in them. Every PNG reader reads it; a general
encoder looks for repeats everywhere and takes ten times as long. Pictures with much soft area are better served by that: `encode` then
gives nothing.
"""

import heapq
import struct
import zlib
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.jit import kernel, leaf

MOST = 0.12
"""of the plain size: above that a general encoder is asked instead"""
END, LONGEST, LONGEST_CODE = 256, 258, 285
BASES = (3, 4, 5, 6, 7, 8, 9, 10, 11, 13, 15, 17, 19, 23, 27, 31, 35, 43, 51, 59, 67, 83, 99, 115, 131, 163, 195, 227, 258)
"""bytes: the least that each length code from 257 on stands for (RFC 1951, 3.2.5)"""
FAR_BACK, FAR_SYMBOL = 32, 9
"""bytes: from how far back long runs are repeated. Readers copy in pieces of sixteen, and byte by byte what overlaps within these; at a
multiple of sixteen the processor has each piece at hand still whole."""
NEAR_CODE, FAR_CODE, FAR_BITS = 0, 15, 4
"""codes of both distances, 1 and FAR_BACK: a bit, and of the latter the three that its symbol has for 25 to 32"""
ORDER = (16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15)
"""in which the header says the lengths of the code for code lengths"""


def _weights() -> list[float]:
    """How often symbols occur in mattes, roughly: long runs most, then black and white, then any byte of an edge."""
    out = [1.0] * 286
    out[0] = out[255] = 12.0
    out[END] = 0.02
    out[257:LONGEST_CODE] = [1.5] * 28
    out[LONGEST_CODE] = 250.0
    return out


def _lengths(weights: list[float]) -> list[int]:
    """Lengths of a Huffman code in bits."""
    heap: list[tuple[float, int, list[int]]] = [(w, k, [k]) for k, w in enumerate(weights)]
    heapq.heapify(heap)
    lengths = [0] * len(weights)
    while len(heap) > 1:
        (a, k, one), (b, _, other) = heapq.heappop(heap), heapq.heappop(heap)
        for symbol in one + other:
            lengths[symbol] += 1
        heapq.heappush(heap, (a + b, k, one + other))
    return lengths


def _codes(lengths: list[int]) -> list[int]:
    """The canonical code of these lengths (RFC 1951, 3.2.2), its bits turned round as the stream wants them."""
    code, codes = 0, [0] * len(lengths)
    for bits in range(1, max(lengths) + 1):
        for symbol, long in enumerate(lengths):
            if long == bits:
                codes[symbol] = int(f"{code:0{bits}b}"[::-1], 2)
                code += 1
        code <<= 1
    return codes


@lru_cache
def _table() -> tuple[NDArray[np.uint64], NDArray[np.int64], NDArray[np.uint64], int]:
    """The code (286,), its lengths, and the block's header: a number of bits as 64-bit words, and how many."""
    lengths = _lengths(_weights())
    assert max(lengths) <= 15
    said = [*lengths, 1, *[0] * (FAR_SYMBOL - 1), 1]  # two codes for distances, of one bit each
    least = 5  # bits of each length's own code: sixteen lengths, as plain numbers of so many bits
    bits, count = 0, 0

    def put(value: int, many: int) -> None:
        nonlocal bits, count
        bits |= value << count
        count += many

    put(1, 1)  # the last block
    put(2, 2)  # with a code of its own
    put(286 - 257, 5)
    put(FAR_SYMBOL, 5)
    put(19 - 4, 4)
    plain = [least - 1 if k < 16 else 0 for k in range(19)]  # 16 codes of 4 bits: complete
    for k in ORDER:
        put(plain[k], 3)
    own = _codes(plain)
    for long in said:
        put(own[long], 4)
    words = [(bits >> (64 * k)) & (2**64 - 1) for k in range(count // 64 + 1)]
    return np.array(_codes(lengths), np.uint64), np.array(lengths, np.int64), np.array(words, np.uint64), count


_ACC, _HELD, _AT, _BYTE, _RUN, _A, _B = range(7)
"""what the packing has at hand: bits not written yet and how many, where it writes, the byte in hand, how often, both sums of Adler-32"""


@leaf
def _put(state, out, value, bits):
    acc = np.uint64(state[_ACC]) | (np.uint64(value) << np.uint64(state[_HELD]))
    held = state[_HELD] + bits
    at = state[_AT]
    while held >= 8:
        out[at] = acc & np.uint64(255)
        acc >>= np.uint64(8)
        held -= 8
        at += 1
    state[_ACC], state[_HELD], state[_AT] = np.int64(acc), held, at


@leaf
def _put_repeat(state, out, codes, lengths, bases, count, code, bits):
    """A repeat of 3 to LONGEST bytes from a place so far back as this code says; returns how many."""
    k = 0
    while k < 28 and bases[k + 1] <= count:
        k += 1
    extra = 0 if k < 8 or k == 28 else (k - 4) // 4
    _put(state, out, codes[257 + k], lengths[257 + k])
    _put(state, out, (count - bases[k]) | (code << extra), extra + bits)
    return count


@leaf
def _put_run(state, out, codes, lengths, bases):
    """Write the byte in hand as often as it is to be."""
    byte, count = state[_BYTE], state[_RUN]
    if count == 0:
        return
    n = count
    state[_B] = (state[_B] + n * state[_A] + byte * (n * (n + 1) // 2)) % 65521
    state[_A] = (state[_A] + n * byte) % 65521
    _put(state, out, codes[byte], lengths[byte])
    count -= 1
    if count > LONGEST:
        count -= _put_repeat(state, out, codes, lengths, bases, FAR_BACK - 1, NEAR_CODE, 1)
        while count >= LONGEST:
            _put(state, out, codes[LONGEST_CODE], lengths[LONGEST_CODE])
            _put(state, out, FAR_CODE, FAR_BITS)
            count -= LONGEST
        if count >= 3:
            count -= _put_repeat(state, out, codes, lengths, bases, count, FAR_CODE, FAR_BITS)
    elif count >= 3:
        count -= _put_repeat(state, out, codes, lengths, bases, count, NEAR_CODE, 1)
    for _ in range(count):
        _put(state, out, codes[byte], lengths[byte])


@leaf
def _feed(state, out, codes, lengths, bases, byte, count):
    if byte == state[_BYTE]:
        state[_RUN] += count
        return
    _put_run(state, out, codes, lengths, bases)
    state[_BYTE], state[_RUN] = byte, count


@leaf
def _run_end(row, words, x, value, each, repeat):
    """Where a run of one value ends; words: the same row eight bytes at a time, or nothing where it does not divide."""
    width = len(row)
    while x < width and row[x] == value:
        x += 1
        if each and x % each == 0:
            whole = np.uint64(value) * repeat
            word = x // each
            while word < len(words) and words[word] == whole:
                word += 1
            x = word * each
    return x


@kernel
def _pack(pixels, words, wide, codes, lengths, bases, header, bits, out):
    """The stream of a picture of bytes or big-endian pairs of them; returns how many bytes it takes, or -1 where `out` is too short."""
    state = np.zeros(7, np.int64)
    state[_A] = 1
    left = bits
    for k in range(len(header)):
        part = header[k]
        for _ in range(8):
            step = min(8, left)
            if step > 0:
                _put(state, out, part & np.uint64(255 >> (8 - step)), step)
            part >>= np.uint64(8)
            left -= step
    height, width = pixels.shape
    each = width // words.shape[1] if words.shape[1] else 0
    repeat = np.uint64(0x0101010101010101 if wide == 1 else 0x0001000100010001)
    for y in range(height):
        if state[_AT] + 4 * width * wide + 16 > len(out):
            return -1, 0
        _feed(state, out, codes, lengths, bases, 0, 1)  # rows stand as they are: no filter
        x = 0
        row = pixels[y]
        while x < width:
            v = row[x]
            begin = x
            x = _run_end(row, words[y], x + 1, v, each, repeat)
            if wide == 1:
                _feed(state, out, codes, lengths, bases, np.int64(v), x - begin)
                continue
            high, low = np.int64(v) >> 8, np.int64(v) & 255
            if high == low:
                _feed(state, out, codes, lengths, bases, high, 2 * (x - begin))
                continue
            for _ in range(x - begin):
                _feed(state, out, codes, lengths, bases, high, 1)
                _feed(state, out, codes, lengths, bases, low, 1)
    _put_run(state, out, codes, lengths, bases)
    _put(state, out, codes[256], lengths[256])
    _put(state, out, 0, 7)
    return state[_AT], (state[_B] << 16) | state[_A]


def _chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(name)))


def encode(pixels: NDArray[Any]) -> bytes | None:
    """A matte (h, w) of uint8 or uint16 as a grey PNG; None when it has so much soft area that a general encoder does better."""
    height, width = pixels.shape
    wide = pixels.dtype.itemsize
    room = np.empty(int(height * width * wide * MOST) + 8 * width * wide + 1024, np.uint8)
    codes, lengths, header, bits = _table()
    plain = np.ascontiguousarray(pixels)
    words = plain.view(np.uint64) if width * wide % 8 == 0 else np.empty((height, 0), np.uint64)
    count, adler = _pack(plain, words, wide, codes, lengths, np.array(BASES, np.int64), header, bits, room)
    if count < 0:
        return None
    stream = b"\x78\x01" + room[:count].tobytes() + struct.pack(">I", adler)
    head = struct.pack(">IIBBBBB", width, height, 8 * wide, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + _chunk(b"IHDR", head) + _chunk(b"IDAT", stream) + _chunk(b"IEND", b"")
