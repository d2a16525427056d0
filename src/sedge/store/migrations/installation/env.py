"""Alembic's environment for the installation database."""

from alembic import context
from sqlalchemy import create_engine

from sedge.store.database import metadata_of

engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "")
with engine.connect() as connection:
    context.configure(
        connection=connection, target_metadata=metadata_of("installation"), render_as_batch=True
    )
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
