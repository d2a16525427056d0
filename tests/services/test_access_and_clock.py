"""Who is signed in, and for how long; the simulated clock; answers kept under a key."""

import threading
from datetime import UTC, datetime, timedelta

import pytest

from sedge.core.access.roles import AccessRole, May, allowed
from sedge.core.errors import Forbidden, KeyReused, NotFound, NotSignedIn, NotUnderstood, TooMany
from sedge.demo.seed import MEMBERS, PASSWORD
from sedge.services import idempotency, simulation_clock
from sedge.services.access import access, throttle
from sedge.services.clock import Clock
from sedge.services.numbers import estate
from sedge.services.supply import holds, ordering, stock_search, supply
from sedge.store.repositories.access.sign_ins import Member
from tests.asserting import every

ROWAN = MEMBERS[0]


# ── signing in ──


def test_a_session_is_the_members_until_it_is_signed_out(installation):
    token = access.sign_in(installation, ROWAN.email.upper(), PASSWORD)
    assert access.whose(installation, token) == ROWAN
    access.sign_out(installation, token)
    assert access.whose(installation, token) is None


def test_a_session_ends_by_real_time_not_by_the_steered_clock(installation):
    token = access.sign_in(installation, ROWAN.email, PASSWORD)
    simulation_clock.advance(installation, timedelta(days=2))
    assert access.whose(installation, token) == ROWAN
    real = installation.clock.real()
    installation.clock.real = lambda: (
        real + timedelta(hours=installation.settings.session_hours, seconds=1)
    )
    assert access.whose(installation, token) is None


def test_only_the_hash_of_a_token_is_kept(installation):
    token = access.sign_in(installation, ROWAN.email, PASSWORD)
    with installation.shared.reading() as connection:
        dump = " ".join(str(row) for row in connection.exec_driver_sql("SELECT * FROM session"))
    assert token not in dump


def test_passwords_are_kept_as_argon2id(installation):
    with installation.shared.reading() as connection:
        hashes = [row[0] for row in connection.exec_driver_sql("SELECT password_hash FROM sign_in")]
    assert every(h.startswith("$argon2id$") for h in hashes)


def test_five_failures_lock_for_five_minutes(installation):
    for _ in range(throttle.HERE.most):
        with pytest.raises(NotSignedIn):
            access.sign_in(installation, ROWAN.email, "wrong")
    with pytest.raises(TooMany):
        access.sign_in(installation, ROWAN.email, PASSWORD)
    real = installation.clock.real()
    installation.clock.real = lambda: real + throttle.HERE.span + timedelta(seconds=1)
    assert access.sign_in(installation, ROWAN.email, PASSWORD)


def test_a_right_password_clears_earlier_failures(installation):
    for _ in range(3):
        for _ in range(throttle.HERE.most - 1):
            with pytest.raises(NotSignedIn):
                access.sign_in(installation, ROWAN.email, "wrong")
        assert access.sign_in(installation, ROWAN.email, PASSWORD)


def test_outside_the_demo_nobody_is_chosen_and_no_demo_token_counts(installation):
    installation.settings = installation.settings.model_copy(update={"demo": False})
    assert access.demo_people(installation) == []
    assert access.by_demo_token(installation, "demo", local=True) is None
    with pytest.raises(NotSignedIn):
        access.demo_sign_in(installation, "rowan")


@pytest.mark.parametrize(
    ("token", "loopback"), [("demo", False), ("Demo", True), ("", True), ("d", True)]
)
def test_the_demo_token_counts_on_loopback_and_whole_only(installation, token, loopback):
    assert access.by_demo_token(installation, token, local=loopback) is None
    assert access.by_demo_token(installation, "demo", local=True).role is AccessRole.ADMINISTRATOR


def test_a_desk_is_of_an_organisation_that_is_there(installation):
    with pytest.raises(NotFound):
        installation.context(
            Member("x", "X", "x@example.test", "somebody-else", AccessRole.ADMINISTRATOR)
        )


def test_two_organisations_see_nothing_of_each_other(installation):
    from sedge.services.holders import holders
    from sedge.services.numbers import numbers
    from sedge.store.repositories.access.sign_ins import Organisation

    installation.add_organisation(Organisation("somebody", "Somebody Else", "GB"))
    theirs = installation.context(
        Member("x", "X", "x@example.test", "somebody", AccessRole.ADMINISTRATOR)
    )
    assert holders.people(theirs)[0] == []
    assert estate.overview(theirs).total == 0
    assert numbers.find(theirs, "okafor").groups == []
    with pytest.raises(NotFound):
        numbers.card(theirs, "+441134960100")


@pytest.mark.parametrize("role", list(AccessRole))
def test_the_open_door_is_open_to_all_and_no_other_to_nobody(role):
    assert allowed(role, May.OPEN)
    assert allowed(None, May.OPEN)
    assert [may for may in May if may is not May.OPEN and allowed(None, may)] == []


def test_the_desk_refuses_what_the_door_would_have_refused(installation):
    finance = installation.context(next(m for m in MEMBERS if m.role is AccessRole.FINANCE))
    with pytest.raises(Forbidden) as raised:
        holds.hold(finance, "brackwater-main", ["+441134960330"])
    assert "As finance you may not order numbers" in raised.value.message


# ── the clock ──


def test_the_clock_only_goes_forward():
    clock = Clock(fixed=datetime(2026, 11, 24, tzinfo=UTC))
    clock.advance(timedelta(hours=2))
    assert clock.now() == datetime(2026, 11, 24, 2, tzinfo=UTC)
    with pytest.raises(ValueError, match="forward"):
        clock.advance(timedelta(seconds=-1))


def test_steering_moves_both_clocks_and_keeps_it(installation):
    before = installation.clock.now()
    after = simulation_clock.advance(installation, timedelta(hours=6))
    assert timedelta(hours=6) <= after - before < timedelta(hours=6, minutes=2)
    assert simulation_clock.stored_offset(installation) == installation.clock.offset
    theirs = datetime.fromisoformat(installation.outside.control.call("POST", "tick")["now"])
    assert abs(theirs - installation.clock.now()) < timedelta(seconds=20)


def test_a_clock_left_behind_by_a_death_catches_up(installation):
    """The stand-ins had moved and the process died before it wrote down that it had."""
    installation.outside.control.advance(timedelta(days=3).total_seconds())
    before = installation.clock.now()
    after = simulation_clock.advance(installation, timedelta(hours=1))
    assert timedelta(days=3, minutes=59) < after - before < timedelta(days=3, hours=2)
    assert abs(installation.outside.control.now() - after) < timedelta(seconds=20)


@pytest.mark.parametrize("span", [timedelta(seconds=-1), timedelta(days=401)])
def test_an_absurd_span_is_refused(installation, span):
    with pytest.raises(NotUnderstood) as raised:
        simulation_clock.advance(installation, span)
    assert raised.value.field == "advance"


# ── answers under a key ──


def test_the_same_question_gets_the_same_answer_and_is_acted_on_once(context):
    done = []

    def make(identity):
        done.append(identity)
        return 201, {"n": len(done)}

    assert (
        idempotency.once(context, "k", "d", make)
        == idempotency.once(context, "k", "d", make)
        == (201, {"n": 1})
    )
    assert done == [idempotency.identity("k", "d")]


def test_another_question_under_the_key_is_refused(context):
    idempotency.once(context, "k", "d", lambda _identity: (200, {}))
    with pytest.raises(KeyReused):
        idempotency.once(context, "k", "other", lambda _identity: (200, {}))


def test_an_error_is_not_kept_so_that_what_was_wrong_can_be_mended(context):
    def refuse(_identity):
        raise NotUnderstood("no")

    with pytest.raises(NotUnderstood):
        idempotency.once(context, "k", "d", refuse)
    assert idempotency.once(context, "k", "mended", lambda _identity: (200, "ok")) == (200, "ok")


def test_a_question_whose_process_died_is_asked_again_under_the_same_identity(context):
    class Died(BaseException):
        pass

    seen = []

    def dies(identity):
        seen.append(identity)
        raise Died

    with pytest.raises(Died):
        idempotency.once(context, "k", "d", dies)
    idempotency.once(context, "k", "d", lambda identity: (200, seen.append(identity)))
    assert seen[0] == seen[1]


def test_two_at_once_under_one_key_act_once(context):
    done, results = [], []
    together = threading.Barrier(4)

    def make(_identity):
        done.append(1)
        return 201, {"made": len(done)}

    def ask():
        together.wait()
        results.append(idempotency.once(context, "same", "d", make))

    asking = [threading.Thread(target=ask) for _ in range(4)]
    for one in asking:
        one.start()
    for one in asking:
        one.join()
    assert results == [(201, {"made": 1})] * 4


def test_an_order_asked_again_after_its_process_died_is_the_same_order(installation, context):
    from sedge.core.supply.offers import Wish

    numbers = [
        n.e164
        for n in (
            stock_search.one(context, Wish("GB", area="Leeds", quantity=2), "brackwater")
            .offers[0]
            .numbers
        )
    ]

    def order(identity):
        return ordering.order(
            context,
            reference="R",
            account="brackwater-main",
            site="wharf-house",
            numbers=numbers,
            identity=identity,
        )

    first, work_order = order("abc")
    second, again = order("abc")
    assert (first, work_order.id) == (second, again.id)
    assert len([o for o in supply.orders(context) if o.order.reference == "R"]) <= 1


# ── features at ordering ──


def test_features_are_priced_into_the_lines_and_told_to_the_carrier(installation, context):
    from sedge.core.records import Order
    from sedge.core.supply.offers import Wish
    from tests.conftest import until_quiet

    numbers = [
        n.e164
        for n in (
            stock_search.one(context, Wish("GB", area="Leeds", quantity=2), "brackwater")
            .offers[0]
            .numbers
        )
    ]
    key, _ = ordering.order(
        context,
        reference="T",
        account="brackwater-main",
        site="wharf-house",
        numbers=numbers,
        features=("texts",),
    )
    until_quiet(installation)
    with context.reading() as reading:
        record = reading.records.the(Order, key)
    assert {str(line.monthly.amount) for line in record.lines} == {"1.05"}
    assert record.features == ("texts",)


def test_a_feature_the_carrier_does_not_offer_is_refused_before_anything_is_bought(context):
    from sedge.core.supply.offers import Wish

    numbers = [
        n.e164
        for n in (
            stock_search.one(context, Wish("GB", area="Leeds", quantity=1), "brackwater")
            .offers[0]
            .numbers
        )
    ]
    with pytest.raises(NotUnderstood) as raised:
        ordering.order(
            context,
            reference="F",
            account="brackwater-main",
            site="wharf-house",
            numbers=numbers,
            features=("CNAM",),
        )
    assert raised.value.field == "features"
    assert "emergency registration, texts" in raised.value.message
