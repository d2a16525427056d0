"""The tables of one organisation's database: its records and the work. Others stand in
`safety_tables` and `holder_tables`.

Each record's row holds its JSON without what is so from the start (`body`) and, beside it, the
columns that queries and constraints use; `records.columns` derives them in one place. Uniqueness
that matters is held here: one open life per number, one main number per holder, one open grant per
holder and product, never more grants than seats. E.164 numbers are integers (at most 15 digits),
shown with a plus only at the edges.
"""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    Date,
    DateTime,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    TypeDecorator,
    UniqueConstraint,
    text,
)

from sedge.core.records import Subject

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "pk": "pk_%(table_name)s",
}
estate_metadata = MetaData(naming_convention=NAMING)


class Moment(TypeDecorator[datetime]):
    """A moment in UTC; refuses naive ones, gives back aware ones."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: object) -> datetime | None:
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError("a moment needs its offset")
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: object) -> datetime | None:
        return value.replace(tzinfo=UTC) if value else None


def _record_table(name: str, *columns: Any) -> Table:
    return Table(
        name,
        estate_metadata,
        Column("id", String(80), primary_key=True),
        *columns,
        Column("version", Integer, nullable=False),
        Column("body", Text, nullable=False),
    )


UNREGISTERED = "spot IS NOT NULL AND (registered_spot IS NULL OR registered_spot != spot)"
ONE_OF_EACH = "role IN ('main', 'mailbox access')"  # roles of which a holder has one number at most
EXTRA = "role = 'extra'"
OPEN_LIFE = "state NOT IN ('released', 'ported out', 'closed')"

life = _record_table(
    "life",
    Column("number", BigInteger, nullable=False),
    Column("state", String(16), nullable=False),
    Column("state_until", Moment),
    Column("usable_from", Moment),
    Column("leaving_on", Moment),
    Column("site", String(80), nullable=False),
    Column("carrier", String(80), nullable=False),
    Column("account", String(80), nullable=False),
    Column("capacity", String(8), nullable=False),
    Column("order_id", String(80)),
    Column("holder_kind", String(16)),
    Column("holder_id", String(80)),
    Column("role", String(16)),
    Column("spot", String(20)),
    Column("registered_spot", String(20)),
    Column("path", String(80)),
    Column("trunk", String(80)),
    Column("fallback", String(20)),
    Column("attention", Boolean, nullable=False),
    Column("kind", String(16), nullable=False),
    Column("holder_name", String(120), nullable=False),
    Column("label", String(80), nullable=False),
    Column("price", Integer, nullable=False),
    Column("changed_at", Moment, nullable=False),
    Index(
        "open_life",
        "number",
        unique=True,
        sqlite_where=text(OPEN_LIFE),
        postgresql_where=text(OPEN_LIFE),
    ),
    Index("life_number", "number"),
    Index("life_state", "state", "site", "capacity", "number"),
    Index("life_site", "site", "number"),
    Index(
        "life_holder",
        "holder_kind",
        "holder_id",
        sqlite_where=text("holder_kind IS NOT NULL"),
        postgresql_where=text("holder_kind IS NOT NULL"),
    ),
    Index(
        "life_order",
        "order_id",
        sqlite_where=text("order_id IS NOT NULL"),
        postgresql_where=text("order_id IS NOT NULL"),
    ),
    Index(
        "life_trunk",
        "trunk",
        "state",
        sqlite_where=text("trunk IS NOT NULL"),
        postgresql_where=text("trunk IS NOT NULL"),
    ),
    Index(
        "life_path",
        "path",
        sqlite_where=text("path IS NOT NULL"),
        postgresql_where=text("path IS NOT NULL"),
    ),
    Index(
        "life_spot",
        "spot",
        "state",
        sqlite_where=text("spot IS NOT NULL"),
        postgresql_where=text("spot IS NOT NULL"),
    ),
    Index(
        "life_attention",
        "number",
        sqlite_where=text("attention = 1"),
        postgresql_where=text("attention"),
    ),
    Index(
        "life_no_spot",
        "number",
        sqlite_where=text("spot IS NULL AND state = 'assigned'"),
        postgresql_where=text("spot IS NULL AND state = 'assigned'"),
    ),
    Index(
        "life_extra",
        "number",
        "holder_kind",
        "holder_id",
        sqlite_where=text(EXTRA),
        postgresql_where=text(EXTRA),
    ),
    Index(
        "life_fallback",
        "fallback",
        sqlite_where=text("fallback IS NOT NULL"),
        postgresql_where=text("fallback IS NOT NULL"),
    ),
    Index(
        "life_unregistered",
        "carrier",
        "number",
        sqlite_where=text(UNREGISTERED),
        postgresql_where=text(UNREGISTERED),
    ),
    Index(
        "life_until",
        "state_until",
        sqlite_where=text("state_until IS NOT NULL"),
        postgresql_where=text("state_until IS NOT NULL"),
    ),
    Index(
        "life_kind",
        "kind",
        "number",
        sqlite_where=text("kind != 'geographic'"),
        postgresql_where=text("kind != 'geographic'"),
    ),
    Index("life_carrier", "carrier", "number"),
    Index("life_price", "price", "number"),
    Index("life_changed", "changed_at", "number"),
    Index(
        "life_holder_name",
        "holder_name",
        "number",
        sqlite_where=text("holder_name != ''"),
        postgresql_where=text("holder_name != ''"),
    ),
    Index(
        "life_label",
        "label",
        "number",
        sqlite_where=text("label != ''"),
        postgresql_where=text("label != ''"),
    ),
    Index(
        "life_leaving",
        "leaving_on",
        sqlite_where=text("leaving_on IS NOT NULL"),
        postgresql_where=text("leaving_on IS NOT NULL"),
    ),
    Index(
        "one_role_per_holder",
        "holder_kind",
        "holder_id",
        "role",
        unique=True,
        sqlite_where=text(ONE_OF_EACH),
        postgresql_where=text(ONE_OF_EACH),
    ),
)
IN_USE = life.c.state.in_(("assigned", "porting out")) & life.c.holder_id.is_not(
    None
)  # calls to it ring somebody

person = _record_table(
    "person",
    Column("name", String(120), nullable=False),
    Column("email", String(200), nullable=False),
    Column("site", String(80), nullable=False),
    Column("extension", String(20), nullable=False),
    Column("spot", String(20)),
    Column("manager", String(80)),
    Column("shows", String(16)),
    Column("rings", String(20)),
    Column("departed", Boolean, nullable=False),
    Index(
        "person_email",
        "email",
        unique=True,
        sqlite_where=text("NOT departed"),
        postgresql_where=text("NOT departed"),
    ),
    Index("person_site", "site", "name"),
    Index("person_name", "name"),
    Index(
        "person_spot",
        "spot",
        "departed",
        sqlite_where=text("spot IS NOT NULL"),
        postgresql_where=text("spot IS NOT NULL"),
    ),
    Index("person_count", "site", "departed"),
    Index("person_extension", "extension", "site"),
    Index(
        "person_manager",
        "manager",
        "name",
        sqlite_where=text("manager IS NOT NULL"),
        postgresql_where=text("manager IS NOT NULL"),
    ),
    Index(
        "person_shows",
        "shows",
        sqlite_where=text("shows IS NOT NULL"),
        postgresql_where=text("shows IS NOT NULL"),
    ),
    Index(
        "person_rings",
        "rings",
        sqlite_where=text("rings IS NOT NULL"),
        postgresql_where=text("rings IS NOT NULL"),
    ),
    Index(
        "person_departed",
        "id",
        sqlite_where=text("departed IS 1"),
        postgresql_where=text("departed IS true"),
    ),
    Index(
        "person_no_spot",
        "name",
        sqlite_where=text("spot IS NULL AND departed IS 0"),
        postgresql_where=text("spot IS NULL AND departed IS false"),
    ),
)
site = _record_table(
    "site",
    Column("name", String(120), nullable=False),
    Column("code", String(5), nullable=False, unique=True),
    Column("country", String(2), nullable=False),
    Column("shows", String(16)),
    Index("site_country", "country"),
    Index(
        "site_shows",
        "shows",
        sqlite_where=text("shows IS NOT NULL"),
        postgresql_where=text("shows IS NOT NULL"),
    ),
)
service_line = _record_table(
    "service_line",
    Column("name", String(120), nullable=False),
    Column("site", String(80), nullable=False),
    Index("line_site", "site"),
)
group = _record_table(
    "people_group",
    Column("name", String(120), nullable=False),
    Column("removed", Boolean, nullable=False),
    Index("group_name", "name"),
)
downstream = _record_table(
    "downstream",
    Column("name", String(120), nullable=False),
    Column("site", String(80), nullable=False),
)
device = _record_table(
    "device",
    Column("person", String(80), nullable=False),
    Column("registered", Boolean, nullable=False),
    Index("device_person", "person"),
    Index(
        "device_silent",
        "person",
        sqlite_where=text("registered IS 0"),
        postgresql_where=text("registered IS false"),
    ),
)
address = _record_table(
    "address", Column("site", String(80), nullable=False), Index("address_site", "site")
)
spot = _record_table(
    "spot",
    Column("site", String(80), nullable=False),
    Column("address", String(80), nullable=False),
    Index("spot_site", "site"),
)
product = _record_table("product")
subscription = _record_table(
    "subscription",
    Column("product", String(80), nullable=False),
    Column("seats", Integer, nullable=False),
    Column("used", Integer, nullable=False),
    CheckConstraint("used <= seats AND used >= 0", name="seats_enough"),
    Index("subscription_product", "product"),
)
grant = _record_table(
    "licence_grant",
    Column("product", String(80), nullable=False),
    Column("holder_kind", String(16), nullable=False),
    Column("holder_id", String(80), nullable=False),
    Column("ended", Boolean, nullable=False),
    Column("since", Moment),
    Column("works_from", Moment),
    Column("until", Moment),
    Index("grant_since", "product", "since"),
    Index("grant_until", "product", "until"),
    Index(
        "one_open_grant",
        "holder_kind",
        "holder_id",
        "product",
        unique=True,
        sqlite_where=text("NOT ended"),
        postgresql_where=text("NOT ended"),
    ),
    Index("grant_product", "product", "ended"),
)
carrier = _record_table("carrier")
account = _record_table(
    "account", Column("carrier", String(80), nullable=False), Column("secret", Text)
)
hold = _record_table(
    "hold",
    Column("state", String(12), nullable=False),
    Column("expires_at", Moment, nullable=False),
)
order = _record_table(
    "supply_order",
    Column("reference", String(80), nullable=False),
    Column("open", Boolean, nullable=False),
    Column("at", Moment),
    Column("placed_as", String(80)),
    Index("order_placed_as", "placed_as"),
    Index("order_open", "open", "at"),
)
document = _record_table(
    "document",
    Column("paper", String(60), nullable=False),
    Column("withdrawn", Boolean, nullable=False),
    Index("document_paper", "paper", "withdrawn"),
)
document_content = Table(
    "document_content",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("content", LargeBinary, nullable=False),
)
trunk = _record_table("trunk", Column("site", String(80), nullable=False))
sbc = _record_table("sbc", Column("site", String(80), nullable=False))
path = _record_table(
    "path",
    Column("name", String(120), nullable=False),
    Column("retired", Boolean, nullable=False),
)
path_version = Table(
    "path_version",
    estate_metadata,
    Column("path", String(80)),
    Column("number", Integer),
    Column("in_force_from", Moment, nullable=False),
    Column("body", Text, nullable=False),
    PrimaryKeyConstraint("path", "number"),
)
path_names = Table(
    "path_names",
    estate_metadata,
    Column("path", String(80)),
    Column("subject", String(20)),
    Column("subject_id", String(80)),
    PrimaryKeyConstraint("path", "subject", "subject_id"),
    Index("named_by", "subject", "subject_id"),
)
proof = _record_table(
    "proof",
    Column("number", BigInteger, nullable=False),
    Column("at", Moment, nullable=False),
    Column("direction", String(4), nullable=False),
    Index("proof_number", "number", "direction", "at"),
)

area = _record_table("area")
defaults = _record_table("defaults")
kept_free = _record_table(
    "kept_free", Column("last", Date, nullable=False), Index("kept_free_last", "last")
)
port_out = _record_table(
    "port_out",
    Column("no", Integer, nullable=False, unique=True),
    Column("state", String(16), nullable=False),
    Column("open", Boolean, nullable=False),
    Column("theirs", String(80), nullable=False),
    Column("account", String(80), nullable=False),
    Column("due", Moment, nullable=False),
    UniqueConstraint("account", "theirs"),
    Index("port_out_open", "open", "due"),
)
port = _record_table(
    "port",
    Column("no", Integer, nullable=False, unique=True),
    Column("state", String(16), nullable=False),
    Column("open", Boolean, nullable=False),
    Column("foc", Moment),
    Index("port_open", "open", "no"),
)

RECORD_TABLES: dict[Subject, Table] = {
    Subject.NUMBER: life,
    Subject.PERSON: person,
    Subject.SITE: site,
    Subject.SERVICE_LINE: service_line,
    Subject.GROUP: group,
    Subject.DEVICE: device,
    Subject.DOWNSTREAM: downstream,
    Subject.ADDRESS: address,
    Subject.SPOT: spot,
    Subject.PRODUCT: product,
    Subject.SUBSCRIPTION: subscription,
    Subject.GRANT: grant,
    Subject.CARRIER: carrier,
    Subject.ACCOUNT: account,
    Subject.HOLD: hold,
    Subject.ORDER: order,
    Subject.TRUNK: trunk,
    Subject.SBC: sbc,
    Subject.PATH: path,
    Subject.PROOF: proof,
    Subject.AREA: area,
    Subject.DOCUMENT: document,
    Subject.DEFAULTS: defaults,
    Subject.PORT: port,
    Subject.PORT_OUT: port_out,
    Subject.KEPT_FREE: kept_free,
}
