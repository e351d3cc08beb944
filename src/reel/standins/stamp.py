"""A machine-readable frame number in the picture, so that a recorded frame tells which source frame it shows.

Two rows of 16 blocks stand in the bottom left corner, one block from the edges, each 1/45 of the picture's height:
24 bits of the number, then 8 bits of CRC. The block after the first row is the beacon: bright when a click sounds.
"""

import numpy as np
import numpy.typing as npt

BLOCKS_PER_HEIGHT = 45
COLUMNS, ROWS = 16, 2
DARK, BRIGHT = 44, 200
_CRC8 = 0x07  # the CCITT polynomial x^8 + x^2 + x + 1 (ITU-T I.432.1)

Plane = npt.NDArray[np.uint8]


def draw_stamp(
    luma: npt.NDArray[np.uint8] | npt.NDArray[np.uint16], number: int, *, beacon: bool, bits: int = 8
) -> None:
    """Draw the low 24 bits of `number` into a luma plane (height, width) of `bits` a sample."""
    size = luma.shape[0] / BLOCKS_PER_HEIGHT
    code = (number & 0xFFFFFF) << 8 | _crc8(number & 0xFFFFFF)
    code_bits = np.array([code >> (31 - place) & 1 for place in range(32)], dtype=np.uint8).reshape(ROWS, COLUMNS)
    dark, bright = DARK << (bits - 8), BRIGHT << (bits - 8)
    lines = [luma.shape[0] - round((ROWS + 1 - row) * size) for row in range(ROWS + 1)]
    edges = [round(column * size) for column in range(1, COLUMNS + 2)]
    widths, heights = np.diff(edges), np.diff(lines)
    blocks = np.where(code_bits, bright, dark).astype(luma.dtype).repeat(heights, axis=0).repeat(widths, axis=1)
    luma[lines[0] : lines[-1], edges[0] : edges[-1]] = blocks
    left, right = round((COLUMNS + 2) * size), round((COLUMNS + 2 + ROWS) * size)
    luma[lines[0] : lines[-1], left:right] = bright if beacon else dark


def read_stamp(luma: Plane) -> int | None:
    """Read the number from a luma plane of any size; None when there is no stamp that holds its check."""
    size = luma.shape[0] / BLOCKS_PER_HEIGHT
    code = 0
    for row in range(ROWS):
        for column in range(COLUMNS):
            code = code << 1 | (_block(luma, size, row, column + 1, 1) > (DARK + BRIGHT) / 2)
    number, check = code >> 8, code & 0xFF
    return number if _crc8(number) == check else None


def read_beacon(luma: Plane) -> bool:
    size = luma.shape[0] / BLOCKS_PER_HEIGHT
    return _block(luma, size, 0, COLUMNS + 2, ROWS) > (DARK + BRIGHT) / 2


def _block(luma: Plane, size: float, row: int, column: int, blocks: int) -> float:
    """Return the mean of the middle of a block that is `blocks` wide and high."""
    top = luma.shape[0] - (ROWS + 1 - row) * size
    y, x = top + size * blocks / 4, (column + blocks / 4) * size
    half = size * blocks / 2
    return float(
        luma[round(y) : max(round(y) + 1, round(y + half)), round(x) : max(round(x) + 1, round(x + half))].mean()
    )


def _crc8(number: int) -> int:
    crc = 0
    for byte in number.to_bytes(3, "big"):
        crc ^= byte
        for _ in range(8):
            crc = (crc << 1 ^ _CRC8) & 0xFF if crc & 0x80 else crc << 1
    return crc ^ 0x5A  # so that a black picture is no valid stamp
