"""Words put together: the one place where a title goes inside a sentence."""


def inside(title: str) -> str:
    """Write a title inside a sentence: its first letter small, unless it is a short form.

    >>> inside("Boost hose leaks"), inside("EGR valve stuck"), inside("DEF diluted"), inside("NOx sensor")
    ('boost hose leaks', 'EGR valve stuck', 'DEF diluted', 'NOx sensor')
    """
    return title if title[1:2].isupper() else title[:1].lower() + title[1:]


def spoken(name: str) -> str:
    """Write an id as words.

    >>> spoken("dead_spot")
    'dead spot'
    """
    return name.replace("_", " ")


def listed(names: list[str], last: str = "and") -> str:
    """Write a list in a sentence.

    >>> listed(["a"]), listed(["a", "b", "c"])
    ('a', 'a, b and c')
    """
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} {last} {names[-1]}" if names else ""
