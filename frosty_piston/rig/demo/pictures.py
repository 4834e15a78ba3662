"""Made-up pictures, drawn by our own code: what a workshop would have photographed, for the demo."""

import io
import math
import random

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

SIZE = (1200, 900)
TAKEN = (800, 600)
STEEL = (150, 156, 160)
DARK = (70, 76, 82)
SOOT = (26, 24, 24)
BRASS = (176, 142, 70)
COPPER = (168, 96, 60)
RUBBER = (38, 40, 44)


def _ground(seed: int, shade: int = 92) -> tuple[Image.Image, random.Random]:
    """A bench top in the light of a lamp."""
    draw_from = random.Random(seed)
    image = Image.new("RGB", SIZE, (shade, shade + 4, shade + 8))
    draw = ImageDraw.Draw(image)
    for _ in range(260):
        x = draw_from.randrange(SIZE[0])
        y = draw_from.randrange(SIZE[1])
        tone = shade + draw_from.randint(-22, 22)
        draw.line(
            (x, y, x + draw_from.randint(20, 200), y + draw_from.randint(-6, 6)),
            fill=(tone, tone + 3, tone + 6),
            width=2,
        )
    return image.filter(ImageFilter.GaussianBlur(2)), draw_from


def _grain(image: Image.Image, seed: int) -> bytes:
    """Grain and a little blur, as a telephone leaves them; out as JPEG."""
    image = image.resize(TAKEN, Image.Resampling.LANCZOS)
    grain = np.random.default_rng(seed).normal(128, 26, (TAKEN[1], TAKEN[0], 1)).clip(0, 255)
    noise = Image.fromarray(np.repeat(grain, 3, axis=2).astype(np.uint8))
    out = io.BytesIO()
    Image.blend(image.filter(ImageFilter.GaussianBlur(1)), noise, 0.10).save(out, "JPEG", quality=88)
    return out.getvalue()


def valve(seed: int, fouled: bool) -> bytes:
    """An exhaust-gas valve, seen into its port: with a crust of soot, or clean."""
    image, draw_from = _ground(seed)
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((230, 120, 970, 800), 60, fill=STEEL, outline=DARK, width=8)
    for bolt_x, bolt_y in ((300, 190), (900, 190), (300, 730), (900, 730)):
        for r, tone in ((34, DARK), (18, (110, 116, 120))):
            draw.ellipse((bolt_x - r, bolt_y - r, bolt_x + r, bolt_y + r), fill=tone)
    draw.ellipse((360, 220, 840, 700), fill=(58, 60, 62))
    draw.ellipse((440, 300, 760, 620), fill=(120, 112, 96) if not fouled else (34, 32, 30))
    draw.line((600, 240, 600, 680), fill=(180, 176, 160) if not fouled else (60, 56, 52), width=34)
    for _ in range(900 if fouled else 60):
        angle = draw_from.uniform(0, math.tau)
        far = draw_from.uniform(150, 244)
        x = 600 + far * math.cos(angle)
        y = 460 + far * math.sin(angle)
        size = draw_from.uniform(3, 26 if fouled else 6)
        shade = draw_from.randint(8, 40)
        draw.ellipse((x - size, y - size, x + size, y + size), fill=(shade, shade, shade - 2))
    return _grain(image, seed)


def connector(seed: int, fretted: int = 2) -> bytes:
    """The face of a connector with four cavities; one of them is fretted and stands open."""
    image, draw_from = _ground(seed, 110)
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((250, 260, 950, 660), 50, fill=RUBBER, outline=(12, 12, 14), width=10)
    draw.rectangle((520, 200, 680, 262), fill=RUBBER)
    for n in range(4):
        x = 340 + n * 150
        draw.rounded_rectangle((x, 390, x + 100, 530), 16, fill=(16, 16, 18))
        bad = n + 1 == fretted
        colour = COPPER if bad else BRASS
        draw.rectangle((x + (20 if bad else 32), 410, x + (80 if bad else 68), 510), fill=colour)
        for _ in range(220 if bad else 20):
            px = draw_from.uniform(x + 20, x + 80)
            py = draw_from.uniform(408, 512)
            draw.ellipse((px - 3, py - 3, px + 3, py + 3), fill=(44, 28, 18) if bad else (120, 96, 46))
    return _grain(image, seed)


def plug_tip(seed: int) -> bytes:
    """A glow plug beside a scale, its tip swollen and cracked."""
    image, draw_from = _ground(seed, 120)
    draw = ImageDraw.Draw(image)
    draw.rectangle((120, 640, 1080, 720), fill=(222, 214, 180))
    for n in range(49):
        draw.line((130 + n * 19.4, 640, 130 + n * 19.4, 676 if n % 5 else 700), fill=(40, 40, 40), width=3)
    draw.rounded_rectangle((150, 380, 420, 520), 18, fill=STEEL)
    for n in range(12):
        draw.line((430 + n * 18, 392, 438 + n * 18, 508), fill=DARK, width=6)
    draw.rectangle((424, 400, 660, 500), outline=DARK, width=4)
    draw.polygon(
        [(660, 425), (980, 430), (1030, 405), (1060, 450), (1030, 500), (980, 472), (660, 475)],
        fill=(96, 88, 82),
    )
    x = 985.0
    y = 452.0
    for _ in range(16):
        nx = x + draw_from.uniform(-4, 9)
        ny = y + draw_from.uniform(-18, 18)
        draw.line((x, y, nx, ny), fill=SOOT, width=6)
        x = nx
        y = min(max(ny, 415.0), 492.0)
    return _grain(image, seed)


def bolts(seed: int) -> bytes:
    """Bolts laid out in the order in which they came off: one is longer."""
    image, _ = _ground(seed, 100)
    draw = ImageDraw.Draw(image)
    for n in range(5):
        x = 190 + n * 190
        long = n == 3
        draw.regular_polygon((x, 250, 52), 6, fill=STEEL, outline=DARK)
        draw.rectangle((x - 22, 290, x + 22, 720 if long else 580), fill=(128, 132, 134))
        for y in range(420, 720 if long else 580, 16):
            draw.line((x - 22, y, x + 22, y + 8), fill=DARK, width=4)
    return _grain(image, seed)
