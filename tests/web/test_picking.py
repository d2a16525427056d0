"""Fields that pick several people out of many: what is found as one types, and the order that is
kept."""

import re


def found(rowan, who, by="id"):
    page = rowan.get("/choose/people", params={"who": who, "by": by}).text
    return re.findall(r'data-value="([^"]+)" data-name="([^"]+)" data-detail="([^"]*)"', page)


def test_people_are_found_by_name_extension_and_department_whatever_their_site(reader):
    assert ("person-ifeoma-okafor", "Ifeoma Okafor", "100, Collections") in found(reader, "okaf")
    assert [name for _, name, _ in found(reader, "176")] == ["Yusra Pettigrew"]
    departments = {detail.partition(", ")[2] for _, _, detail in found(reader, "conservation")}
    assert departments == {"Conservation"}


def test_they_can_be_picked_by_their_mail_address(reader):
    picked = [value for value, _, _ in found(reader, "okafor", by="email")]
    assert "ifeoma.okafor@lanternfield.example" in picked


def test_nothing_typed_finds_nobody(reader):
    assert found(reader, "  ") == []


def test_members_come_from_the_field_in_its_order_and_then_from_the_pasted_list(rowan):
    members = ["viggo.okafor@lanternfield.example", "bram.okafor@lanternfield.example"]
    pasted = "Ifeoma Okafor\nbram.okafor@lanternfield.example\n"
    answer = rowan.post("/holders/groups", data={"name": "Three", "members": [*members, pasted]})
    assert answer.status_code == 303
    number = answer.headers["location"].rpartition("/")[2]
    order = rowan.get(f"/api/v1/work-orders/{number}", headers={"Authorization": "Bearer demo"})
    assert order.json()["tasks"][0]["members"] == [
        "person-viggo-okafor",
        "person-bram-okafor",
        "person-ifeoma-okafor",
    ]


def test_two_colleagues_who_may_pick_up_stay_two_when_the_form_is_sent_again(rowan):
    page = "/holders/people/person-ifeoma-okafor/answering"
    picked = ["viggo.okafor@lanternfield.example", "bram.okafor@lanternfield.example"]
    for _ in range(2):
        answer = rowan.post(
            page,
            data={"ring_seconds": "20", "then": "mailbox", "pickup": picked, "now": "1"},
        )
        assert answer.status_code == 303, answer.text
        shown = rowan.get(page).text.partition('name="pickup"')[2].partition("</select>")[0]
        picked = re.findall(r'value="([^"]+)"[^>]*selected', shown)
        assert sorted(picked) == [
            "bram.okafor@lanternfield.example",
            "viggo.okafor@lanternfield.example",
        ]


def test_without_scripts_more_people_are_typed(reader):
    page = reader.get("/holders/people/person-ifeoma-okafor/answering").text
    plainly = page.partition("<noscript>")[2].partition("</noscript>")[0]
    assert 'name="pickup"' in plainly
