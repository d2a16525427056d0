"""Taking over an estate that exists: rows of several files, each with its own headers, put together
into numbers and holders.

Nothing is guessed past what the words allow: what fits exactly one thing is matched, what nearly
fits is proposed, what fits nothing is asked. A *spelling* settles a word once for all rows that use
it; a *decision* settles one row.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace

from rapidfuzz import fuzz, process

from sedge.core.imports.directory import plain_name
from sedge.core.imports.rows import STATES
from sedge.core.imports.takeover_records import (
    MOST_CHOICES,
    Ask,
    Decisions,
    Found,
    Known,
    Question,
    Row,
    Somebody,
    Worksheet,
)
from sedge.core.imports.takeover_words import (
    Groups,
    account_of,
    floorless,
    keys_of,
    name_from,
    once,
    person_id,
    trunk_of,
    turned,
)
from sedge.core.numbers.e164 import describe, read
from sedge.core.numbers.life import State
from sedge.core.records import HolderRef

NEAR, AHEAD = 86, 6  # a proposal is at least so like the word, and so much more than the next
_BY_STATE = {word: state for state, words in STATES.items() for word in words}


def put_together(rows: Sequence[Row], known: Known, decisions: Decisions) -> Worksheet:
    """Match the rows of all files to each other and to the estate."""
    return _Matching(known, decisions).of(rows)


class _Matching:
    def __init__(self, known: Known, decisions: Decisions) -> None:
        self.known, self.decisions = known, decisions
        self.sheet = Worksheet()
        self.here = list(known.holders.by_name)
        self.mails: dict[str, str] = {}
        self.asked: dict[tuple[Ask, str], list[tuple[int, int]]] = defaultdict(list)
        self.sites = {
            word: s
            for s in known.sites
            for word in (
                s.id,
                s.name.lower(),
                s.code.lower(),
                *(v.lower() for v in s.known_as.values()),
            )
        }

    def of(self, rows: Sequence[Row]) -> Worksheet:
        self.sheet.rows = len(rows)
        settled = [self._decided(row) for row in rows]
        kept = [row for row in settled if row.said.get("leave") != "yes"]
        self.sheet.left_out = [row.key for row in settled if row.said.get("leave") == "yes"]
        people = self._people(kept)
        self._numbers([row for row in kept if row.said.get("number")], people)
        self._ask_words()
        self.sheet.people = [
            p for p in once(people.values()) if p.ref is None or p.licences or p.spot
        ]
        order = list(Ask)
        self.sheet.questions.sort(
            key=lambda q: (not q.is_word, order.index(q.ask), -len(q.rows), q.rows)
        )
        return self.sheet

    def _decided(self, row: Row) -> Row:
        return replace(row, said={**row.said, **self.decisions.rows.get(row.key, {})})

    # ── words ──

    def _word(self, ask: Ask, word: str, row: Row, found: str | None) -> str | None:
        """What a word means: as settled, as found; else it is asked for and nothing is meant."""
        if not word:
            return None
        settled = self.decisions.spellings.get(ask.value, {}).get(word.lower())
        if settled is not None:
            return settled or None
        if found is None:
            self.asked[ask, word.lower()].append(row.key)
        return found

    def _site(self, row: Row) -> str | None:
        word = row.said.get("site", "")
        site = self.sites.get(word.lower())
        return self._word(Ask.SITE, word, row, site.id if site else None)

    def _state(self, row: Row) -> State | None:
        word = row.said.get("state", "")
        state = _BY_STATE.get(word.lower())
        meant = self._word(Ask.STATE, word, row, state.value if state else None)
        return State(meant) if meant else None

    def _spot(self, row: Row, site: str | None) -> str | None:
        said = row.said
        word = said.get("spot") or ", ".join(
            x for x in (said.get("floor", ""), said.get("room", "")) if x
        )
        if not word:
            return None
        return self._word(Ask.SPOT, word, row, self._spot_called(word, site))

    def _spot_called(self, word: str, site: str | None) -> str | None:
        wanted = floorless(word)
        for spot in self.known.spots:
            if spot.id.lower() == word.lower() or word in spot.known_as.values():
                return spot.id
        fitting = [
            s.id
            for s in self.known.spots
            if (site is None or s.site == site) and floorless(s.name) == wanted
        ]
        return fitting[0] if len(fitting) == 1 else None

    def _licences(self, row: Row) -> set[str]:
        by_name = {p.name.lower(): p.id for p in self.known.products} | {
            p.id: p.id for p in self.known.products
        }
        words = [
            w.strip()
            for part in row.said.get("licence", "").split("+")
            for w in part.split(",")
            if w.strip()
        ]
        found = {self._word(Ask.LICENCE, word, row, by_name.get(word.lower())) for word in words}
        return {one for one in found if one}

    def _path(self, row: Row) -> str | None:
        word = row.said.get("path", "")
        by_name = {p.name.lower(): p.id for p in self.known.paths} | {
            p.id: p.id for p in self.known.paths
        }
        return self._word(Ask.PATH, word, row, by_name.get(word.lower()))

    def _ask_words(self) -> None:
        sentences = {
            Ask.SITE: "No site is called “{}”. Which one is meant?",
            Ask.STATE: "“{}” is no state a number can be found in. What does it mean?",
            Ask.SPOT: "No emergency spot is called “{}”. Where would help have to go?",
            Ask.PATH: "No call path is called “{}”. Which one is meant?",
            Ask.LICENCE: "No licence is called “{}”. Which one is meant?",
        }
        for (ask, word), rows in self.asked.items():
            self.sheet.questions.append(
                Question(
                    ask,
                    word,
                    sentences[ask].format(word),
                    tuple(rows),
                    tuple(self._near(ask, word)),
                )
            )

    def _near(self, ask: Ask, word: str) -> Iterable[tuple[str, str]]:
        options: dict[str, str] = {
            Ask.SITE: {s.id: s.name for s in self.known.sites},
            Ask.STATE: {s.value: s.value for s in STATES},
            Ask.SPOT: {s.id: s.name for s in self.known.spots},
            Ask.PATH: {p.id: p.name for p in self.known.paths},
            Ask.LICENCE: {p.id: p.name for p in self.known.products},
        }[ask]
        plain = floorless if ask is Ask.SPOT else str.lower
        ranked = process.extract(
            word,
            options,
            scorer=fuzz.token_sort_ratio if ask is Ask.SPOT else fuzz.WRatio,
            processor=plain,
            limit=MOST_CHOICES,
        )
        where = {s.id: f", {s.site} ({s.id})" for s in self.known.spots}
        return [
            (str(key), words + (where[key] if ask is Ask.SPOT else ""))
            for words, _score, key in ranked
        ]

    # ── people ──

    def _people(self, rows: Sequence[Row]) -> dict[tuple[int, int], Somebody]:
        """For each row that speaks of somebody: who. Rows are put together by mail address, name
        and extension."""
        speaking = [
            row
            for row in rows
            if any(row.said.get(f) for f in ("email", "holder", "extension")) or row.said.get("who")
        ]
        groups = Groups()
        mails: dict[str, set[str]] = defaultdict(set)
        for row in speaking:
            if row.said.get("email") and row.said.get("holder"):
                mails[plain_name(row.said["holder"])].add(row.said["email"].lower())
        self.mails = {name: next(iter(of)) for name, of in mails.items() if len(of) == 1}
        held_by = Counter(
            row.said["extension"]
            for row in speaking
            if row.said.get("extension") and row.said.get("email")
        )
        for row in speaking:
            for key in keys_of(row, mails, held_by):
                groups.join(row.key, key)
        found: dict[tuple[int, int], Somebody] = {}
        for members in groups.of(speaking):
            somebody = self._somebody(members)
            for row in members:
                if somebody is not None:
                    found[row.key] = somebody
        return found

    def _somebody(self, rows: Sequence[Row]) -> Somebody | None:
        def first(name: str) -> str:
            return next((row.said[name] for row in rows if row.said.get(name)), "")

        name, email, extension, who = (
            first("holder"),
            first("email"),
            first("extension"),
            first("who"),
        )
        keys = [row.key for row in rows]
        if who == "nobody":
            return None
        site = next((s for row in rows if (s := self._site(row))), None)
        ref = self._ref(who, name, email, extension)
        if isinstance(ref, Question):
            self.sheet.questions.append(replace(ref, rows=tuple(keys)))
            return None
        licences = {one for row in rows for one in self._licences(row)}
        spot = next((s for row in rows if (s := self._spot(row, site))), None)
        if ref is None and not email and name and (near := self._near_in_files(name)):
            self.sheet.questions.append(
                Question(
                    Ask.WHO,
                    name,
                    f"No file has the mail address of {name}, but of somebody nearly so.",
                    tuple(keys),
                    near,
                )
            )
            return None
        if ref is None and not email:
            sentence = (
                f"{name or 'Somebody with extension ' + extension} has no mail address in any file,"
                " and is nobody we know."
            )
            self.sheet.questions.append(
                Question(Ask.MAIL, name or extension, sentence, tuple(keys))
            )
            return None
        if ref is None and not site:
            site = self.known.sites[0].id if len(self.known.sites) == 1 else ""
            if not site and not any(row.said.get("site") for row in rows):
                self.sheet.questions.append(
                    Question(
                        Ask.WHO,
                        name or email,
                        f"No file says at which site {name or email} works.",
                        tuple(keys),
                        self._site_choices(),
                    )
                )
                return None
        somebody = Somebody(
            ref,
            person_id(email, name),
            turned(name) or name_from(email),
            email.lower(),
            site or "",
            first("department"),
            extension if extension.isdigit() else "",
            spot,
            licences,
            keys,
        )
        return somebody if ref or site else None

    def _near_in_files(self, name: str) -> tuple[tuple[str, str], ...]:
        near = process.extract(
            plain_name(name), list(self.mails), scorer=fuzz.ratio, limit=3, score_cutoff=NEAR
        )
        return tuple(
            (f"mail:{self.mails[one]}", f"{one.title()}, {self.mails[one]}")
            for one, _score, _at in near
        )

    def _site_choices(self) -> tuple[tuple[str, str], ...]:
        return tuple((f"site:{s.id}", s.name) for s in self.known.sites[:MOST_CHOICES])

    def _ref(
        self, who: str, name: str, email: str, extension: str
    ) -> "HolderRef | Question | None":
        """Who it is in the estate; None for somebody new; a question where two could be meant."""
        holders = self.known.holders
        if who and who not in {"new", "nobody"} and ":" in who:
            kind, _, key = who.partition(":")
            return HolderRef.model_validate({"kind": kind, "id": key})
        if email and (ref := holders.by_email.get(email.lower())):
            return ref
        if who == "new" or (not name and not extension):
            return None
        named = holders.by_name.get(plain_name(name), []) if name else []
        if len(named) == 1 and not email:
            return named[0]
        if len(named) > 1:
            return Question(
                Ask.WHO,
                name,
                f"{len(named)} holders here are called {name}. Which one is meant?",
                (),
                self._choices(named),
            )
        if named:
            return Question(
                Ask.WHO,
                name,
                f"{turned(name)} is here with another mail address than {email}. Is it the same"
                " person?",
                (),
                self._choices(named),
            )
        if not name and extension:
            fitting = holders.by_extension.get(extension, [])
            return fitting[0] if len(fitting) == 1 else None
        near = (
            self._near_here(name)
            if name and not email and plain_name(name) not in self.mails
            else []
        )
        if near:
            return Question(
                Ask.WHO,
                name,
                f"Nobody here is called {name}, but somebody nearly so.",
                (),
                self._choices(near),
            )
        return None

    def _near_here(self, name: str) -> list[HolderRef]:
        found = process.extract(
            plain_name(name), self.here, scorer=fuzz.ratio, limit=3, score_cutoff=NEAR
        )
        return [ref for one, _score, _at in found for ref in self.known.holders.by_name[one]]

    def _choices(self, refs: Iterable[HolderRef]) -> tuple[tuple[str, str], ...]:
        holders = self.known.holders
        return tuple(
            (f"{ref.kind.value}:{ref.id}", f"{holders.names[ref]}, {holders.sites[ref]}")
            for ref in refs
        )[:MOST_CHOICES]

    # ── numbers ──

    def _numbers(self, rows: Sequence[Row], people: dict[tuple[int, int], Somebody]) -> None:
        by_number: dict[int, list[Row]] = defaultdict(list)
        for row in rows:
            found = read(row.said["number"].removeprefix("'"), self.known.home, self.known.also)
            if found.problem:
                question = Question(
                    Ask.NUMBER,
                    row.said["number"],
                    f"“{row.said['number'][:40]}”: {found.problem.sentence}",
                    (row.key,),
                )
                self.sheet.questions.append(question)
            else:
                by_number[int(found.candidates[0].e164)].append(row)
        for number, of in sorted(by_number.items()):
            if number in self.known.taken:
                self.sheet.here_already += [(row.key, number) for row in of]
            else:
                self._number(number, of, people)

    def _number(
        self, number: int, rows: list[Row], people: dict[tuple[int, int], Somebody]
    ) -> None:
        national = describe(f"+{number}").shown
        keys = tuple(row.key for row in rows)
        asked_before = len(self.sheet.questions) + sum(map(len, self.asked.values()))
        holders = once(people[row.key] for row in rows if row.key in people)
        states = {state for row in rows if (state := self._state(row))}
        sites = [site for row in rows if (site := self._site(row))]
        if len(holders) > 1 or len(states) > 1:
            names = (
                [h.name for h in holders] if len(holders) > 1 else sorted(s.value for s in states)
            )
            disagree = f"{national} is in {len(rows)} rows that disagree: {' and '.join(names)}."
            twice = Question(Ask.TWICE, national, f"{disagree} Leave the wrong one out.", keys)
            self.sheet.questions.append(twice)
            return
        who = holders[0] if holders else None
        speaks = any(
            row.said.get("holder") or row.said.get("email") or row.said.get("extension")
            for row in rows
        )
        if len(self.sheet.questions) + sum(map(len, self.asked.values())) > asked_before:
            return
        if speaks and who is None and all(row.said.get("who") != "nobody" for row in rows):
            return  # who it is has been asked already
        state = next(iter(states), State.ASSIGNED if who else State.AVAILABLE)
        if state is State.ASSIGNED and who is None:
            choices = (
                ("available", "it is available"),
                ("reserved", "it is reserved"),
                ("administrative", "it is set aside"),
            )
            self.sheet.questions.append(
                Question(
                    Ask.WHO,
                    national,
                    f"{national} is in use, but no file says by whom.",
                    keys,
                    choices,
                )
            )
            return
        if state is not State.ASSIGNED:
            who = who if state is State.RESERVED else None
        self._settle(number, rows, state, who, sites)

    def _settle(
        self, number: int, rows: list[Row], state: State, who: Somebody | None, sites: list[str]
    ) -> None:
        site = (sites[0] if sites else "") or (
            who.site
            if who and who.site
            else self.known.holders.sites.get(who.ref, "")
            if who and who.ref
            else ""
        )
        national = describe(f"+{number}").shown
        keys = [row.key for row in rows]
        if not site:
            self.sheet.questions.append(
                Question(
                    Ask.WHO,
                    national,
                    f"No file says at which site {national} is.",
                    tuple(keys),
                    self._site_choices(),
                )
            )
            return
        account = account_of(
            self.known,
            next((row.said["carrier"] for row in rows if row.said.get("carrier")), ""),
            site,
        )
        trunk = trunk_of(self.known, account.carrier, site) if account else None
        spot = next((s for row in rows if (s := self._spot(row, site))), None)
        path = next((p for row in rows if (p := self._path(row))), None)
        label = next((row.said["label"] for row in rows if row.said.get("label")), "")[:80]
        price = next((row.said["price"] for row in rows if row.said.get("price")), "")
        self.sheet.numbers.append(
            Found(
                number,
                state,
                site,
                account.id if account else "",
                trunk,
                who,
                label,
                spot,
                path,
                price,
                keys,
            )
        )
