"""The pages of safety as forms without JavaScript: what they do, what they say when something is
wrong, who they let in."""

import re

import pytest

from tests.conftest import in_one_line
from tests.web.test_forms import refused, sent

PNG = b"\x89PNG\r\n\x1a\n" + b"\0" * 40


def shown(client, address):
    answer = client.get(address)
    assert answer.status_code == 200, answer.text
    return answer.text


def test_a_spots_words_are_changed_and_a_wrong_one_named(rowan):
    assert (
        sent(
            rowan,
            "/safety/spots/WHF-001-K",
            name="front door",
            floor="ground floor",
            room="reception",
            note="bell on the left",
        )
        == "/safety/spots/WHF-001-K"
    )
    assert "bell on the left" in shown(rowan, "/safety/spots/WHF-001-K")
    field, words = refused(rowan, "/safety/spots/WHF-001-K", floor="ground floor", room="")
    assert (field, "Say the room" in words) == ("room", True)


def test_a_spot_in_use_is_not_taken_away(rowan):
    _, words = refused(rowan, f"/safety/spots/{spot_of(rowan, '1st floor, room 1.04')}/remove")
    assert "Move them first" in words


def spot_of(rowan, name):
    found = re.search(
        rf'href="/safety/spots/([A-Z0-9-]+)">{re.escape(name)}<',
        shown(rowan, "/safety?site=wharf-house"),
    )
    assert found
    return found[1]


def test_an_address_is_judged_part_by_part(rowan):
    exact = shown(
        rowan,
        "/safety/address?country=GB&house_number=12&street=lanternfield+whf&city=leeds"
        "&postcode=ls14zz",
    )
    assert "<b>Exact.</b>" in exact
    corrected = shown(
        rowan,
        "/safety/address?country=DE&house_number=8&street=Speichrufer&city=Berlin&postcode=10999",
    )
    assert "<b>Corrected.</b>" in corrected
    assert "Speichrufer" in corrected
    guess = shown(
        rowan,
        "/safety/address?country=GB&house_number=12&street=Lanternfield+Street&city=Leeds"
        "&postcode=LS1+4ZZ",
    )
    assert "never sent to a guess" in guess
    assert "/safety/address?country=GB&amp;house_number=12&amp;street=Lanternfield+Wharf" in guess
    box = shown(
        rowan,
        "/safety/address?country=GB&house_number=12&street=PO+Box+9&city=Leeds&postcode=LS1+4ZZ",
    )
    assert "post box is no place" in box


@pytest.mark.parametrize("country", ["GB", "DE", "FR", "US", "CA", "AU"])
def test_each_country_has_its_own_form_for_a_new_site(rowan, country):
    page = shown(rowan, f"/holders/new/site?country={country}")
    assert f'name="country" value="{country}"' in page
    assert ("Postleitzahl" in page) == (country == "DE")


def test_a_floor_plan_goes_up_and_comes_back_as_a_picture_only(rowan):
    put = rowan.post(
        "/safety/plans/wharf-house",
        data={"floor": "1st floor"},
        files={"file": ("plan.html", PNG, "text/html")},
    )
    assert put.status_code == 303
    picture = rowan.get("/safety/plans/wharf-house/picture?floor=1st+floor")
    assert (picture.headers["content-type"], picture.content) == ("image/png", PNG)
    bad = rowan.post(
        "/safety/plans/wharf-house",
        data={"floor": "1st floor"},
        files={"file": ("plan.png", b"<script>", "image/png")},
        headers={"HX-Request": "true"},
    )
    assert bad.status_code == 422
    assert rowan.get("/safety/plans/wharf-house/picture?floor=9th").status_code == 404


def test_everybody_shown_is_moved_at_once(rowan):
    to = spot_of(rowan, "3rd floor, workshop")
    draft = sent(rowan, "/safety/move", to=to, everybody="1", site="wharf-house", spot="WHF-001-K")
    assert re.search(r"Move \d+ people to 3rd floor, workshop", shown(rowan, draft))
    assert refused(rowan, "/safety/move", to="", everybody="1", site="wharf-house")[0] == "to"
    assert (
        refused(rowan, "/safety/move", to="WHF-001-L", everybody="1", site="wharf-house")[0] == "to"
    )


def test_spots_out_and_in_as_a_file(rowan):
    out = rowan.get("/safety/files/spots.csv")
    assert out.headers["content-type"].startswith("text/csv")
    look = rowan.post(
        "/safety/files",
        data={"only_look": "1"},
        files={"file": ("spots.csv", out.content, "text/csv")},
    )
    assert "0 new, 0 changed" in in_one_line(look.text)
    fresh = "site,floor,room\r\nWharf House,2nd floor,room 2.77\r\n"
    done = rowan.post("/safety/files", files={"file": ("spots.csv", fresh.encode(), "text/csv")})
    assert "Done: 1 new" in in_one_line(done.text)
    assert "room 2.77" in shown(rowan, "/safety?site=wharf-house")
    bad = rowan.post(
        "/safety/files",
        files={"file": ("x.csv", b"\xff\xfe", "text/csv")},
        headers={"HX-Request": "true"},
    )
    assert bad.status_code == 422


def test_a_link_without_an_account_shows_its_page_and_works_once(rowan, client):
    page = rowan.post("/safety/spots/WHF-001-K/link", data={"to": ""}).text
    link = re.search(r'data-copy="[^"]*(/confirm/[^"]+)"', page)[1]
    rowan.post("/sign-out")
    assert "Is this address right?" in client.get(link).text
    done = client.post(
        link, data={"right": "no", "name": "Pat Porter", "note": "the desk has moved"}
    )
    assert "check it today" in done.text
    assert client.get(link).status_code == 404
    assert client.get("/confirm/lanternfield.nothing").status_code == 404


def test_reports_and_registrations_have_their_pages(rowan):
    report = sent(rowan, "/safety/tests", site="canal-museum")
    assert "21 of" in shown(rowan, report)
    assert rowan.get(f"{report}/report.csv").text.startswith("number,holder,site")
    assert rowan.get(f"{report}/report.pdf").content.startswith(b"%PDF")
    assert "as Sedge says them" in shown(rowan, "/safety/registered?carrier=brackwater")
    assert (
        "The register has all 5"
        in rowan.post(
            "/safety/addresses/recheck", headers={"HX-Request": "true", "HX-Target": "rechecked"}
        ).text
    )
    assert (
        rowan.get("/safety/numbers/441134960100/pidf-lo.xml")
        .headers["content-type"]
        .startswith("application/pidf+xml")
    )


def test_where_nobody_is_yet_nothing_is_said_to_be_in_order(rowan):
    asked = {"name": "Reedbed Archive", "country": "GB", "token": "empty", "what": "look"}
    rowan.post("/organisations/new", data=asked)
    assert rowan.post("/organisations/new", data=asked | {"what": "create"}).status_code == 303
    page = rowan.get("/safety").text
    assert "good enough to send responders to" not in page
    assert "No site yet" in page
    assert 'href="/holders/new/site"' in page
    assert "none in use" not in rowan.get("/numbers").text
