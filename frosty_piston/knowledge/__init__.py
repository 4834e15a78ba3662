"""What the trade knows, in TOML files a workshop lead can read and extend, and the loader that checks
them."""

from .load import load_knowledge
from .model import Knowledge

__all__ = ["Knowledge", "load_knowledge"]
