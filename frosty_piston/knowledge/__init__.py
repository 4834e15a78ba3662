"""What the trade knows, in TOML files a workshop lead can read and extend, and the loader that checks
them."""

from .load import Knowledge, load_knowledge

__all__ = ["Knowledge", "load_knowledge"]
