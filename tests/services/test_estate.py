"""The estate at the desk: many at once, any past day, figures, views, files, take-overs, other
systems' ids."""

import io
import json
from datetime import timedelta

import openpyxl
import pytest

from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.imports.takeover_records import Ask
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Number, Person, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services import simulation_clock
from sedge.services.apply_now import apply_at_once
from sedge.services.imports import number_files, take_over
from sedge.services.numbers import (
    bulk_actions,
    capacity_forecast,
    columns,
    estate,
    external_ids,
    number_export,
    numbers,
    saved_views,
)
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, runner
from sedge.store.repositories.number_files import FileState
from sedge.store.repositories.numbers import Filter
from sedge.store.schema import tables
from tests.conftest import until_quiet

HEADER = "Telephone;Status;Location;Used by;Provider;Purpose;Price\n"
ROWS = (
    HEADER + "0113 496 0400;free;Wharf House;;Fellgate Voice;;0,80\n0113 496 0401;in use;Wharf"
    " House;Ifeoma Okafor;Fellgate Voice;second desk;0,80\n0113 496 0402;reserved;WHF;;Fellgate"
    " Voice;=1+1;0,80\n0113 496 0402;free;Wharf House;;Fellgate Voice;;0,80\n0113 496"
    " 0142;free;Wharf House;;Fellgate Voice;;0,80\n0113 496 99;free;Wharf House;;Fellgate"
    " Voice;;0,80\n+33 1 99 00 12 34;free;;;Fellgate Voice;;0,80\n0113 496 0403;in use;Wharf"
    " House;Nobody Known;Fellgate Voice;;0,80\n"
)


@pytest.fixture
def context(installation):
    return installation.context(MEMBERS[0])


def receive(context, text=ROWS, name="numbers.csv"):
    return number_files.receive(
        context, name, io.BytesIO(text.encode() if isinstance(text, str) else text)
    )


def the(context, e164):
    with context.reading() as reading:
        return reading.records.find(Number, e164)


# ── many at once ──


def chosen(context, *written):
    return bulk_actions.view_choice(
        context, bulk_actions.keep_choice(context, NumberSet.parse(",".join(written)))
    )


def test_a_pasted_list_becomes_a_selection_that_knows_what_is_not_ours(context):
    found = bulk_actions.pasted(context, "0113 496 0160\n0113 496 0161, 0113 496 0999 (old)")
    choice = bulk_actions.view_choice(context, bulk_actions.keep_choice(context, found.numbers))
    assert (choice.here.written, choice.unknown.written) == ("441134960160-61", "441134960999")
    assert choice.how_many("assign") == 2
    with pytest.raises(NotUnderstood):
        bulk_actions.pasted(context, "nothing in here, on 2026-11-25")


def test_a_long_selection_is_kept_under_a_name(context):
    scattered = NumberSet.of(range(441134960000, 441134961000, 2))
    name = bulk_actions.keep_choice(context, scattered)
    assert name.startswith("kept-")
    assert bulk_actions.named(context, name) == scattered
    assert bulk_actions.keep_choice(context, scattered) == name
    with pytest.raises(NotFound):
        bulk_actions.named(context, "kept-nothing")


def test_a_run_is_reserved_by_one_work_order_and_lapses_by_itself(context, installation):
    until = (context.now() + timedelta(days=3)).date().isoformat()
    tasks, title = bulk_actions.plan(
        context,
        "reserve",
        chosen(context, "441134960160-169"),
        {"for": "school holidays", "until": until},
    )
    order = order_running.run_now(context, title, tasks)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert {the(context, f"+44113496016{n}").state for n in range(10)} == {State.RESERVED}
    simulation_clock.advance(installation, timedelta(days=4))
    assert {the(context, f"+44113496016{n}").state for n in range(10)} == {State.AVAILABLE}


@pytest.mark.parametrize(
    ("act", "form", "state"),
    [
        ("set-aside", {"for": "test line"}, State.ADMINISTRATIVE),
        ("label", {"label": "shop", "add_tags": "Shop, till"}, State.AVAILABLE),
    ],
)
def test_a_run_is_set_aside_or_labelled_and_put_back_by_undo(
    context, installation, act, form, state
):
    tasks, title = bulk_actions.plan(context, act, chosen(context, "441134960160-164"), form)
    order = order_running.run_now(context, title, tasks)
    until_quiet(installation)
    number = the(context, "+441134960162")
    assert number.state is state
    if act == "label":
        assert (number.label, number.tags) == ("shop", ("shop", "till"))
        assert [r.number.e164 for r in estate.list_numbers(context, Filter(tag="till")).rows] == [
            f"+44113496016{n}" for n in range(5)
        ]
    order_running.undo(context, order.id)
    until_quiet(installation)
    assert (
        the(context, "+441134960162").state,
        the(context, "+441134960162").label,
        the(context, "+441134960162").tags,
    ) == (
        State.AVAILABLE,
        "",
        (),
    )


def test_numbers_are_given_one_each_to_people_named_in_any_way(context):
    form = {"people": "ifeoma.okafor@lanternfield.example\n101\nAmara Kowalczyk\n"}
    tasks, _title = bulk_actions.plan(context, "assign", chosen(context, "441134960160-165"), form)
    assert [t.number for t in tasks] == ["+441134960160", "+441134960161", "+441134960162"]
    assert tasks[0].holder.id == "person-ifeoma-okafor"
    with pytest.raises(NotUnderstood, match="Nobody is called"):
        bulk_actions.plan(
            context, "assign", chosen(context, "441134960160"), {"people": "Nobody Atall"}
        )
    with pytest.raises(NotUnderstood, match="2 people are named"):
        bulk_actions.plan(
            context, "assign", chosen(context, "441134960160"), {"people": "101\n102"}
        )


def test_only_those_whose_state_allows_it_are_changed_when_so_asked(context):
    tasks, _ = bulk_actions.plan(
        context, "reserve", chosen(context, "441134960140-169"), {"only_fitting": "1"}
    )
    assert {the(context, t.number).state for t in tasks} == {State.AVAILABLE}
    with pytest.raises(NotUnderstood, match="Say why"):
        bulk_actions.plan(context, "end-rest", chosen(context, "441134960128"), {"asks": "reason"})
    with pytest.raises(NotFound):
        bulk_actions.plan(context, "explode", chosen(context, "441134960160"), {})


# ── any past day ──


def test_card_map_and_list_agree_on_any_past_day(context):
    for days in (30, 200, 400):
        at = context.now() - timedelta(days=days)
        rows = estate.list_numbers(context, Filter(), limit=1000, at=at).rows
        blocks, following = estate.blocks(context, Filter(), at=at)
        cells = {c.number: (c.state, c.holder_name) for b in blocks for c in b.cells}
        assert following == ""
        assert {int(r.number.e164): (r.number.state, r.holder_name) for r in rows} == cells
        assert sum(
            estate.list_numbers(context, Filter(), at=at).counts.values["state"].values()
        ) == len(rows)
        for row in rows[::40]:
            card = numbers.card(context, row.number.e164, at)
            assert (card.number.state, card.holder_name) == (row.number.state, row.holder_name)


def test_differences_are_what_the_ledger_has_between_two_days(installation, context):
    until_quiet(installation, timedelta(minutes=1))  # past what is lived at the last moment
    one, other = context.now() - timedelta(days=60), context.now()
    found = estate.differences(context, one, other)
    assert found.rows
    for row in found.rows:
        before, after = (
            numbers.card(context, f"+{row.number}", at) if was else None
            for at, was in ((one, row.before), (other, row.after))
        )
        assert (before.number.state if before else None) == (
            row.before.state if row.before else None
        )
        assert (after.number.state if after else None) == (row.after.state if row.after else None)
    assert estate.differences(context, other - timedelta(seconds=1), other).rows == []


# ── figures, views, Today ──


def test_figures_follow_from_their_months_and_counts(context):
    for figure in capacity_forecast.of_site(context, "wharf-house"):
        assert sum(m.net for m in figure.months) / 6 == pytest.approx(
            figure.exhaustion.monthly_demand
        )
        assert figure.total == sum(figure.by_state.values())
        assert figure.advice.available == figure.by_state[State.AVAILABLE]
    assert [f.site.id for f in capacity_forecast.growing(context)]
    with pytest.raises(NotFound):
        capacity_forecast.of_site(context, "moon")


def test_numbers_taken_over_are_no_demand(context, installation):
    before = {
        f.capacity: f.exhaustion.monthly_demand
        for f in capacity_forecast.of_site(context, "wharf-house")
    }
    rows = "".join(
        f"0113 496 04{n:02d};in use;Wharf House;Ifeoma Okafor;Fellgate Voice;;0,80\n"
        for n in range(40)
    )
    file = receive(context, HEADER + rows)
    number_files.begin(context, file.id)
    until_quiet(installation)
    assert number_files.get(context, file.id).done.new == 40
    assert {
        f.capacity: f.exhaustion.monthly_demand
        for f in capacity_forecast.of_site(context, "wharf-house")
    } == before


def test_a_view_is_kept_for_everybody_and_its_name_is_its_owners(context, installation):
    kept = saved_views.save(context, "Shop", "view=list&tag=shop")
    assert saved_views.save(context, "Shop", "view=list&tag=till").id != kept.id
    assert [(v.name, v.query) for v in saved_views.list_views(context)] == [
        ("Shop", "view=list&tag=till")
    ]
    with pytest.raises(NotAllowedNow):
        saved_views.save(installation.context(MEMBERS[1]), "Shop", "view=list")
    with pytest.raises(NotUnderstood):
        saved_views.save(context, " ", "view=list")
    saved_views.forget(context, saved_views.list_views(context)[0].id)
    with pytest.raises(NotFound):
        saved_views.forget(context, kept.id)


def test_today_names_what_is_wrong_with_numbers_and_where_to_mend_it(context):
    with context.writing() as writing:
        from sedge.core.changes import changed
        from sedge.core.records import Subject

        person = writing.records.the(Person, "person-ifeoma-okafor")
        number = writing.records.the(Number, "+441134960160")
        ends = context.now() + timedelta(days=2)
        writing.save(
            [
                changed(Subject.PERSON, person, person.copy_with(left=True), "person.changed"),
                changed(
                    Subject.NUMBER,
                    number,
                    number.copy_with(
                        state=State.RESERVED, state_until=ends, state_reason="the fair"
                    ),
                    "number.reserved",
                ),
            ]
        )
    lines = {line.what.split(" ", 1)[1]: line for line in today.todo(context)}
    assert "act=unassign" in next(
        line.href for what, line in lines.items() if "who have left" in what
    )
    assert "the fair" in next(line.why for what, line in lines.items() if "about to lapse" in what)


# ── files ──


def test_a_file_is_looked_through_before_anything_changes(context):
    file = receive(context)
    assert (file.report.new, file.report.bad, file.report.differs) == (3, 4, 1)
    assert [why.split(":")[0][:30] for _, _, why in file.report.faults][:1] == [
        "the same number as in line 4"[:30]
    ]
    assert the(context, "+441134960400") is None
    bad = b"".join(number_files.faults_of(context, file.id)).decode("utf-8-sig").splitlines()
    assert len(bad) == 5
    assert bad[0].endswith("line,why not")


def test_a_file_is_brought_in_by_a_work_order_and_again_changes_nothing(context, installation):
    file = receive(context)
    order = number_files.begin(context, file.id)
    assert number_files.begin(context, file.id).id == order.id
    until_quiet(installation)
    done = number_files.get(context, file.id)
    assert (done.state, done.done.new, order_views.view_order(context, order.id).order.state) == (
        "done",
        3,
        OrderState.DONE,
    )
    held = the(context, "+441134960401")
    assert (held.holder.id, held.label, held.assignment.role) == (
        "person-ifeoma-okafor",
        "second desk",
        "extra",
    )
    again = receive(context, "\n".join(ROWS.splitlines()[:4]))
    assert (again.report.new, again.report.same, again.report.changed) == (0, 3, 0)
    with pytest.raises(NotAllowedNow):
        number_files.begin(context, again.id)


def test_small_facts_of_known_numbers_are_taken_over(context, installation):
    text = 'number,label,tags,known as Assets\n0113 496 0160,till 4,"shop, till",A-17\n'
    file = receive(context, text)
    file = number_files.settle_columns(context, file.id, file.mapping, {"site": "Wharf House"})
    assert (file.report.changed, file.report.bad) == (1, 0)
    number_files.begin(context, file.id)
    until_quiet(installation)
    number = the(context, "+441134960160")
    assert (number.label, number.tags, number.known_as) == (
        "till 4",
        ("shop", "till"),
        {"assets": "A-17"},
    )
    assert [hit for _, rows in numbers.find(context, "A-17").groups for hit in rows][0][
        3
    ] == "+441134960160"


def test_columns_are_said_once_and_remembered(context):
    file = receive(context, "A;B\n0113 496 0400;Wharf House\n")
    assert (file.state, file.mapping) == ("new", {})
    with pytest.raises(NotUnderstood):
        number_files.settle_columns(context, file.id, {"site": 1}, {})
    file = number_files.settle_columns(
        context, file.id, {"number": 0, "site": 1}, {"account": "Fellgate Voice, Leeds"}
    )
    assert file.report.new == 1
    assert receive(context, "A;B\n0113 496 0404;Canal Museum\n").report.new == 1


def test_a_spreadsheet_and_a_broken_file(context):
    book = openpyxl.Workbook()
    book.active.append(["Number", "Site"])
    book.active.append([441134960400, "Wharf House"])
    out = io.BytesIO()
    book.save(out)
    assert receive(context, out.getvalue(), "numbers.xlsx").report.new == 1
    for data in (b"", b"PK\x03\x04nonsense", b"\x00\x01\x02"):
        with pytest.raises(NotUnderstood):
            receive(context, data)


def test_a_large_file_goes_on_by_itself_and_can_be_broken_off(context, installation):
    """The dry run in slices by the runner; bringing in taken up by another process where it had
    come to."""
    numbers_ = (
        [f"+44113496{n:04d}" for n in range(400, 1000)]
        + [f"+44151496{n:04d}" for n in range(1000)]
        + [f"+44161496{n:04d}" for n in range(1000)]
    )
    numbers_ += [f"+44141496{n:04d}" for n in range(900)]
    file = receive(
        context,
        "number,site,carrier\n" + "".join(f"{n},Wharf House,Fellgate Voice\n" for n in numbers_),
    )
    assert file.state == "reading"
    while number_files.get(context, file.id).state == "reading":
        runner.tick(installation)
    assert number_files.get(context, file.id).report.new == 3500
    order = number_files.begin(context, file.id)
    number_files.bring_in_more(
        context, file.id, work_order=order.id, reason="", seconds=0, chunk_rows=500, chunks=3
    )
    assert number_files.get(context, file.id).done.rows == 1500
    installation.process.under_way(
        number_files.BRINGING
    ).clear()  # the process has died: nothing but the database is left
    until_quiet(installation)
    assert number_files.get(context, file.id).done.rows == 3500
    assert estate.counts_of(context, Filter()).total == 3780


def test_what_is_shown_leaves_as_csv_spreadsheet_and_json_and_comes_back_the_same(context):
    numbers.edit_facts(context, "+441134960160", label="=1+1", tags="-x", note="+ it is")
    wanted = Filter(site="wharf-house")
    shown = columns.chosen(
        "number,e164,state,holder,site,label,price,tags,cost_centre,note,carrier", context.who.role
    )
    text = b"".join(number_export.numbers(context, "csv", wanted, shown))
    total = estate.counts_of(context, wanted).total
    assert len(text.decode("utf-8-sig").splitlines()) == total + 1
    rows = json.loads(b"".join(number_export.numbers(context, "json", wanted, shown)))
    assert len(rows) == total
    book = openpyxl.load_workbook(
        io.BytesIO(b"".join(number_export.numbers(context, "xlsx", wanted, shown)))
    )
    assert book.active.max_row == total + 1
    back = receive(context, text)
    assert (back.report.new, back.report.changed, back.report.bad, back.report.faults) == (
        0,
        0,
        0,
        (),
    )
    assert back.report.same == total
    with pytest.raises(NotUnderstood):
        number_export.numbers(context, "pdf", wanted, shown)


# ── taking over ──


def test_the_untidy_files_become_one_work_order(context, installation):
    """Sittings are kept; words are settled once for all rows; what is still open is left out;
    people come before their numbers."""
    one = take_over.begin_with_untidy_files(context)
    assert sum(f.rows for f in one.files) == 1200
    first = take_over.view_sitting(context, one.id).sheet
    assert {q.ask for q in first.questions} >= {
        Ask.SITE,
        Ask.SPOT,
        Ask.NUMBER,
        Ask.WHO,
        Ask.TWICE,
        Ask.MAIL,
        Ask.LICENCE,
    }
    with pytest.raises(NotAllowedNow):
        take_over.make_order(context, one.id)
    for question in first.questions:
        if question.is_word:
            take_over.settle_word(
                context, one.id, question.ask.value, question.word, question.choices[0][0]
            )
    second = take_over.view_sitting(context, one.id).sheet
    assert not any(q.is_word for q in second.questions)
    assert len(second.numbers) > len(first.numbers) > 200
    while take_over.view_sitting(context, one.id).sheet.questions:
        take_over.leave_open_ones(context, one.id)
    order = take_over.make_order(context, one.id)
    assert take_over.make_order(context, one.id).id == order.id
    kinds = [x.body.kind for x in order.tasks]
    assert kinds.count("adopt_number") == len(take_over.view_sitting(context, one.id).sheet.numbers)
    added = {x.body.id: x.position for x in order.tasks if x.body.kind == "add_person"}
    for stored in order.tasks:
        if (
            stored.body.kind == "adopt_number"
            and stored.body.holder
            and stored.body.holder.id in added
        ):
            assert added[stored.body.holder.id] in stored.after
    with pytest.raises(NotAllowedNow):
        take_over.settle_word(context, one.id, "site", "x", "y")


def test_a_small_take_over_runs_to_the_end(context, installation):
    one = take_over.begin(context, "Corner shop")
    text = (
        "Name,Mail,Phone,Location,Place\nCy Vale,cy.vale@old.example,0113 496 0700,Wharf"
        ' House,"ground floor, reception"\n,,0113 496 0701,WHF,\n'
    )
    take_over.add_file(context, one.id, "shop.csv", io.BytesIO(text.encode()))
    assert take_over.view_sitting(context, one.id).sheet.questions == []
    order = take_over.make_order(context, one.id)
    order_running.run(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    number, free = the(context, "+441134960700"), the(context, "+441134960701")
    assert (number.state, number.holder.id, number.assignment.role, free.state) == (
        State.ASSIGNED,
        "person-cy-vale",
        "main",
        State.AVAILABLE,
    )
    with context.reading() as reading:
        person = reading.records.the(Person, "person-cy-vale")
    assert (person.name, person.spot) == ("Cy Vale", number.spot)
    order_running.undo(context, order.id)
    until_quiet(installation)
    assert the(context, "+441134960700").state is State.CLOSED
    assert (
        estate.list_numbers(context, Filter(search=numbers.meant(context, "0113 496 0700"))).rows
        == []
    )
    with context.reading() as reading:
        assert reading.records.the(Person, "person-cy-vale").left


# ── other systems ──


def test_ids_of_other_systems_are_noted_found_and_forgotten(context):
    external_ids.note(context, "number", "0113 496 0100", "Assets", "A-100")
    external_ids.note(context, "site", "WHF", "Assets", "S-1")
    external_ids.note(context, "area", "Leeds", "Billing", "LS")
    external_ids.note(context, "spot", "whf-001-k", "Alarms", "P7")
    assert [(k.kind, k.name, k.value) for k in external_ids.list_ids(context)] == [
        ("spot", "ground floor, reception", "P7"),
        ("number", "0113 496 0100", "A-100"),
        ("site", "Wharf House", "S-1"),
        ("area", "Leeds", "LS"),
    ]
    assert external_ids.list_ids(context, find="a-1", system="Assets")[0].ref == "+441134960100"
    assert "S-1" in b"".join(external_ids.exported(context)).decode()
    found = {heading: rows[0][3] for heading, rows in numbers.find(context, "S-1").groups}
    assert found["Sites"] == "wharf-house"
    external_ids.note(context, "site", "WHF", "Assets", "")
    assert external_ids.list_ids(context, kind="site") == []
    for kind, which in (("lamp", "x"), ("site", "moon"), ("area", "moon"), ("number", "x")):
        with pytest.raises((NotUnderstood, NotFound)):
            external_ids.note(context, kind, which, "Assets", "1")


def test_the_finder_knows_extensions_tags_spots_and_work_orders(context):
    def headings(text):
        return {
            heading: [row[0] for row in rows]
            for heading, rows in numbers.find(context, text).groups
        }

    assert any("extension 142" in one for one in headings("142")["People"])
    assert "Several numbers" in headings("0113 496 0142, 0113 496 0150 and 0113 496 0999")
    numbers.edit_facts(context, "+441134960160", tags="Lifts, alarm")
    assert headings("lifts")["Tags"] == ["lifts"]
    assert headings("reception")["Emergency spots"]
    assert set(headings("Reserve 0113")) <= {"Work orders", "Numbers"}


def test_tags_are_counted_among_what_the_other_filters_leave(context):
    with context.writing() as writing:
        records = {
            n.e164: n
            for n in writing.records.where(
                Number, tables.life.c.number.in_([441134960160, 441134960161, 441134960260])
            )
        }
        tagged = [
            changed(Subject.NUMBER, n, n.copy_with(tags=("lift",)), "number.labelled")
            for n in records.values()
        ]
        writing.save(tagged)
    assert dict(estate.tags(context, Filter()))["lift"] == 3
    assert (
        dict(estate.tags(context, Filter(site="wharf-house", tag="nothing of the kind")))["lift"]
        == 2
    )
    search = numbers.meant(context, "*0260")
    assert dict(estate.tags(context, Filter(search=search)))["lift"] == 1


@pytest.mark.parametrize("left", [0.4, 0.999, 1])
def test_kept_rows_that_were_cut_off_are_not_taken_for_the_whole_file(context, left):
    """What the dry run kept is a help; the file is what counts."""
    from sedge.services.imports import file_rows

    rows = "".join(
        f"+44113{5000000 + n},available,Wharf House,Fellgate Voice,0.80\n" for n in range(12_000)
    )
    file = number_files.receive(
        context, "large.csv", io.BytesIO(b"Number,State,Site,Carrier,A month\n" + rows.encode())
    )
    while file.state is FileState.READING:
        file = number_files.read_on(context, file)
    kept = file_rows.kept_of(context, file)
    kept.write_bytes(kept.read_bytes()[: int(kept.stat().st_size * left)])
    while file.state is not FileState.DONE:
        file = number_files.bring_in_more(context, file.id, work_order="wo", reason="")
    assert (file.report.rows, file.done.rows, file.done.new) == (12_000, 12_000, file.report.new)
    assert file.done.new > 0
    assert not kept.exists()


# ── as it stood ──


def test_what_stood_on_a_day_is_counted_by_the_same_filters_as_its_rows(context):
    then = context.now() - timedelta(days=200)
    whole = estate.list_numbers(context, Filter(), at=then, limit=500)
    assert len(whole.rows) == whole.counts.total == whole.counts.of > 100
    holder = next(row.number.holder for row in whole.rows if row.number.holder)
    narrowed = (
        Filter(state="aging"),
        Filter(site="wharf-house", holder_kind="person"),
        Filter(holder=holder),
        Filter(search=numbers.meant(context, "*0142")),
    )
    for wanted in narrowed:
        found = estate.list_numbers(context, wanted, at=then, limit=500)
        assert 0 < len(found.rows) == found.counts.total < whole.counts.total == found.counts.of
        assert estate.counts_of(context, wanted, then) == found.counts


def test_what_comes_later_on_the_same_day_is_not_counted(installation, context):
    number, then = "+441134960160", context.now()
    installation.clock.advance(timedelta(minutes=5))
    apply_at_once(context, [t.SetAside(number=number, reason="test line")])
    before, after = (
        estate.counts_of(context, Filter(), at).values["state"]["administrative"]
        for at in (then, context.now())
    )
    assert (before, after) == (before, before + 1)
    assert len(estate.list_numbers(context, Filter(state="administrative"), at=then).rows) == before


@pytest.mark.parametrize(
    "wanted", [Filter(kind="mobile"), Filter(tag="lift"), Filter(attention=True)]
)
def test_a_filter_that_the_past_cannot_answer_is_named_and_not_passed_over(context, wanted):
    with pytest.raises(NotUnderstood, match="Take that filter off"):
        estate.list_numbers(context, wanted, at=context.now() - timedelta(days=200))
