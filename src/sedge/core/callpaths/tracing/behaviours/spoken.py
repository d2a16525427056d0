"""What only speaks: announcements, and mailboxes that take a message."""

from sedge.core.callpaths.answering import is_for_anybody, people_of
from sedge.core.callpaths.steps import Announce, Exit, Mailbox
from sedge.core.callpaths.tracing.behaviours.behaviour import Behaviour, Outcome, Situation
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.speaking import seconds_announced
from sedge.core.callpaths.tracing.world import Ending, EndingKind


class AnnounceBehaviour(Behaviour[Announce]):
    over = EndingKind.ANNOUNCED

    def take(self, call: Call, key: str, step: Announce) -> str:
        call.say(step.title, f"says “{step.text}”", Exit.DONE, plays=step.sound)
        call.seconds += seconds_announced(step)
        return Exit.DONE

    def outcomes(self, situation: Situation, step: Announce) -> list[Outcome]:
        return [Outcome(Exit.DONE)]

    def lasting(self, step: Announce) -> int:
        return seconds_announced(step)


class MailboxBehaviour(Behaviour[Mailbox]):
    def take(self, call: Call, key: str, step: Mailbox) -> Ending:
        people = people_of(call.called, step.recipients, step.groups, call.estate)
        holder = "the holder" if is_for_anybody(call.called, step.recipients, step.groups) else ""
        names = ", ".join(p.name for p in people[:3]) or holder or "nobody"
        more = f" and {len(people) - 3} more" if len(people) > 3 else ""
        greeting = f"says “{step.greeting}” and " if step.greeting else ""
        call.say(
            step.title,
            f"{greeting}takes a message; mail to {names}{more}.",
            wrong=not people and not holder,
            plays=step.sound,
        )
        return call.ends(EndingKind.MAILBOX, f"message for {names}{more}", names + more)

    def outcomes(self, situation: Situation, step: Mailbox) -> list[Outcome]:
        readers = people_of(situation.called, step.recipients, step.groups, situation.estate)
        return [Outcome("", None, EndingKind.MAILBOX, ", ".join(p.name for p in readers[:3]))]
