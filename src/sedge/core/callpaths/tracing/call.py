"""One call on its way through call paths: what each step decides and why, until it ends.

Hours are judged as the call came in. A step that is come to for the twenty-fifth time ends the
call: nobody listens that long.
"""

from collections.abc import Iterable, Sequence

from sedge.core.callpaths.answering import (
    Ringing,
    agents_of,
    is_for_anybody,
    people_of,
    ringing_of,
    rung_by,
)
from sedge.core.callpaths.openings import opening_at, zone
from sedge.core.callpaths.rota import on_duty
from sedge.core.callpaths.steps import (
    Announce,
    Connecting,
    Forward,
    Hours,
    Mailbox,
    Menu,
    OtherPath,
    Path,
    Queue,
    Ring,
    Rota,
    Shown,
    SipAddress,
    Step,
    exits_of,
)
from sedge.core.callpaths.tracing.world import (
    ANSWERS_AFTER,
    Asked,
    Ending,
    EndingKind,
    Happening,
    Option,
    Trace,
)
from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.outbound.forwarding import Forwarding, in_words_exact, judge_forward
from sedge.core.records import RECORD_TYPES, Downstream, Number, PathVersion, Person

MOST_VISITS = 25
HANDLING_SECONDS = (
    60  # how long a caller who waits before one keeps an agent, where nothing else is known
)
CALLBACK = "asks to be called back"


def seconds_to_say(text: str) -> int:
    """How long it takes to say a text: two words a second, three seconds at least."""
    return max(3, len(text.split()) // 2)


def seconds_announced(step: Announce) -> int:
    return max(2, sum(len(text.split()) // 2 for text in (step.text, *(s.text for s in step.also))))


def key_in(path: str, step: str) -> str:
    """What a step is called in a story; steps of another path carry its id."""
    return f"{path}:{step}" if path else step


class Call:
    """The state of one followed call."""

    def __init__(self, asked: Asked, estate: Estate, draft: dict[str, Path] | None = None) -> None:
        """`draft` holds call paths that are to be followed instead of those published under their
        ids."""
        self.asked, self.estate, self.draft = asked, estate, draft or {}
        self.world, self.at, self.called = asked.world, asked.at, asked.called
        self.seconds = 0
        self.presses = [*self.world.presses, *self.world.says]
        self.choices = list(self.world.choices) if self.world.choices is not None else None
        self.story: list[Happening] = []
        self.rang: list[str] = []
        self.way: list[tuple[str, str]] = []
        self.asked_to_choose = False
        self.options: list[Option] = []
        self.paths: dict[str, Path] = {}
        self.inside = ""  # the other path the call is in
        self.here = ""

    # ── the walk ──

    def follow(self, path: Path) -> Trace:
        visits: dict[str, int] = {}
        current, key = path, path.first
        while True:
            step = current.steps[key]
            self.here = key_in(self.inside, key)
            visits[self.here] = visits.get(self.here, 0) + 1
            if visits[self.here] >= MOST_VISITS:
                return self._end(EndingKind.ENDED, "the path goes round in a circle")
            if isinstance(step, OtherPath):
                other = self._other(step)
                if other is None:
                    return self._end(
                        EndingKind.ENDED, "the other path is not there; the caller is hung up on"
                    )
                self.way.append((self.here, "goes on"))
                self.inside, current, key = step.path, other, other.first
                continue
            result = self._take(key, step)
            if isinstance(result, Ending):
                return self._told(result)
            self.way.append((self.here, result))
            following = step.exits.get(result)
            if following is None and isinstance(step, Announce):
                return self._end(EndingKind.ANNOUNCED, "the announcement is over")
            if following is None:
                return self._end(EndingKind.ENDED, f"{result}, and no way on is drawn for it")
            key = following

    def hand_over(self, system: Downstream) -> Trace:
        """Downstream systems get their numbers whole: what rings there is theirs to say."""
        self.here = "downstream"
        self.say(
            system.name,
            f"gets the call at {system.host}, port {system.port}; what rings is set up there.",
            "handed over",
        )
        return self._end(EndingKind.FORWARDED, f"handed over to {system.name}")

    def _other(self, step: OtherPath) -> Path | None:
        published = self.estate.get(PathVersion, step.path)
        found = self.draft.get(step.path) or (
            Path.model_validate(published.body) if published else None
        )
        name = published.name if published else step.path
        if found is None:
            self.say(step.title, f"goes on in “{name}”, which is not there.", wrong=True)
            return None
        self.say(step.title, f"goes on in “{name}”.", "goes on")
        self.paths[step.path] = found
        return found

    def _end(self, kind: EndingKind, reason: str) -> Trace:
        return self._told(Ending(kind, reason, step=self.here))

    def _told(self, ending: Ending) -> Trace:
        return Trace(
            self.story, ending, self.rang, self.way, self.asked_to_choose, self.options, self.paths
        )

    def say(
        self,
        title: str,
        text: str,
        way_out: str = "",
        *,
        wrong: bool = False,
        sees: str = "",
        plays: str = "",
        rate: object = None,
    ) -> None:
        self.story.append(
            Happening(
                self.seconds,
                self.here,
                title,
                text,
                way_out,
                wrong,
                sees,
                plays,
                rate,  # type: ignore[arg-type]
            )
        )

    def choose(self, options: Sequence[Option]) -> str | Ending | None:
        """The choice made beforehand for this step, or None where the world decides; an open ending
        where it is still to be made."""
        if self.choices is None:
            return None
        if not self.choices:
            self.options = list(options)
            return Ending(EndingKind.OPEN, "waits for what happens next", step=self.here)
        wanted = self.choices.pop(0)
        return wanted if any(o.choice == wanted for o in options) else options[0].choice

    # ── steps; each gives the exit taken, or the ending ──

    def _take(self, key: str, step: Step) -> str | Ending:
        match step:
            case Hours():
                way_out, why = opening_at(step, self.at)
                self.say(step.title, f"{way_out}. {why}", way_out)
                return way_out
            case Menu():
                return self._menu(step)
            case Ring():
                return self._ring(key, step)
            case Queue():
                return self._queue(key, step)
            case Announce():
                self.say(step.title, f"says “{step.text}”", "done", plays=step.sound)
                self.seconds += seconds_announced(step)
                return "done"
            case Mailbox():
                return self._mailbox(step)
            case Forward():
                return self._forward(step)
            case SipAddress():
                return self._sip(step)
            case _:
                self.say(step.title, "the call ends here.")
                return Ending(EndingKind.ENDED, "the path ends here", step=self.here)

    # ── menus ──

    def _menu(self, step: Menu) -> str | Ending:
        self.asked_to_choose = True
        speaks = seconds_to_say(" ".join((step.greeting, *(s.text for s in step.also))))
        chosen = self.choose(
            [Option(k, f"presses {k}, {word}") for k, word in step.keys.items()] + _unheard(step)
        )
        if isinstance(chosen, Ending):
            self.say(step.title, f"speaks for {speaks} s.", plays=step.sound)
            return chosen
        if chosen is not None:
            return self._chosen_in(step, speaks, chosen)
        if self.presses:
            return self._pressed(step, speaks, self.presses.pop(0))
        return self._nothing_pressed(step, speaks)

    def _chosen_in(self, step: Menu, speaks: int, chosen: str) -> str:
        if chosen == "no input":
            return self._nothing_pressed(step, speaks)
        words = f", {step.keys[chosen]}" if chosen in step.keys else ""
        self.say(
            step.title,
            f"speaks for {speaks} s; the caller chooses {chosen}{words}.",
            chosen,
            plays=step.sound,
        )
        self.seconds += speaks
        return chosen

    def _nothing_pressed(self, step: Menu, speaks: int) -> str:
        for _ in range(step.repeats):
            self.say(
                step.title,
                f"speaks for {speaks} s and waits {step.wait_seconds} s; nothing is pressed.",
                "no input",
                plays=step.sound,
            )
            self.seconds += speaks + step.wait_seconds
        return "no input"

    def _pressed(self, step: Menu, speaks: int, pressed: str) -> str | Ending:
        spoken = (
            next((k for k, word in step.keys.items() if word.lower() == pressed.lower()), None)
            if step.spoken
            else None
        )
        chosen = pressed if pressed in step.keys else spoken
        if chosen is None and step.extensions and pressed.isdigit() and len(pressed) > 1:
            return self._dialled(step, speaks, pressed)
        words = f", {step.keys[chosen]}" if chosen else ""
        way_out = chosen or "wrong input"
        self.say(
            step.title,
            f"speaks for {speaks} s; the caller chooses {pressed}{words}.",
            way_out,
            plays=step.sound,
        )
        self.seconds += speaks
        return way_out

    def _dialled(self, step: Menu, speaks: int, extension: str) -> str | Ending:
        person = next(
            (
                p
                for p in self.estate.all(Person)
                if p.extension == extension and p.site == self.called.site and not p.left
            ),
            None,
        )
        if person is None:
            self.say(
                step.title,
                f"the caller dials extension {extension}, which nobody has.",
                "wrong input",
                plays=step.sound,
            )
            self.seconds += speaks
            return "wrong input"
        self.say(step.title, f"the caller dials extension {extension}.", plays=step.sound)
        self.seconds += speaks
        result = self._try(
            step.title,
            [ringing_of(person, self.at, self.estate)],
            25,
            one_by_one=False,
            sees=self._sees(Shown.CALLER),
        )
        return result if isinstance(result, Ending) else "no answer"

    # ── ringing ──

    def _ring(self, key: str, step: Ring) -> str | Ending:
        rung = rung_by(self.called, step, self.at, self.estate)
        if not rung:
            self.say(
                step.title,
                "there is nobody to ring: the holder is not a person and nobody is named.",
                "nobody reachable",
                wrong=True,
            )
            return "nobody reachable"
        if step.order == "in turn" and rung:
            first = self.world.turns.get(key, 0) % len(rung)
            rung = rung[first:] + rung[:first]
        if step.order == "by rota" and step.rota:
            rung = self._on_duty_first(step, step.rota, rung)
        result = self._try(
            step.title,
            rung,
            step.seconds,
            one_by_one=step.order != "all",
            sees=self._sees(step.shown),
        )
        return self._connected(step, result)

    def _on_duty_first(self, step: Ring, rota: Rota, rung: list[Ringing]) -> list[Ringing]:
        duty = on_duty(rota, [r.key for r in rung], self.at)
        until = f"{duty.until.astimezone(zone(rota.timezone)):%A %-d %B %H:%M}"
        self.say(
            step.title,
            f"{rung[duty.who].name} is on duty until {until}{', swapped' if duty.swapped else ''}.",
        )
        return rung[duty.who :] + rung[: duty.who]

    def _queue(self, key: str, step: Queue) -> str | Ending:
        agents = agents_of(self.called, step, self.at, self.estate)
        signed_in = [a for a in agents if a.phones]
        options = self._queue_options(step, signed_in)
        chosen = self.choose(options) if len(options) > 1 else None
        if isinstance(chosen, Ending):
            return chosen
        waiting = (
            self.world.queue.get(key, 0)
            if chosen is None
            else step.most_waiting
            if chosen == "full"
            else 0
        )
        if waiting >= step.most_waiting > 0:
            self.say(
                step.title,
                f"{waiting} are waiting and no more than {step.most_waiting} may: full.",
                "full",
            )
            return "full"
        if not signed_in:
            self.say(
                step.title,
                "nobody is signed in: none of the queue's people can be rung.",
                "nobody signed in",
                wrong=True,
            )
            return "nobody signed in"
        if chosen == CALLBACK or (chosen is None and self.world.asks_callback and step.callback):
            self.say(
                step.title,
                "the caller presses 1 and is called back when an agent is free.",
                CALLBACK,
            )
            return Ending(EndingKind.ENDED, "the caller is called back", step=self.here)
        ahead = waiting * HANDLING_SECONDS // len(signed_in)
        place = f"{waiting} are waiting, so place {waiting + 1}. " if waiting else ""
        result: str | Ending = "no answer"
        if ahead <= step.longest_wait:
            self.seconds += ahead
            order = (
                agents
                if step.order != "longest idle"
                else sorted(agents, key=lambda a: self.world.busy.count(a.key))
            )
            result = self._try(
                step.title,
                order,
                step.ring_seconds,
                one_by_one=step.order != "all",
                first_words=place,
                sees=self._sees(step.shown),
                chosen=chosen,
            )
        if isinstance(result, Ending):
            return self._connected(step, result)
        self.seconds = max(self.seconds, step.longest_wait)
        self.say(
            step.title,
            f"waited {step.longest_wait // 60}:{step.longest_wait % 60:02d}, too long.",
            "waited too long",
        )
        return "waited too long"

    @staticmethod
    def _queue_options(step: Queue, signed_in: list[Ringing]) -> list[Option]:
        full = (
            [Option("full", f"{step.most_waiting} are waiting already")]
            if step.most_waiting
            else []
        )
        if not signed_in:
            return [Option("nobody signed in", "nobody is signed in"), *full]
        options = [Option(f"answers:{a.key}", f"{a.name} answers") for a in signed_in]
        options += [Option("waited too long", "nobody answers in time"), *full]
        if step.callback:
            options.append(Option(CALLBACK, "presses 1 to be called back"))
        return options

    def _connected(self, step: Connecting, result: str | Ending) -> str | Ending:
        """What is heard between the answer and the talk: words to the callee, and that the call is
        recorded."""
        if not isinstance(result, Ending) or result.kind not in {
            EndingKind.ANSWERED,
            EndingKind.FORWARDED,
        }:
            return result
        if step.to_callee:
            self.say(step.title, f"the callee first hears “{step.to_callee}”")
            self.seconds += seconds_to_say(step.to_callee)
        if step.recording:
            self.say(
                step.title,
                f"both hear “{step.recording.announcement}”; the recording is kept for"
                f" {step.recording.keep_days} days.",
            )
            self.seconds += seconds_to_say(step.recording.announcement)
        return result

    def _try(
        self,
        title: str,
        rung: list[Ringing],
        seconds: int,
        *,
        one_by_one: bool,
        sees: str,
        first_words: str = "",
        chosen: str | None = None,
    ) -> str | Ending:
        """Ring them all at once, or one after the other; the first who answers ends the story."""
        for silent in _by_reason(rung):
            self.say(title, silent, wrong=True)
        reachable = [r for r in rung if r.phones]
        if not reachable:
            return "nobody reachable"
        if chosen is None:
            picked = self.choose(
                [Option(f"answers:{r.key}", f"{r.name} answers") for r in reachable]
                + [Option("no answer", "nobody answers"), Option("busy", "busy")]
            )
            if isinstance(picked, Ending):
                self.say(title, f"rings {', '.join(r.told for r in reachable)}.", sees=sees)
                return picked
            chosen = picked
        if chosen == "busy" or (
            chosen is None and all(r.key in self.world.busy for r in reachable)
        ):
            self.say(title, f"{', '.join(r.name for r in reachable)}: busy.", "busy")
            return "busy"
        for group in [[r] for r in reachable] if one_by_one else [reachable]:
            if ending := self._ring_together(title, group, seconds, first_words, sees, chosen):
                return ending
        return "no answer"

    def _ring_together(
        self,
        title: str,
        group: list[Ringing],
        seconds: int,
        first_words: str,
        sees: str,
        chosen: str | None,
    ) -> Ending | None:
        names = ", ".join(r.told for r in group)
        ready = [
            (after, r, name)
            for r in group
            for after, name in [self._picks_up(r, chosen)]
            if after is not None and after <= seconds
        ]
        rings_for = min((after for after, _, _ in ready), default=seconds)
        self.rang += [phone for r in group for phone in r.rung_within(rings_for)]
        if ready:
            after, who, name = min(ready, key=lambda found: found[0])
            words = f"{name} picks up for {who.name}" if name != who.name else f"{name} answers"
            self.say(
                title,
                f"{first_words}rings {names}; {words} after {after} s.",
                "answered",
                sees=sees,
            )
            self.seconds += after
            kind = EndingKind.ANSWERED
            return Ending(kind, words, name, self.here)
        self.say(
            title,
            f"{first_words}rings {names} for {seconds} s; nobody picks up.",
            "no answer",
            sees=sees,
        )
        self.seconds += seconds
        return None

    def _picks_up(self, ringing: Ringing, chosen: str | None) -> tuple[int | None, str]:
        """After how many seconds somebody answers, and who: they themselves, or a colleague who
        may."""
        if chosen is not None:
            return (ANSWERS_AFTER if chosen == f"answers:{ringing.key}" else None), ringing.name
        colleagues = [
            (after, name)
            for key, name in ringing.pickup
            if key not in self.world.busy
            and (after := self.world.answers.get(key)) is not None
            and not self.world.nobody_answers
        ]
        own = None
        if ringing.key not in self.world.busy and not self.world.nobody_answers:
            own = self.world.answers.get(ringing.key, ANSWERS_AFTER)
        first = min(colleagues, default=None)
        if first and (own is None or first[0] < own):
            return first
        return own, ringing.name

    # ── other ways out ──

    def _mailbox(self, step: Mailbox) -> Ending:
        people = people_of(self.called, step.recipients, step.groups, self.estate)
        holder = "the holder" if is_for_anybody(self.called, step.recipients, step.groups) else ""
        names = ", ".join(p.name for p in people[:3]) or holder or "nobody"
        more = f" and {len(people) - 3} more" if len(people) > 3 else ""
        greeting = f"says “{step.greeting}” and " if step.greeting else ""
        self.say(
            step.title,
            f"{greeting}takes a message; mail to {names}{more}.",
            wrong=names == "nobody",
            plays=step.sound,
        )
        return Ending(EndingKind.MAILBOX, f"message for {names}{more}", names + more, self.here)

    def _forward(self, step: Forward) -> str | Ending:
        judged = self._may_forward(step)
        if not judged.allowed:
            self.say(
                step.title, f"is not put through: {judged.reason}.", "not put through", wrong=True
            )
            return "not put through"
        national = describe(step.to).shown
        result = self._outside(
            step.title,
            step.to,
            national,
            step.seconds,
            f"over {judged.trunk}" if judged.trunk else "",
            self._sees(step.shown),
            judged,
        )
        if isinstance(result, Ending):
            self.rang.append(national)
        return self._connected(step, result)

    def _may_forward(self, step: Forward) -> Forwarding:
        number = self.estate.get(Number, self.called.e164)
        return judge_forward(
            step.to,
            number,
            self.called.holder,
            self.called.site,
            self.estate,
            self.world.trunks_down,
        )

    def _sip(self, step: SipAddress) -> str | Ending:
        address = step.address or "an address that is not given"
        if not step.address or step.address in self.world.unreachable:
            self.say(step.title, f"{address} does not answer at all.", "not reached", wrong=True)
            return "not reached"
        return self._outside(
            step.title, step.address, address, step.seconds, "", self._sees(step.shown)
        )

    def _outside(
        self,
        title: str,
        key: str,
        name: str,
        seconds: int,
        over: str,
        sees: str,
        judged: Forwarding | None = None,
    ) -> str | Ending:
        """A call that leaves the house: answered there, not answered, or busy."""
        options = [
            Option("answered", f"{name} answers"),
            Option("no answer", "nobody answers"),
            Option("busy", "busy"),
        ]
        chosen = self.choose(
            [*options, *([] if judged else [Option("not reached", "does not answer at all")])]
        )
        rate = judged.rate if judged else None
        money = f", {in_words_exact(rate)} a minute" if rate else ""
        words = f"{' '.join(x for x in ('rings', name, over) if x)}{money}"
        if isinstance(chosen, Ending):
            self.say(title, f"{words}.", sees=sees, rate=rate)
            return chosen
        if chosen == "not reached":
            self.say(title, f"{name} does not answer at all.", "not reached", wrong=True)
            return "not reached"
        if chosen == "busy" or (chosen is None and key in self.world.busy):
            self.say(title, f"{name}: busy.", "busy")
            return "busy"
        after = ANSWERS_AFTER if chosen == "answered" else None
        if chosen is None and not self.world.nobody_answers:
            after = self.world.answers.get(key, ANSWERS_AFTER)
        if after is None or after > seconds:
            self.say(title, f"{words} for {seconds} s; nobody answers.", "no answer", sees=sees)
            self.seconds += seconds
            return "no answer"
        self.say(title, f"{words}; answered after {after} s.", "answered", sees=sees, rate=rate)
        self.seconds += after
        return Ending(EndingKind.FORWARDED, f"{name} answers", name, self.here)

    def _sees(self, shown: Shown) -> str:
        """What the callee reads."""
        caller = self.asked.caller or "the caller"
        holder = self.called.holder
        record = self.estate.get(RECORD_TYPES[holder.subject], holder.id) if holder else None
        line = self.called.label or getattr(record, "name", "") or self.called.name
        return {
            Shown.CALLER: caller,
            Shown.CALLED: self.called.name,
            Shown.LINE: f"{line}: {caller}",
            Shown.WITHHELD: "nothing, it is withheld",
        }[shown]


def _unheard(step: Menu) -> list[Option]:
    names = {
        "no input": "presses nothing",
        "wrong input": "presses another key",
        "no answer": "dials an extension that nobody answers",
    }
    return [Option(way_out, names[way_out]) for way_out in exits_of(step) if way_out in names]


def _by_reason(rung: Iterable[Ringing]) -> list[str]:
    """Who is skipped, one sentence for each reason."""
    by_reason: dict[str, list[str]] = {}
    for r in rung:
        if not r.phones:
            by_reason.setdefault(r.why_not, []).append(r.name)
    return [
        f"{', '.join(names)} {'is' if len(names) == 1 else 'are'} skipped: {reason}."
        for reason, names in by_reason.items()
    ]
