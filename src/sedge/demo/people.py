"""The demo's people: made up, plainly so, and varied. Fixed order, so that every start has the same
ones."""

from dataclasses import dataclass

FIRST = [
    "Ifeoma",
    "Rowan",
    "Amara",
    "Piet",
    "Jo",
    "Tomas",
    "Ngozi",
    "Saoirse",
    "Callum",
    "Priya",
    "Wen",
    "Oluwaseun",
    "Hanna",
    "Idris",
    "Marta",
    "Declan",
    "Yusra",
    "Bram",
    "Keziah",
    "Matteo",
    "Freya",
    "Tunde",
    "Anouk",
    "Rhys",
    "Leila",
    "Gethin",
    "Sunniva",
    "Omar",
    "Beatrix",
    "Kofi",
    "Ailsa",
    "Ravi",
    "Noor",
    "Fergus",
    "Ines",
    "Caspian",
    "Zofia",
    "Malachi",
    "Elspeth",
    "Hugo",
    "Adaeze",
    "Linus",
    "Morag",
    "Samir",
    "Thea",
    "Viggo",
    "Winifred",
    "Arjun",
    "Bronwen",
    "Cosmo",
    "Dagny",
    "Emeka",
    "Flora",
    "Gideon",
    "Hester",
    "Ivo",
    "Jasmin",
    "Kit",
    "Lorcan",
    "Maren",
]
LAST = [
    "Okafor",
    "Achterberg",
    "Whitlock",
    "Lindqvist",
    "Farrow",
    "Reuter",
    "Brandt",
    "Quillfeather",
    "Harkness",
    "Venkatesan",
    "Zhou",
    "Adebayo",
    "Eklund",
    "Merriwether",
    "Kowalczyk",
    "Tarrant",
    "Haddad",
    "Vandermeer",
    "Osgood",
    "Bellini",
    "Ashgrove",
    "Bamidele",
    "Charron",
    "Penhallow",
    "Rahimi",
    "Trevelyan",
    "Solberg",
    "Nasser",
    "Thistlewood",
    "Mensah",
    "Drummond",
    "Iyer",
    "Siddiqui",
    "Galbraith",
    "Moreau",
    "Fairweather",
    "Nowak",
    "Obadiah",
    "Pettigrew",
    "Lamb",
    "Eze",
    "Hartmann",
    "Strachan",
    "Aziz",
    "Winterbourne",
]
DEPARTMENTS = {
    "Collections": (
        "registrar",
        "collections assistant",
        "documentation officer",
        "loans officer",
        "store manager",
    ),
    "Conservation": ("conservator", "paper conservator", "textile conservator"),
    "Visitor services": ("duty manager", "visitor host", "front desk lead", "booking assistant"),
    "Learning": ("schools officer", "learning producer", "volunteer coordinator"),
    "Finance": ("accountant", "finance assistant", "payroll officer"),
    "Estates": ("building manager", "technician", "security lead"),
    "Communications": ("press officer", "editor", "members' officer"),
    "Directorate": ("director", "executive assistant"),
}


@dataclass(frozen=True)
class DemoPerson:
    name: str
    email: str
    department: str
    job: str
    extension: str


def demo_people(count: int) -> list[DemoPerson]:
    """The first `count` people; extensions are the last digits of the numbers they would get."""
    departments = list(DEPARTMENTS)
    people: list[DemoPerson] = []
    for i in range(count):
        first, last = (
            FIRST[i % len(FIRST)],
            LAST[(i * 7 + i // len(FIRST)) % len(LAST)] if i else "Okafor",
        )
        department = departments[(i * 3 + i // 5) % len(departments)]
        jobs = DEPARTMENTS[department]
        email = f"{first}.{last}@lanternfield.example".lower()
        people.append(
            DemoPerson(f"{first} {last}", email, department, jobs[i % len(jobs)], f"{100 + i:03d}")
        )
    return people
