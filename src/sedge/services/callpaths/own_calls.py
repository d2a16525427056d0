"""Test calls that somebody placed with their own hands: for who has no telephone system connected,
or trusts a phone more. The proof says who called and what they heard."""

from sedge.core.access.roles import May
from sedge.core.callpaths.tracing.proof import fingerprint
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.records import Proof, Subject
from sedge.services.context import Context

LEAST_HEARD, MOST_HEARD = 3, 300


def note(
    context: Context, e164: str, direction: str, *, ok: bool, heard: str, key: str = ""
) -> Proof:
    """Keep what somebody heard as dated proof; the same `key` once more keeps nothing anew. Raises
    NotUnderstood naming the field, NotAllowedNow where nobody has the number."""
    context.require(May.PLACE_TEST_CALL)
    heard = heard.strip()
    if direction not in {"in", "out"}:
        raise NotUnderstood("A test call goes in or out.", field="direction")
    if not LEAST_HEARD <= len(heard) <= MOST_HEARD:
        raise NotUnderstood(
            f"Say in at most {MOST_HEARD} characters who answered, or what was heard.",
            field="heard",
        )
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
        known = reading.records.find(Proof, key) if key else None
    number = estate.number(e164)
    context.require_site(number.site)
    if number.holder is None:
        raise NotAllowedNow(
            f"{number.shown} is {number.state}; there is nobody to ring.", reason="no-holder"
        )
    if known:
        return known
    proof = Proof(
        id=key or context.new_id("proof"),
        e164=e164,
        direction=direction,
        at=context.now(),
        ok=ok,
        heard=f"{context.actor} called by hand: {heard}",
        by=context.actor,
        way=fingerprint(number, estate, direction),
    )
    with context.writing() as writing:
        writing.save([changed(Subject.PROOF, None, proof, "proof.made")])
    return proof
