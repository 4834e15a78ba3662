"""The mark of each verdict: the symbol that stands for it everywhere."""

MARKS = {
    "sound": "crystal",
    "marginal": "drop",
    "failed": "flame",
    "unclear": "broken",
    "implausible": "struck",
}
