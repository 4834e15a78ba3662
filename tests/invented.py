"""Makes up what is sent: values of a JSON schema, and forms as a page has them. Some of it is hostile."""

from typing import Any

import lxml.html
from hypothesis import strategies as st

from frosty_piston.knowledge import Knowledge

NAUGHTY = (
    "",
    " ",
    "\x00",
    "\x7f",
    "\ufffe",
    "'; DROP TABLE entries; --",
    "<script>alert(1)</script>",
    "{{ 7*7 }}",
    "%00",
    "../../etc/passwd",
    "NaN",
    "-Infinity",
    "1e400",
    "1e-400",
    "٣",
    "²",
    "½",
    "1_000",
    "0x10",
    "1.5.5",
    "\u202eevil",
    "𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏𝕏",
    "null",
    "[]",
    "-0",
    "2026-13-45T25:61",
    "9999-12-31T23:59",
    "0001-01-01T00:00",
    "9" * 400,
    "\U0001d54f" * 50,
    "a" * 20_000,
)
NUMBERS = ("0", "1", "2.5", "12,4", "0.83", "85", "4", "120", "0.2", "-5", "1200")
WORDS = ("cold start", "brown plug seat", "four", "Torvald", "glow relay", "P0380", "seen at the part")
MOST_DEPTH = 4


def hostile() -> st.SearchStrategy[str]:
    return st.sampled_from(NAUGHTY) | st.text(max_size=60)


def typed(field: Any) -> st.SearchStrategy[str]:
    """What may be typed into one field: what it offers, a figure or words, now and then something hostile."""
    kind, tag = field.get("type", "text"), field.tag
    if tag == "select":
        options = [o.get("value", o.text or "") for o in field.iter("option")]
        usable: st.SearchStrategy[str] = st.sampled_from(options or [""])
    elif kind == "hidden":
        usable = st.just(field.get("value", ""))
    elif kind in ("checkbox", "radio"):
        usable = st.sampled_from([field.get("value", "on")])
    elif kind == "datetime-local":
        usable = st.sampled_from(("2026-11-27T08:00", "2026-12-01T16:30", ""))
    elif field.get("inputmode") in ("decimal", "numeric", "text"):
        usable = st.sampled_from((*NUMBERS, field.get("value", "")))
    else:
        usable = st.sampled_from((*WORDS, *NUMBERS[:4], field.get("value", "")))
    return st.integers(0, 39).flatmap(lambda n: hostile() if n == 0 else usable)


def forms_of(page: str) -> list[tuple[str, list[Any], list[Any]]]:
    """The forms of a page that are posted: where to, their fields, their buttons."""
    found = []
    for form in lxml.html.fromstring(page).iter("form"):
        if form.get("method") == "post" and form.get("enctype") != "multipart/form-data":
            fields = [x for x in form.iter("input", "select", "textarea") if x.get("name")]
            found.append((form.get("action"), fields, [b for b in form.iter("button") if b.get("name")]))
    return found


@st.composite
def filled(draw: Any, form: tuple[str, list[Any], list[Any]]) -> dict[str, list[str]]:
    """A form filled in, a button pressed."""
    _, fields, buttons = form
    sent: dict[str, list[str]] = {}
    for field in fields:
        if field.get("type") in ("checkbox", "radio") and not draw(st.booleans()):
            continue
        sent.setdefault(field.get("name"), []).append(draw(typed(field)))
    if buttons:
        button = draw(st.sampled_from(buttons))
        sent[button.get("name")] = [button.get("value", "")]
    return sent


class Schema:
    """Makes values of a JSON schema; names of the trade come from the knowledge. `extreme`: at its limits."""

    def __init__(self, schema: dict[str, Any], k: Knowledge, extreme: bool = False):
        self.schema, self.extreme = schema, extreme
        self.k = k
        self.names = {
            "test": list(k.tests),
            "symptom": list(k.symptoms),
            "context": list(k.contexts),
            "part": list(k.parts),
            "caution": list(k.cautions),
            "repair": list(k.repairs),
            "plan": list(k.repairs),
            "fault": list(k.faults),
            "cures": list(k.faults),
            "about": list(k.faults),
            "option": list(k.options),
            "code": ["P0380", "P2002", "U0100", "P1234"],
            "corrects": ["e1"],
            "ends": ["e1"],
        }

    def value(self, s: dict[str, Any], name: str = "", depth: int = 0) -> st.SearchStrategy[Any]:
        if "$ref" in s:
            return self.value(self.schema["$defs"][s["$ref"].rsplit("/", 1)[1]], name, depth)
        if "const" in s:
            return st.just(s["const"])
        if "enum" in s:
            return st.sampled_from(s["enum"])
        for key in ("anyOf", "oneOf"):
            if key in s:
                given = [x for x in s[key] if not (self.extreme and x.get("type") == "null")] or s[key]
                return st.one_of([self.value(x, name, depth) for x in given])
        made = getattr(self, f"_{s.get('type', 'anything')}", self._anything)
        return made(s, name, depth)

    def _object(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        if "properties" not in s:
            inner = s.get("additionalProperties")
            inner = self.value(inner, "", depth + 1) if isinstance(inner, dict) else st.just(1)
            return st.dictionaries(
                self.value(s.get("propertyNames", {"type": "string", "minLength": 1, "maxLength": 20})),
                inner,
                max_size=3,
            )
        needed = set(s.get("required", ()))
        fields = {
            key: self.value(x, key, depth + 1)
            for key, x in s["properties"].items()
            if key in needed or depth < MOST_DEPTH
        }
        return st.fixed_dictionaries(
            {key: x for key, x in fields.items() if self.extreme and depth < 2 or key in needed},
            optional={
                key: x for key, x in fields.items() if not (self.extreme and depth < 2 or key in needed)
            },
        )

    def _array(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        if "prefixItems" in s:
            return st.tuples(*(self.value(x, name, depth + 1) for x in s["prefixItems"])).map(list)
        most = min(s.get("maxItems", 3), 40 if self.extreme else 3)
        return st.lists(
            self.value(s.get("items", {}), name, depth + 1), min_size=s.get("minItems", 0), max_size=most
        )

    def _number(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        low, high = s.get("minimum", s.get("exclusiveMinimum", -1e6)), s.get("maximum", 1e6)
        if self.extreme:
            just_over = low + max(abs(low), 1) * 1e-9 if "exclusiveMinimum" in s else low
            return st.sampled_from([just_over, high, max(low, min(high, 1e-12))])
        return st.floats(low, high, exclude_min="exclusiveMinimum" in s, allow_nan=False) | st.sampled_from(
            [x for x in (0.0, 0.8, 12.4, 85.0) if low < x <= high] or [high]
        )

    def _integer(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        low, high = s.get("minimum", s.get("exclusiveMinimum", -1000)), s.get("maximum", 10**6)
        low += "exclusiveMinimum" in s
        return st.sampled_from([low, high]) if self.extreme else st.integers(low, high)

    def _boolean(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        return st.booleans()

    def _null(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        return st.none()

    def _string(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        if s.get("format") == "date-time":
            edges = ("1970-01-01T00:00:00Z", "2200-12-31T23:59:59Z", "2026-11-20T08:00:00+01:00")
            return st.sampled_from(edges if self.extreme else edges[2:])
        if name in self.names:
            return st.sampled_from(self.names[name])
        if "pattern" in s:
            return st.from_regex(s["pattern"], fullmatch=True).map(lambda x: x[: s.get("maxLength", 60)])
        most = s.get("maxLength", 200)
        if self.extreme:
            return st.sampled_from(
                [
                    "W" * most,
                    "🔥" * (most // 2) or "x",
                    "e\u0301" * (most // 2) or "x",
                    "<b>" * (most // 3) or "x",
                ]
            )
        return st.text(
            st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Cn")),
            min_size=max(1, s.get("minLength", 0)),
            max_size=min(most, 40),
        )

    def _anything(self, s: dict[str, Any], name: str, depth: int) -> st.SearchStrategy[Any]:
        return st.none() | st.booleans() | st.integers(-5, 5) | st.just("text")

    def suited(self, kind: str, data: dict[str, Any]) -> dict[str, Any]:
        """Data with what only the trade knows made to fit: the unit of the test, one of its outcomes."""
        if kind in ("reading", "outcome"):
            shape = self.k.tests[data["test"]]
            data = {key: value for key, value in data.items() if key not in ("where", "blocked", "figures")}
            if kind == "reading" and shape.units:
                data["unit"] = shape.units[0]
            if kind == "outcome" and shape.outcomes:
                data["outcome"] = next(iter(shape.outcomes))
        if kind == "symptom":
            data = {"symptom": data["symptom"]}
        if kind == "instrument":
            data = {**data, "unit": "ohm"} if "unit" in data else data
        return data
