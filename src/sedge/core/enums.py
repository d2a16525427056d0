"""The trade's closed sets of words that several records are made of."""

from enum import StrEnum


class HolderKind(StrEnum):
    PERSON = "person"
    SITE = "site"
    SERVICE_LINE = "service_line"
    DOWNSTREAM = "downstream"


class Role(StrEnum):
    MAIN = "main"
    EXTRA = "extra"
    MAILBOX_ACCESS = "mailbox access"


class Capacity(StrEnum):
    """How many calls at once the carrier lets a number carry."""

    SINGLE = "single"
    MANY = "many"
    ANY = "any"


class SupplyModel(StrEnum):
    BUNDLED = "bundled"
    PARTNER = "partner"
    OWN_TRUNK = "own trunk"


class Right(StrEnum):
    INTERNAL = "internal"
    EMERGENCY = "emergency"
    NATIONAL = "national"
    MOBILE = "mobile"
    INTERNATIONAL = "international"
    PREMIUM = "premium"


class Reached(StrEnum):
    """What dialled keys lead to."""

    EMERGENCY = "emergency"
    NUMBER = "number"
    EXTENSION = "extension"
    SERVICE = "service code"
    REFUSED = "refused"
    NOTHING = "nothing"


class Transport(StrEnum):
    """What carries SIP messages (RFC 3261 §18); TLS is the one nobody can listen to."""

    UDP = "udp"
    TCP = "tcp"
    TLS = "tls"


class Subject(StrEnum):
    """Kinds of record; also the ledger's subjects."""

    NUMBER = "number"
    PERSON = "person"
    SITE = "site"
    SERVICE_LINE = "service line"
    DEVICE = "device"
    GROUP = "group"
    ADDRESS = "civic address"
    SPOT = "spot"
    PRODUCT = "licence product"
    SUBSCRIPTION = "subscription"
    GRANT = "grant"
    CARRIER = "carrier"
    ACCOUNT = "carrier account"
    HOLD = "hold"
    ORDER = "order"
    TRUNK = "trunk"
    SBC = "session border controller"
    DOWNSTREAM = "downstream system"
    PATH = "call path"
    WORK_ORDER = "work order"
    PROOF = "proof"
    SIGN_IN = "sign-in"
    AREA = "area"
    TAG = "tag"
    SELECTION = "selection"
    DOCUMENT = "document"
    DEFAULTS = "organisation"
    PORT = "port"
    PORT_OUT = "port out"
    KEPT_FREE = "days kept free"
