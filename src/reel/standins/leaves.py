"""Leaves, drawn with PIL: what Leafkey, Pollen Atlas, Canopy and the potting bench are made of."""

import math
from collections.abc import Iterator

import numpy as np
from PIL import Image, ImageDraw, ImageFont

Point = tuple[float, float]
Ink = tuple[int, int, int]
NAMES = ("Hart's tongue", "Maidenhair", "Lady fern", "Wood sorrel", "Comfrey", "Hop", "Burnet", "Sedge", "Mallow")
GREENS: tuple[Ink, ...] = ((58, 102, 54), (86, 128, 62), (44, 84, 70), (112, 138, 70), (70, 110, 92))


def leaf(x: float, y: float, length: float, turn: float, width: float = 0.34) -> list[Point]:
    """Return the outline of a leaf with its foot at (x, y), `turn` radians from upright."""
    along = np.linspace(0, 1, 16)
    half = width * length / 2 * np.sin(along * math.pi) ** 0.9
    outline = [*zip(half, along * length, strict=True), *zip(-half[::-1], along[::-1] * length, strict=True)]
    cos, sin = math.cos(turn), math.sin(turn)
    return [(x + across * cos + up * sin, y + across * sin - up * cos) for across, up in outline]


def frond(x: float, y: float, length: float, turn: float) -> Iterator[list[Point]]:
    """Return the leaflets of a frond, in pairs along its stem."""
    for step in np.linspace(0.18, 1, 9):
        foot_x, foot_y = x + length * step * math.sin(turn), y - length * step * math.cos(turn)
        size = length * 0.34 * (1.1 - step)
        yield leaf(foot_x, foot_y, size, turn - 1.1)
        yield leaf(foot_x, foot_y, size, turn + 1.1)


def pages(width: int, height: int) -> Image.Image:
    """Draw Leafkey's pages below each other: cards with a leaf, its name and its key, three screens long."""
    image = Image.new("RGB", (width, height * 3), (236, 231, 217))
    draw = ImageDraw.Draw(image)
    columns = max(1, width // 640)
    card, edge = width // columns, max(8, min(width, height) // 40)
    title, text = (ImageFont.load_default(size=min(width, height) / part) for part in (13, 22))
    rows = image.height // (card * 9 // 10)
    for number in range(rows * columns):
        left, top = number % columns * card, number // columns * (card * 9 // 10)
        box = (left + edge, top + edge, left + card - edge, top + card * 9 // 10 - edge)
        draw.rectangle(box, fill=(250, 247, 238), outline=(180, 170, 148))
        ink = GREENS[number % len(GREENS)]
        for outline in frond(left + card * 0.5, top + card * 0.60, card * 0.46, 0.25 * math.sin(number * 1.9)):
            draw.polygon(outline, fill=ink)
        draw.text((left + edge * 3, top + card * 0.64), NAMES[number % len(NAMES)], fill=(36, 40, 32), font=title)
        draw.text((left + edge * 3, top + card * 0.76), f"key {number + 1} · fronds", fill=(104, 100, 84), font=text)
    return image


def grains(width: int, height: int) -> Image.Image:
    """Draw Pollen Atlas: grains with spines over a dark ground, twice as wide and high as the screen."""
    image = Image.new("RGB", (width * 2, height * 2), (38, 33, 44))
    draw = ImageDraw.Draw(image)
    random = np.random.default_rng(71)
    for x, y, size, tone in random.uniform(size=(46, 4)):
        middle_x, middle_y, radius = x * image.width, y * image.height, (0.04 + 0.07 * size) * min(width, height) * 1.3
        ink = (int(170 + 70 * tone), int(118 + 60 * size), int(56 + 50 * tone))
        for spine in np.linspace(0, 2 * math.pi, 22, endpoint=False):
            tip = (middle_x + 1.22 * radius * math.cos(spine), middle_y + 1.22 * radius * math.sin(spine))
            draw.line([(middle_x, middle_y), tip], fill=ink, width=max(2, int(radius / 9)))
        box = (middle_x - radius, middle_y - radius, middle_x + radius, middle_y + radius)
        draw.ellipse(box, fill=ink, outline=(70, 48, 40), width=max(1, int(radius / 16)))
        inner = radius * 0.5
        draw.ellipse(
            (middle_x - inner, middle_y - inner * 1.2, middle_x + inner * 0.6, middle_y + inner * 0.4),
            fill=tuple(min(255, part + 22) for part in ink),
        )
    return image


def forest(width: int, height: int) -> Image.Image:
    """Draw Canopy: trunks and fronds against the light, twice as wide as an eye's picture and half as high again."""
    image = Image.new("RGB", (width * 2, height * 3 // 2))
    draw = ImageDraw.Draw(image)
    for line in range(image.height):
        part = line / image.height
        draw.line(
            [(0, line), (image.width, line)], fill=(int(150 - 96 * part), int(186 - 92 * part), int(150 - 96 * part))
        )
    random = np.random.default_rng(33)
    for depth in range(3):
        shade = 1 - 0.28 * depth
        for x, lean, size, tone in random.uniform(size=(9 + 3 * depth, 4)):
            foot, thick = x * image.width, (0.02 + 0.03 * size) * width * (0.6 + 0.5 * depth)
            bark = tuple(int(part * shade) for part in (118, 100, 78))
            top = foot + (lean - 0.5) * width * 0.2
            trunk = [
                (foot - thick, image.height),
                (top - thick / 2, 0),
                (top + thick / 2, 0),
                (foot + thick, image.height),
            ]
            draw.polygon(trunk, fill=bark)
            for turn in np.linspace(-2.2, 2.2, 5):
                height_at = image.height * (0.12 + 0.5 * tone)
                ink = tuple(int(part * shade) for part in GREENS[int(tone * len(GREENS))])
                for outline in frond(top, height_at, height * (0.14 + 0.10 * size), turn):
                    draw.polygon(outline, fill=ink)
    return image


def bench(width: int, height: int) -> Image.Image:
    """Draw the potting bench from above: boards, pots and seedlings, a little larger than the picture."""
    image = Image.new("RGB", (width * 9 // 8 // 2 * 2, height * 9 // 8 // 2 * 2), (142, 112, 80))
    draw = ImageDraw.Draw(image)
    board = image.height // 7
    for number in range(8):
        tone = (number * 37) % 22 - 11
        draw.rectangle(
            (0, number * board, image.width, (number + 1) * board - 3), fill=(142 + tone, 112 + tone, 80 + tone)
        )
    random = np.random.default_rng(8)
    radius = image.height // 9
    for number in range(8):
        x = (number % 4 + 0.5 + 0.1 * random.uniform()) * image.width / 4
        y = (number // 4 + 0.55) * image.height / 2
        draw.ellipse(
            (x - radius, y - radius, x + radius, y + radius), fill=(168, 88, 56), outline=(96, 50, 34), width=4
        )
        inner = radius * 0.82
        draw.ellipse((x - inner, y - inner, x + inner, y + inner), fill=(58, 44, 36))
        for turn in np.linspace(0, 2 * math.pi, 6, endpoint=False):
            draw.polygon(leaf(x, y, radius * 1.05, turn + random.uniform()), fill=GREENS[number % len(GREENS)])
    return image
