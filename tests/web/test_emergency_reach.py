"""Emergency reach on its page, through the interface, and on Today."""

from sedge.services.today.today import todo
from sedge.services.trunks import trunks


def test_every_site_of_the_demo_reaches_help(api):
    found = api.get("emergency-matrix").json()["items"]
    assert {c["hole"] for c in found} == {None}
    assert {c["holder"] for c in found} == {"person", "service_line", "site", "downstream"}
    wharf = next(c for c in found if c["site"] == "wharf-house")
    assert (wharf["digits"], wharf["without_prefix"], wharf["with_prefix"]) == ("999", True, True)
    assert wharf["trunk"]


def test_a_hole_is_told_on_the_page_and_on_today(installation, context):
    from sedge.services import simulation_clock
    from sedge.services.outbound import emergency_reach

    control = simulation_clock.control_of(installation)
    known = trunks.plain(context)
    for trunk in known:
        control.set_trunk(trunk.id, up=False)
    trunks.refresh(context)
    holes = [row for row in emergency_reach.rows(context) if row.holes]
    assert len(holes) == len(emergency_reach.rows(context))
    assert any("can't reach the emergency services" in line.what for line in todo(context))
    for trunk in known:
        control.set_trunk(trunk.id, up=True)
    trunks.refresh(context)
    assert not [row for row in emergency_reach.rows(context) if row.holes]


def test_the_page_shows_the_trunks_in_their_turn(reader):
    html = reader.get("/safety/reach").text
    assert "Leeds A" in html
    assert "9 999" in html
