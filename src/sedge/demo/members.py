"""The demo organisation's members, one of each role."""

from sedge.core.access.roles import AccessRole
from sedge.store.repositories.access.sign_ins import Member, Organisation

TRUST = Organisation("lanternfield", "The Lanternfield Museums Trust", "GB", asks_directory=True)
PASSWORD = "reeds and rushes"
MEMBERS = (
    Member(
        "rowan",
        "Rowan Achterberg",
        "rowan.achterberg@lanternfield.example",
        TRUST.id,
        AccessRole.ADMINISTRATOR,
    ),
    Member(
        "leila",
        "Leila Rahimi",
        "leila.rahimi@lanternfield.example",
        TRUST.id,
        AccessRole.ADMINISTRATOR,
    ),
    Member(
        "declan",
        "Declan Tarrant",
        "declan.tarrant@lanternfield.example",
        TRUST.id,
        AccessRole.HELP_DESK,
    ),
    Member(
        "marta",
        "Marta Kowalczyk",
        "marta.kowalczyk@lanternfield.example",
        TRUST.id,
        AccessRole.FINANCE,
    ),
    Member(
        "gethin",
        "Gethin Trevelyan",
        "gethin.trevelyan@lanternfield.example",
        TRUST.id,
        AccessRole.SAFETY_OFFICER,
    ),
    Member(
        "noor",
        "Noor Siddiqui",
        "noor.siddiqui@lanternfield.example",
        TRUST.id,
        AccessRole.SITE_MANAGER,
        ("wharf-house",),
    ),
    Member(
        "olive",
        "Olive Brightwater",
        "olive.brightwater@lanternfield.example",
        TRUST.id,
        AccessRole.OBSERVER,
    ),
)
