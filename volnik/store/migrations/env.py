"""Alembic environment: runs on the connection the database hands over."""

from alembic import context

from volnik.store.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
