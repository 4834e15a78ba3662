"""The workshop's database: SQLite through SQLAlchemy."""
