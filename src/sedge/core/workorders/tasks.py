"""All kinds of task, put together in one place: the same for pages, API, runner and undo.

Each stands in `core/<area>/tasks.py` with all that is true of it; what they have in common is in
`task_base`. Numbers may be typed in any unambiguous form at the doors; here they are E.164.
"""

from typing import Annotated, get_args

from pydantic import Field, TypeAdapter

from sedge.core.callpaths.tasks import PlaceTestCall, PublishPath, RetirePath, SetAnswering, SetPath
from sedge.core.carriers.tasks import FollowCarrier, TellCarrier
from sedge.core.holders.tasks import AddDevice, AddPerson, ChangePerson, SetGroup
from sedge.core.imports.tasks import AdoptNumber, ImportNumbers
from sedge.core.licences.tasks import (
    BuySeats,
    CancelSeats,
    ExchangeLicence,
    GrantLicence,
    RevokeLicence,
    StartTrial,
)
from sedge.core.numbers.tasks import (
    AssignNumber,
    EndRest,
    LabelNumbers,
    MoveNumber,
    ReserveNumber,
    ReturnNumber,
    SetAside,
    UnassignNumber,
    UnreserveNumber,
)
from sedge.core.outbound.tasks import (
    SetCallerId,
    SetCallerName,
    SetCallingRights,
    SetDialPlan,
    SetOutboundRoutes,
)
from sedge.core.porting.tasks import ActivatePort, ApprovePortOut, BackOutPort, SubmitPort
from sedge.core.retiring.tasks import ReleaseNumber
from sedge.core.safety.tasks import RegisterAddress, SetSpot, TellPlace
from sedge.core.supply.tasks import (
    ArrivedLine,
    CancelOrder,
    ConnectNumber,
    OrderedLine,
    OrderNumbers,
    OrderWhenFree,
    RecordArrival,
    SendPaper,
    SetFeature,
)
from sedge.core.trunks.tasks import (
    AddTrunk,
    ChangeTrunk,
    ListOnTrunk,
    MoveTrunk,
    RetireSbc,
    SetFallback,
    SetSbc,
    UnlistFromTrunk,
)
from sedge.core.workorders.task_base import OutputOf, Snapshot, Task
from sedge.core.workorders.undo import PutBack, PutBackLater

AnyTask = Annotated[
    ActivatePort
    | AddDevice
    | AddPerson
    | AddTrunk
    | AdoptNumber
    | ApprovePortOut
    | AssignNumber
    | BackOutPort
    | BuySeats
    | CancelOrder
    | CancelSeats
    | ChangePerson
    | ChangeTrunk
    | ConnectNumber
    | EndRest
    | ExchangeLicence
    | FollowCarrier
    | GrantLicence
    | ImportNumbers
    | LabelNumbers
    | ListOnTrunk
    | MoveNumber
    | MoveTrunk
    | OrderNumbers
    | OrderWhenFree
    | PlaceTestCall
    | PublishPath
    | PutBack
    | PutBackLater
    | RecordArrival
    | RegisterAddress
    | ReleaseNumber
    | ReserveNumber
    | RetirePath
    | RetireSbc
    | ReturnNumber
    | RevokeLicence
    | SendPaper
    | SetAnswering
    | SetAside
    | SetCallerId
    | SetCallerName
    | SetCallingRights
    | SetDialPlan
    | SetFallback
    | SetFeature
    | SetGroup
    | SetOutboundRoutes
    | SetPath
    | SetSbc
    | SetSpot
    | StartTrial
    | SubmitPort
    | TellCarrier
    | TellPlace
    | UnassignNumber
    | UnlistFromTrunk
    | UnreserveNumber,
    Field(discriminator="kind"),
]
TASK: TypeAdapter[AnyTask] = TypeAdapter(AnyTask)
KINDS: dict[str, type[Task]] = {
    kind.model_fields["kind"].default: kind for kind in get_args(get_args(AnyTask)[0])
}

__all__ = [
    "KINDS",
    "TASK",
    "ActivatePort",
    "AddDevice",
    "AddPerson",
    "AddTrunk",
    "AdoptNumber",
    "AnyTask",
    "ApprovePortOut",
    "ArrivedLine",
    "AssignNumber",
    "BackOutPort",
    "BuySeats",
    "CancelOrder",
    "CancelSeats",
    "ChangePerson",
    "ChangeTrunk",
    "ConnectNumber",
    "EndRest",
    "ExchangeLicence",
    "FollowCarrier",
    "GrantLicence",
    "ImportNumbers",
    "LabelNumbers",
    "ListOnTrunk",
    "MoveNumber",
    "MoveTrunk",
    "OrderNumbers",
    "OrderWhenFree",
    "OrderedLine",
    "OutputOf",
    "PlaceTestCall",
    "PublishPath",
    "PutBack",
    "PutBackLater",
    "RecordArrival",
    "RegisterAddress",
    "ReleaseNumber",
    "ReserveNumber",
    "ReturnNumber",
    "RevokeLicence",
    "SendPaper",
    "SetAnswering",
    "SetAside",
    "SetCallerId",
    "SetCallerName",
    "SetCallingRights",
    "SetDialPlan",
    "SetFallback",
    "SetFeature",
    "SetGroup",
    "SetOutboundRoutes",
    "SetPath",
    "SetSpot",
    "Snapshot",
    "StartTrial",
    "SubmitPort",
    "Task",
    "TellCarrier",
    "TellPlace",
    "UnassignNumber",
    "UnlistFromTrunk",
    "UnreserveNumber",
]
