"""Pictures from outside: turned upright, made small, freed of everything that is not the picture itself."""

import io
from dataclasses import dataclass

from PIL import Image, ImageDraw, ImageOps

from frosty_piston.core.errors import BadInput

MOST_BYTES = 25_000_000
MOST_PIXELS = 80_000_000
LONGEST = 2000
THUMB = 240
LEAST = 8
KINDS = ("JPEG", "PNG", "WEBP", "BMP", "TIFF", "GIF")
QUALITY = 86
THUMB_QUALITY = 78
ALLOWED = "kept are JPEG, PNG, WebP, TIFF, BMP and GIF"
MARK_RED = (210, 88, 31)
MARK_EDGE = (255, 255, 255)


@dataclass(frozen=True)
class Cleaned:
    """A picture as it is kept: JPEG, at most 2,000 px, and its thumbnail. `as_kept`: what came in was such a
    picture already, with nothing beside it."""

    width: int
    height: int
    data: bytes
    thumb: bytes
    as_kept: bool = False


@dataclass(frozen=True)
class Mark:
    """An arrow to a place, or a circle around one. All figures are shares of the picture's width and
    height."""

    kind: str
    x: float
    y: float
    to_x: float
    to_y: float


def clean(data: bytes) -> Cleaned:
    """Read a picture by what it is, whatever its name says, and write it anew: upright, at most 2,000 px,
    with no position, device or other data. Raises BadInput with one sentence that names what is allowed."""
    Image.MAX_IMAGE_PIXELS = None  # looked at below, by its own limit
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise BadInput(
                    f"This picture has more than {MOST_PIXELS // 1_000_000} million points: make it smaller."
                )
            opened.draft("RGB", (LONGEST, LONGEST))
            upright = ImageOps.exif_transpose(opened) or opened
            flat = _on_white(upright)
    except BadInput:
        raise
    except MemoryError:
        raise BadInput("This picture takes more memory than there is for one: make it smaller.") from None
    except Exception:  # whatever a file does, it is the file's fault and one sentence
        raise BadInput(f"This is no picture that can be read; {ALLOWED}.") from None
    if min(flat.size) < LEAST:
        raise BadInput(f"This picture is smaller than {LEAST} points: nothing is seen on it.")
    flat.thumbnail((LONGEST, LONGEST), Image.Resampling.LANCZOS)
    return _kept(flat)


def _on_white(image: Image.Image) -> Image.Image:
    """Three colours, with what is see-through on white."""
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        layer = image.convert("RGBA")
        ground = Image.new("RGB", layer.size, "white")
        ground.paste(layer, mask=layer.getchannel("A"))
        return ground
    bare = image.convert("RGB")
    return Image.frombytes("RGB", bare.size, bare.tobytes())


def _kept(image: Image.Image) -> Cleaned:
    small = image.copy()
    small.thumbnail((THUMB, THUMB), Image.Resampling.LANCZOS)
    return Cleaned(*image.size, _jpeg(image, QUALITY), _jpeg(small, THUMB_QUALITY))


def _jpeg(image: Image.Image, quality: int) -> bytes:
    out = io.BytesIO()
    image.save(out, "JPEG", quality=quality, optimize=True, progressive=False, subsampling=1)
    return out.getvalue()


def is_clean(data: bytes) -> bool:
    """Whether a picture is as this program keeps one: JPEG, small enough, with nothing beside the picture."""
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG",)) as image:
            image.load()
            bare = not image.getexif() and set(image.info) <= {
                "jfif",
                "jfif_version",
                "jfif_unit",
                "jfif_density",
            }
            return bare and image.mode == "RGB" and max(image.size) <= LONGEST
    except Exception:  # what cannot be read is not clean
        return False


def marked(data: bytes, marks: list[Mark]) -> Cleaned:
    """A copy of a kept picture with arrows and circles drawn on it."""
    with Image.open(io.BytesIO(data), formats=("JPEG",)) as opened:
        image = opened.convert("RGB")
    draw = ImageDraw.Draw(image)
    width = max(4, max(image.size) // 160)
    for mark in marks:
        ends = [
            (mark.x * image.width, mark.y * image.height),
            (mark.to_x * image.width, mark.to_y * image.height),
        ]
        for colour, wide in ((MARK_EDGE, width + max(3, width // 2)), (MARK_RED, width)):
            (_circle if mark.kind == "circle" else _arrow)(draw, ends, colour, wide, width)
    return _kept(image)


def _circle(
    draw: ImageDraw.ImageDraw,
    ends: list[tuple[float, float]],
    colour: tuple[int, int, int],
    wide: int,
    width: int,
) -> None:
    """Around the first point, through the second."""
    (x, y), (to_x, to_y) = ends
    r = max(((to_x - x) ** 2 + (to_y - y) ** 2) ** 0.5, 3.0 * width) + (wide - width) / 2
    draw.ellipse((x - r, y - r, x + r, y + r), outline=colour, width=wide)


def _arrow(
    draw: ImageDraw.ImageDraw,
    ends: list[tuple[float, float]],
    colour: tuple[int, int, int],
    wide: int,
    width: int,
) -> None:
    """From the first point to the second."""
    (x, y), (to_x, to_y) = ends
    length = max(((to_x - x) ** 2 + (to_y - y) ** 2) ** 0.5, 1.0)
    along = ((to_x - x) / length, (to_y - y) / length)
    head = 5.0 * width + (wide - width)
    neck = (to_x - along[0] * head, to_y - along[1] * head)
    across = (-along[1] * head * 0.55, along[0] * head * 0.55)
    draw.line([(x, y), neck], fill=colour, width=wide)
    tip = (to_x + along[0] * (wide - width), to_y + along[1] * (wide - width))
    draw.polygon(
        [tip, (neck[0] + across[0], neck[1] + across[1]), (neck[0] - across[0], neck[1] - across[1])],
        fill=colour,
    )


def smaller(data: bytes, longest: int) -> bytes:
    """A kept picture for paper, at most so many points long."""
    with Image.open(io.BytesIO(data), formats=("JPEG",)) as opened:
        image = opened.convert("RGB")
    image.thumbnail((longest, longest), Image.Resampling.LANCZOS)
    return _jpeg(image, THUMB_QUALITY)
