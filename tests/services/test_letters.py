"""Letters: own words per kind and language, refused where they refer to nothing, seen as real
letters, never lost."""

from datetime import timedelta

import pytest

from sedge.core.errors import ChangedMeanwhile, NotUnderstood
from sedge.core.workorders import tasks as t
from sedge.formats.letters import KINDS, LANGUAGES, LetterText, drawn, own
from sedge.services import letters
from sedge.services.workorders import order_running
from tests.asserting import every
from tests.conftest import until_quiet
from tests.services.test_work_orders import OTHER, newcomer, ref

MINE = LetterText(
    "holder",
    "en",
    "Hello {{ name }}",
    "{% for n in held %}{{ n.national }} {% endfor %}",
    "<p>{{ name }}</p>",
)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("language", LANGUAGES)
def test_sedges_own_words_draw_in_every_language(kind, language):
    letter = drawn(own(kind, language), letters.SAMPLE[kind])
    assert letter.subject
    assert "0113 496 0142" in letter.text
    assert "0113 496 0142" in letter.html
    assert "{" not in letter.subject + letter.text + letter.html
    assert "\n\n\n" not in letter.text


def test_the_organisations_words_reach_people_as_text_and_html(installation, context):
    letters.keep_letter(context, MINE, 0)
    person = newcomer(context)
    order_running.run_now(context, "joiner", [t.AssignNumber(number=OTHER, holder=ref(person))])
    until_quiet(installation, timedelta(minutes=20))
    mail = next(m for m in installation.outside.mail.mailbox() if m["to"] == person.email)
    assert (mail["subject"], mail["text"].strip(), mail["html"]) == (
        f"Hello {person.name}",
        "0113 496 0160",
        f"<p>{person.name}</p>",
    )


def test_the_summary_lists_everybody_of_the_batch(installation, context):
    people = [newcomer(context), newcomer(context, 1)]
    order_running.run_now(
        context,
        "two",
        [
            t.AssignNumber(number=n, holder=ref(p))
            for n, p in zip((OTHER, "+441134960162"), people, strict=True)
        ],
    )
    until_quiet(installation, timedelta(minutes=20))
    summary = next(
        m for m in installation.outside.mail.mailbox() if m["subject"].endswith("is done: two")
    )
    assert every(f"{p.name}: 0113 496 016" in summary["text"] for p in people)


@pytest.mark.parametrize(
    ("part", "value", "says"),
    [
        ("text", "Dear {{ nmae }}", "refers to nothing"),
        ("text", "{% if %}", "can't be read"),
        ("subject", "", "subject"),
        ("text", " ", "text"),
        ("html", "{{ held.x.y }}", "nothing"),
        ("text", "{{ 'x' * 1000000000 }}", "not for emails"),
        ("text", "{{ ''.__class__.__mro__ }}", "drawn"),
        ("text", "x" * 20_001, "20,000"),
        ("subject", "{% for i in range(10000000) %}{% endfor %}", "refers to nothing"),
    ],
)
def test_a_text_that_refers_to_nothing_or_does_harm_is_refused_by_its_field(
    context, part, value, says
):
    with pytest.raises(NotUnderstood, match=says) as raised:
        letters.keep_letter(context, LetterText(**{**MINE.__dict__, part: value}), 0)
    assert raised.value.field == part
    assert letters.view_letter(context, "holder", "en").version == 0


def test_of_two_who_change_a_text_one_is_told(context):
    letters.keep_letter(context, MINE, 0)
    with pytest.raises(ChangedMeanwhile):
        letters.keep_letter(context, MINE, 0)
    assert letters.back_to_own(context, "holder", "en").version == 0


def test_it_is_seen_with_the_people_of_a_real_work_order(installation, context):
    person = newcomer(context)
    order = order_running.run_now(
        context, "joiner", [t.AssignNumber(number=OTHER, holder=ref(person))]
    )
    until_quiet(installation, timedelta(minutes=20))
    assert person.name in letters.preview(context, own("holder", "en"), str(order.no)).text
    with pytest.raises(NotUnderstood):
        letters.preview(context, LetterText("poem", "en", "", ""), "")


def test_a_name_can_not_bring_markup_into_the_html():
    letter = drawn(MINE, {**letters.SAMPLE["holder"], "name": "<script>x</script>"})
    assert "<script>" not in letter.html
