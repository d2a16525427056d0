"""The planner's two-sided picture: people by team on the left, numbers by hundred on the right, a
line for each pair."""

from dataclasses import dataclass

from markupsafe import Markup

from sedge.core.numbers.e164 import describe
from sedge.core.workorders.planner.problem import Plan, Problem, Wants

ROW, GAP, WIDTH = 14, 12, 760
LEFT, RIGHT, PER_ROW, CELL = 250, 500, 25, 9
MOST_PEOPLE = 160


@dataclass(frozen=True)
class _Spot:
    x: float
    y: float


def pairing(problem: Problem, plan: Plan) -> Markup:
    """As SVG; of more than 160 people the first, which is said below it."""
    people = sorted(problem.people, key=lambda p: (p.site, p.team, p.extension, p.name))[
        :MOST_PEOPLE
    ]
    chosen = {g.person: g.number for g in plan.given if g.number}
    met = {g.person: all(m.met for m in g.wishes) for g in plan.given}
    left, labels, height_left = _left(people)
    right, blocks, height_right = _right(problem, {n for p in people if (n := chosen.get(p.id))})
    lines = []
    for p in people:
        number = chosen.get(p.id)
        if number and number in right:
            a, b = left[p.id], right[number]
            middle = (a.x + b.x) / 2
            kind = "met" if met.get(p.id) else "unmet"
            lines.append(
                Markup(
                    '<path class="{}" d="M{:.0f} {:.0f}C{:.0f} {:.0f} {:.0f} {:.0f} {:.0f}'
                    ' {:.0f}"/>'
                ).format(kind, a.x, a.y, middle, a.y, middle, b.y, b.x, b.y)
            )
    dots = [
        Markup(
            '<circle class="{}" cx="{:.0f}" cy="{:.0f}" r="3"><title>{}</title></circle>'
        ).format(
            "" if p.id in chosen else "out",
            left[p.id].x,
            left[p.id].y,
            p.name if p.id in chosen else f"{p.name}: no number",
        )
        for p in people
    ]
    height = max(height_left, height_right) + 10
    given = sum(1 for p in people if p.id in chosen)
    label = f"{given} of {len(people)} people get a number; the table below says which"
    return Markup(
        '<svg class="pairing" viewBox="0 0 {} {:.0f}" role="img" aria-label="{}">{}{}{}{}</svg>'
    ).format(WIDTH, height, label, Markup("").join(lines), labels, Markup("").join(dots), blocks)


def _left(people: list[Wants]) -> tuple[dict[str, _Spot], Markup, float]:
    y, team, places, words = 14.0, None, {}, []
    for p in people:
        if (p.site, p.team) != team:
            y += GAP if team is not None else 0
            team = (p.site, p.team)
            words.append(
                Markup('<text class="team" x="6" y="{:.0f}">{}</text>').format(
                    y + 3, (p.team or "no department")[:22]
                )
            )
        places[p.id] = _Spot(LEFT, y)
        words.append(
            Markup('<text class="who" x="{}" y="{:.0f}">{}</text>').format(
                LEFT - 10, y + 3, p.name[:22]
            )
        )
        y += ROW
    return places, Markup("").join(words), y


def _right(problem: Problem, used: set[str]) -> tuple[dict[str, _Spot], Markup, float]:
    """Numbers in rows of 25; hundreds of which none is used are left out."""
    hundreds: dict[int, list[int]] = {}
    for n in problem.numbers:
        hundreds.setdefault(int(n.e164) // 100, []).append(int(n.e164))
    wanted = {int(n) // 100 for n in used}
    y, places, parts = 14.0, {}, []
    for hundred, found in sorted(hundreds.items()):
        if hundred not in wanted:
            continue
        national = describe(f"+{found[0]}").shown[:-2]
        parts.append(
            Markup('<text class="block" x="{}" y="{:.0f}">{}xx</text>').format(
                RIGHT, y + 3, national
            )
        )
        y += ROW
        for n in range(hundred * 100, hundred * 100 + 100):
            row, column = divmod(n % 100, PER_ROW)
            spot = _Spot(RIGHT + column * CELL + CELL / 2, y + row * CELL + CELL / 2)
            e164 = f"+{n}"
            kind = "taken" if e164 in used else "free" if n in set(found) else "none"
            places[e164] = spot
            parts.append(
                Markup('<rect class="{}" x="{:.0f}" y="{:.0f}" width="{}" height="{}"/>').format(
                    kind, spot.x - CELL / 2, spot.y - CELL / 2, CELL - 1.5, CELL - 1.5
                )
            )
        y += CELL * (100 // PER_ROW) + GAP
    return places, Markup("").join(parts), y


def shown(problem: Problem) -> str:
    """What the picture leaves out, in words."""
    more = len(problem.people) - MOST_PEOPLE
    return f"The first {MOST_PEOPLE} people; the table has {more} more." if more > 0 else ""
