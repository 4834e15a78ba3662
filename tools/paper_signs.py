"""Writes down which signs the fonts of the papers have: python tools/paper_signs.py, after a font changed."""

from pathlib import Path

from fontTools.ttLib import TTFont

PAPER = Path(__file__).resolve().parent.parent / "frosty_piston" / "formats" / "paper"


def signs() -> list[int]:
    """Every sign that at least one of the fonts has."""
    fonts = sorted((PAPER / "fonts").glob("*.ttf"))
    return sorted({sign for font in fonts for sign in TTFont(font, lazy=True).getBestCmap()})


def ranges(numbers: list[int]) -> list[tuple[int, int]]:
    """The numbers as first and last of each run."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    return runs


def main() -> None:
    rows = [f"{first:04x} {last:04x}" for first, last in ranges(signs())]
    (PAPER / "signs.txt").write_text("\n".join(rows) + "\n")


if __name__ == "__main__":
    main()
