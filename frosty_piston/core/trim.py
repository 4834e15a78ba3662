"""Trim codes of injectors: typed twice and compared, look-alikes marked, read back in groups of four. Case is
never changed."""

from dataclasses import dataclass

ALIKE = ("0OQ", "1Il", "5S", "8B", "2Z", "6G")
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
DIGITS = "0123456789"
ALPHABETS = {
    "hex": DIGITS + "ABCDEF",
    "digits": DIGITS,
    "upper": DIGITS + LETTERS,
    "mixed": DIGITS + LETTERS + LETTERS.lower(),
}
GROUP = 4


@dataclass(frozen=True, slots=True)
class Sign:
    """One sign of a code: what it is, and what it is easily taken for; empty when for nothing."""

    sign: str
    alike: str


def cleaned(typed: str) -> str:
    """Return a code as it is kept: without the blanks and dashes of its groups, its case as typed.

    Parameters: `typed`: what was typed or pasted. Source: how codes are printed.

    >>> cleaned(" 7Bg0-44 9A "), cleaned("aB")
    ('7Bg0449A', 'aB')
    """
    return "".join(c for c in typed if c not in " \u00a0\t-\u2013_.")


def groups(code: str) -> tuple[tuple[Sign, ...], ...]:
    """Return a code in groups of four, each sign with what it is taken for.

    Parameters: `code`: a cleaned code. Source: signs that look alike in print.

    >>> [["".join(s.sign for s in g), [s.alike for s in g]] for g in groups("7B0A1")]
    [['7B0A', ['', '8', 'OQ', '']], ['1', ['Il']]]
    """
    signs = [Sign(c, next((row.replace(c, "") for row in ALIKE if c in row), "")) for c in code]
    return tuple(tuple(signs[at : at + GROUP]) for at in range(0, len(signs), GROUP))


def outside(code: str, alphabet: str) -> list[int]:
    """Return at which places, from 1, a code has signs that are not in its alphabet.

    Parameters: `code`: a cleaned code; `alphabet`: one of `ALPHABETS`. Raises KeyError for another. Source:
    the engine card.

    >>> outside("7G0", "hex"), outside("7A0", "hex")
    ([2], [])
    """
    known = ALPHABETS[alphabet]
    return [n for n, c in enumerate(code, 1) if c not in known]


def difference(first: str, second: str) -> str:
    """Return in words where two independent entries of a code differ; empty when they are the same. Every
    single slip and every swap of two unlike neighbours is told, case too.

    Parameters: `first`, `second`: two cleaned codes. Source: compared sign by sign.

    >>> difference("7B0A", "780A"), difference("7B0A", "7B0a"), difference("7B0A", "7B0A")
    ('place 2: B and 8, which look alike', 'place 4: A and a, large and small', '')
    >>> difference("7B0A", "70BA"), difference("7B0A", "7B0")
    ('places 2 and 3 are swapped: B0 and 0B', '4 signs and 3')
    """
    if first == second:
        return ""
    if len(first) != len(second):
        return f"{len(first)} signs and {len(second)}"
    at = [n for n, (a, b) in enumerate(zip(first, second, strict=True)) if a != b]
    n = at[0]
    if len(at) == 2 and at[1] == n + 1 and first[n : n + 2] == second[n : n + 2][::-1]:
        return f"places {n + 1} and {n + 2} are swapped: {first[n : n + 2]} and {second[n : n + 2]}"
    a = first[n]
    b = second[n]
    why = ""
    if a.lower() == b.lower():
        why = ", large and small"
    elif any(a in row and b in row for row in ALIKE):
        why = ", which look alike"
    more = f", and {len(at) - 1} more" if len(at) > 1 else ""
    return f"place {n + 1}: {a} and {b}{why}{more}"
