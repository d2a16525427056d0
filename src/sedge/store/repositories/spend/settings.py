"""What an organisation has settled about its spend, by name."""

import json
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from sedge.store.schema.spend import spend_setting as table


def read(connection: Connection, name: str) -> Any:
    """None where nothing is settled."""
    body = connection.execute(select(table.c.body).where(table.c.name == name)).scalar()
    return json.loads(body) if body is not None else None


def read_all(connection: Connection, prefix: str) -> dict[str, Any]:
    """What begins with a prefix, by the rest of its name."""
    query = select(table.c.name, table.c.body).where(table.c.name.startswith(prefix))
    return {name[len(prefix) :]: json.loads(body) for name, body in connection.execute(query)}


def keep(connection: Connection, name: str, value: Any) -> None:
    """None takes it away."""
    if value is None:
        connection.execute(delete(table).where(table.c.name == name))
        return
    body = json.dumps(value)
    done = connection.execute(update(table).where(table.c.name == name).values(body=body))
    if not done.rowcount:
        connection.execute(insert(table).values(name=name, body=body))
