"""What is said to a losing carrier while it has a port, and what becomes of the port by it:
answers, another day, a reminder, taking it back; and a port made two."""

from base64 import b64encode

from sedge.core.access.roles import May
from sedge.core.callpaths.openings import zone
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideRefused
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.pasted import numbers_in
from sedge.core.porting.dates import refused_day
from sedge.core.porting.life import PortEvent, allows
from sedge.core.porting.records import Port, PortState, Said
from sedge.core.porting.reducers import gone_through, stays_behind
from sedge.core.records import Account, Site, Subject
from sedge.services.context import Context
from sedge.services.porting import change_freezes
from sedge.services.porting.port_planning import last_no
from sedge.services.porting.ports import MOST_TEXT, day_of
from sedge.services.supply import documents


def answer_query(
    context: Context, key: str, text: str, *, filename: str = "", content: bytes = b""
) -> Port:
    """What we say to what the losing carrier asks, with a document where there is one, which stays
    on file. Raises NotUnderstood, OutsideSilent."""
    context.require(May.PORT)
    if not 2 <= len(text.strip()) <= MOST_TEXT * 5:
        raise NotUnderstood("Write an answer.", field="text")
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        gaining = reading.records.the(Account, port.account).carrier
    gone_through(port, PortEvent.ANSWER)
    document, attached = "", None
    if content:
        kept = documents.put_on_file(
            context,
            paper="letter about a port",
            filename=filename,
            content=content,
            title=f"Port {port.no}: {filename}",
        )
        document = kept.id
        attached = {
            "name": kept.filename,
            "media_type": kept.media_type,
            "content": b64encode(content).decode(),
        }
    said = Said(
        at=context.now(), by=context.actor, what="answered", text=text.strip(), document=document
    )
    told = context.outside.ports.answer(gaining, port.placed_as or "", text.strip(), attached)
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        return writing.save(
            [gone_through(port, PortEvent.ANSWER, said, answer_due=told.answer_due)]
        )[0].after


def move_date(context: Context, key: str, day: str) -> Port:
    """Another, later day. Raises NotUnderstood with the losing carrier's reason, OutsideSilent."""
    context.require(May.PORT)
    wanted = day_of(day)
    if wanted is None:
        raise NotUnderstood("Say which day.", field="wanted")
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        gaining = reading.records.the(Account, port.account).carrier
    if not allows(port.state, PortEvent.MOVE_DATE):
        raise NotAllowedNow(
            f"Port {port.no} is {port.state}; there is no date to move.", reason="port-life"
        )
    with context.reading() as reading:
        site, free = (
            reading.records.the(Site, port.site),
            change_freezes.blackouts(reading, port.site),
        )
    noon = port.foc.astimezone(zone(site.timezone)) if port.foc else context.now()
    if why := refused_day(
        port.country,
        port.subdivision,
        noon.replace(year=wanted.year, month=wanted.month, day=wanted.day),
        free,
        site.timezone,
    ):
        raise NotUnderstood(f"{why} Choose another day.", field="wanted")
    try:
        told = context.outside.ports.move_date(gaining, port.placed_as or "", wanted)
    except OutsideRefused as error:
        raise NotUnderstood(
            f"{port.losing} does not switch on that day: {error.facts.get('why', error.reason)}.",
            field="wanted",
        ) from error
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        said = Said(at=writing.now, by=context.actor, what="date asked", text=wanted.isoformat())
        return writing.save(
            [gone_through(port, PortEvent.MOVE_DATE, said, foc=told.foc, wanted=wanted)]
        )[0].after


def cancel(context: Context, key: str) -> Port:
    """Taken back, at the losing carrier too. Raises NotAllowedNow once it is switched,
    OutsideSilent."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        gaining = reading.records.the(Account, port.account).carrier
    gone_through(port, PortEvent.CANCEL)
    if port.placed_as:
        context.outside.ports.cancel(gaining, port.placed_as)
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        estate = writing.estate(LoadSpec(ports={key}))
        said = Said(at=writing.now, by=context.actor, what="cancelled")
        return writing.save(
            [
                gone_through(port, PortEvent.CANCEL, said),
                *stays_behind(port, estate, set(port.numbers)),
            ]
        )[0].after


def remind(context: Context, key: str) -> Port:
    """Tell a losing carrier that its time is over. Raises NotAllowedNow before that,
    OutsideSilent."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        gaining = reading.records.the(Account, port.account).carrier
    if (
        port.state is not PortState.SUBMITTED
        or not port.answer_due
        or port.answer_due > context.now()
    ):
        raise NotAllowedNow(
            f"{port.losing} is within its time; there is nothing to remind it of.", reason="in-time"
        )
    context.outside.ports.remind(gaining, port.placed_as or "")
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        said = Said(at=writing.now, by=context.actor, what="reminded")
        return writing.save(
            [changed(Subject.PORT, port, port.copy_with(said=(*port.said, said)), "port.reminded")]
        )[0].after


def split(context: Context, key: str, text: str) -> Port:
    """Numbers of a port into one of their own, with the same account and answers; both papers are
    to be signed anew. Gives the new one. Raises NotUnderstood, NotAllowedNow while the losing
    carrier has it or where nothing would be left.
    """
    context.require(May.PORT)
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        wanted = {f"+{n}" for n in numbers_in(text, port.country).numbers}
        apart = tuple(x for x in port.lines if x.e164 in wanted)
        if not apart:
            raise NotUnderstood(
                "Name numbers of this port, in any form, ranges with a dash.", field="apart"
            )
        if unknown := sorted(wanted - {x.e164 for x in port.lines}):
            raise NotUnderstood(f"{describe(unknown[0]).shown} is not in this port.", field="apart")
        stay = tuple(x for x in port.lines if x.e164 not in wanted)
        if not stay:
            raise NotAllowedNow(
                "That is all of them; nothing would be left of this port.",
                reason="all",
                field="apart",
            )
        others = tuple(x.e164 for x in apart)
        said = Said(
            at=writing.now,
            by=context.actor,
            what="split",
            text=f"{len(apart):,} of {len(port.lines):,} numbers into a port of their own",
        )
        kept = gone_through(
            port,
            PortEvent.CHANGE,
            said,
            lines=stay,
            left_behind=(*port.left_behind, *others),
            signed="",
        )
        theirs = tuple(words for words in port.settled if words.partition(":")[0] in wanted)
        new = port.copy_with(
            id=context.new_id("port"),
            no=last_no(writing) + 1,
            lines=apart,
            left_behind=(*port.left_behind, *(x.e164 for x in stay)),
            settled=theirs,
            state=PortState.DRAFT,
            signed="",
            said=(said,),
            placed_as=None,
            replaces=None,
            key="",
            version=0,
            submitted_at=None,
            answer_due=None,
            foc=None,
        )
        made = changed(Subject.PORT, None, new, "port.drafted")
        rest = kept.model_copy(
            update={
                "after": kept.after.copy_with(
                    settled=tuple(words for words in port.settled if words not in theirs)
                )
            }
        )
        return writing.save([rest, made])[1].after
