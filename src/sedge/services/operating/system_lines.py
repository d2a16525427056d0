"""What Today tells of the installation itself."""

from collections.abc import Iterator

from sedge.core.numbers.card_facts import Mark
from sedge.services import mail
from sedge.services.context import Context
from sedge.services.ledger import webhooks
from sedge.services.operating import nightly_backup
from sedge.services.todo import Todo, how_many


def lines(context: Context) -> Iterator[Todo]:
    """Backups that are not made, and letters that nobody took."""
    for webhook in webhooks.list_webhooks(context):
        if webhook.stopped_at:
            yield Todo(
                Mark.WRONG,
                f"{webhook.name} hears of nothing any more",
                webhook.problem or "Nobody took its events.",
                "/ledger/webhooks",
                "View webhooks",
            )
    backup, post = nightly_backup.last(context.installation), mail.standing(context)
    if backup.problem or backup.is_late:
        yield Todo(
            Mark.WRONG,
            "The last good backup is old",
            backup.problem or "None was made for a day and a half.",
            "/system",
            "View system",
        )
    if post.given_up:
        yield Todo(
            Mark.WRONG,
            f"{how_many(post.given_up, 'letter')} could not be sent",
            post.last_problem,
            "/system",
            "View system",
        )
