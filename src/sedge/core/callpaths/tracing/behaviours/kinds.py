"""Which class says what a kind of step does."""

from typing import Any, get_args

from sedge.core.callpaths import steps as s
from sedge.core.callpaths.tracing.behaviours.behaviour import Behaviour
from sedge.core.callpaths.tracing.behaviours.hours import HoursBehaviour
from sedge.core.callpaths.tracing.behaviours.leaving import EndBehaviour, OtherPathBehaviour
from sedge.core.callpaths.tracing.behaviours.menu import MenuBehaviour
from sedge.core.callpaths.tracing.behaviours.outside import ForwardBehaviour, SipBehaviour
from sedge.core.callpaths.tracing.behaviours.queue import QueueBehaviour
from sedge.core.callpaths.tracing.behaviours.ring import RingBehaviour
from sedge.core.callpaths.tracing.behaviours.spoken import AnnounceBehaviour, MailboxBehaviour

BEHAVIOURS: dict[type, Behaviour[Any]] = {
    s.Hours: HoursBehaviour(),
    s.Menu: MenuBehaviour(),
    s.Ring: RingBehaviour(),
    s.Queue: QueueBehaviour(),
    s.Announce: AnnounceBehaviour(),
    s.Mailbox: MailboxBehaviour(),
    s.Forward: ForwardBehaviour(),
    s.SipAddress: SipBehaviour(),
    s.OtherPath: OtherPathBehaviour(),
    s.End: EndBehaviour(),
}
if missing := set(get_args(get_args(s.Step)[0])) - BEHAVIOURS.keys():
    raise TypeError(f"kinds of step that do nothing with a call: {missing}")


def behaviour_of(step: s.Step) -> Behaviour[Any]:
    return BEHAVIOURS[type(step)]
