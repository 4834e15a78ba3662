"""Runs migrations on the connection it is handed."""

from alembic import context

from frosty_piston.store.tables import Table

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Table.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
