"""How strict an organisation wants a rule: warnings that it takes for stops."""

from datetime import datetime

from sqlalchemy import Connection, delete, insert, select

from sedge.store.schema.holders import rule_level


def raised(connection: Connection) -> frozenset[str]:
    """Names of rules whose warnings are stops here."""
    return frozenset(
        connection.execute(select(rule_level.c.rule).where(rule_level.c.level == "stop")).scalars()
    )


def put_level(connection: Connection, rule: str, *, stop: bool, by: str, at: datetime) -> None:
    connection.execute(delete(rule_level).where(rule_level.c.rule == rule))
    if stop:
        connection.execute(
            insert(rule_level).values(rule=rule, level="stop", changed_by=by, changed_at=at)
        )
