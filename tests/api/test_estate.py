"""The estate through the API: narrowing, counting, pasting, past days, views, files, take-overs,
other systems' ids."""

import pytest

from tests.asserting import every

TOKEN = {"Authorization": "Bearer demo"}
CSV = (
    "Telephone,Status,Location,Provider,Purpose,Price\n0113 496 0400,free,Wharf House,Fellgate"
    " Voice,till,0.80\n0113 496 99,free,Wharf House,Fellgate Voice,,0.80\n"
)


@pytest.fixture
def api(client):
    class Api:
        def get(self, path, status=200, **asked):
            answer = client.get(f"/api/v1{path}", params=asked, headers=TOKEN)
            assert answer.status_code == status, answer.text
            return answer.json()

        def send(self, path, body=None, status=200, method="POST", **asked):
            data = {"content": body} if isinstance(body, bytes) else {"json": body}
            answer = client.request(method, f"/api/v1{path}", params=asked, headers=TOKEN, **data)
            assert answer.status_code == status, answer.text
            return answer.json() if answer.content else None

    return Api()


def test_counts_say_what_each_further_filter_would_leave(api):
    found = api.get("/numbers/counts", site="wharf-house")
    for state, n in found["by"]["state"].items():
        assert len(api.get("/numbers", site="wharf-house", state=state, limit=500)["items"]) == n
    assert found["whole"]
    searched = api.get("/numbers/counts", find="okafor")
    assert searched["total"] == len(api.get("/numbers", find="okafor")["items"]) > 0


def test_pages_follow_each_other_in_any_order(api):
    seen, after = [], ""
    while after is not None:
        page = api.get("/numbers", sort="-label", limit=60, after=after)
        seen += [n["e164"] for n in page["items"]]
        after = page["next"]
    assert len(seen) == len(set(seen)) == 280


@pytest.mark.parametrize(
    ("path", "asked", "field"),
    [
        ("/numbers", {"sort": "colour"}, "sort"),
        ("/numbers", {"held_by": "ghost"}, "held_by"),
        ("/numbers", {"numbers": "12"}, "numbers"),
        ("/numbers", {"after": "x~y"}, "after"),
        ("/numbers", {"at": "2026-03-12T12:00:00"}, "at"),
        ("/blocks", {"within": "44x13"}, "within"),
        (
            "/numbers/differences",
            {"one": "2026-03-12T12:00:00Z", "other": "2026-03-11T12:00:00Z"},
            "other",
        ),
        ("/exports/numbers.pdf", {}, "form"),
    ],
)
def test_what_cant_be_used_names_its_field(api, path, asked, field):
    assert api.get(path, 422, **asked)["field"] == field


def test_a_pasted_text_says_what_is_ours_unknown_and_unread(api):
    found = api.send(
        "/numbers/pasted", {"text": "0113 496 0160-0164; 0113 496 0999 and 999999999999"}
    )
    assert (found["numbers"], found["unknown"], found["unread"]) == (
        "441134960160-64,441134960999",
        "441134960999",
        ["999999999999"],
    )
    assert sum(found["by_state"].values()) == 5


def test_blocks_and_their_cells_as_they_stood(api):
    now = api.get("/blocks", site="wharf-house", cells=True)["items"]
    then = api.get("/blocks", site="wharf-house", cells=True, at="2026-06-01T12:00:00Z")["items"]
    assert {b["block"] for b in then} <= {b["block"] for b in now}
    assert every(
        len(b["cells"]) == b["numbers"] == sum(b["by_state"].values()) for b in (*now, *then)
    )
    assert api.get("/blocks", by_area=True)["items"][0]["area"] == "Leeds"


def test_figures_come_with_their_inputs(api):
    for figure in api.get("/figures", site="wharf-house")["items"]:
        assert len(figure["demand"]) == 6
        assert figure["advice"]["available"] == figure["by_state"].get("available", 0)
    assert api.get("/figures", 404, site="moon")["code"] == "not-found"


def test_views_are_kept_and_forgotten(api):
    view = api.send("/views", {"name": "Shop", "query": "tag=shop"}, 201)
    assert api.get("/views")["items"][0]["query"] == "tag=shop"
    api.send(f"/views/{view['id']}", method="DELETE", status=204)
    assert api.get("/views")["items"] == []
    api.send(f"/views/{view['id']}", method="DELETE", status=404)


def test_a_file_is_looked_through_and_then_brought_in(api, client):
    found = api.send("/imports/numbers", CSV.encode(), dry_run=True, name="till.csv")
    assert (found["found"]["new"], found["found"]["bad"], found["work_order"]) == (1, 1, None)
    assert "no such number in service" in found["found"]["faults"][0]["why"]
    begun = api.send(f"/imports/numbers/{found['id']}/begin")
    assert begun["work_order"]
    assert api.get(f"/imports/numbers/{found['id']}")["state"] == "bringing in"
    assert api.send("/imports/numbers", b"", status=422)["field"] == "file"
    out = client.get(
        "/api/v1/exports/numbers.csv",
        params={"state": "reserved", "show": "number,label"},
        headers=TOKEN,
    ).text
    assert out.splitlines()[0].endswith("Number,Label")


def test_a_take_over_is_asked_about_and_becomes_a_work_order(api):
    one = api.send("/take-overs", {"name": "Corner shop"}, 201)
    text = (
        b"Name,Mail,Phone,Location\nCy Vale,cy.vale@old.example,0113 496 0700,Wharf Hse\n,,0113"
        b" 49,Wharf House\n"
    )
    sheet = api.send(f"/take-overs/{one['id']}/files", text, 201, name="shop.csv")
    assert [q["ask"] for q in sheet["questions"]] == ["site", "number"]
    assert api.send(f"/take-overs/{one['id']}/order", status=409)["reason"] == "open"
    api.send(
        f"/take-overs/{one['id']}/words",
        {"ask": "site", "word": "wharf hse", "meaning": "wharf-house"},
    )
    sheet = api.send(f"/take-overs/{one['id']}/rows", {"rows": [[0, 3]], "said": {"leave": "yes"}})
    assert (sheet["questions"], [n["holder"] for n in sheet["numbers"]], sheet["left_out"]) == (
        [],
        ["Cy Vale"],
        1,
    )
    assert (
        api.send(
            f"/take-overs/{one['id']}/rows", {"rows": [[0, 2]], "said": {"colour": "red"}}, 422
        )["field"]
        == "said"
    )
    assert api.send(f"/take-overs/{one['id']}/order", status=201)["tasks"] == 2
    assert api.get("/take-overs")["items"][0]["state"] == "done"


def test_ids_of_other_systems_are_noted_and_found(api):
    api.send("/known-elsewhere", {"kind": "site", "which": "WHF", "system": "Assets", "id": "S-1"})
    assert api.get("/known-elsewhere", find="s-")["items"][0]["ref"] == "wharf-house"
    assert api.send("/numbers/0113 496 0160", {"known_as": {"Assets": "A-1"}}, method="PATCH")[
        "known_as"
    ] == {"Assets": "A-1"}
    assert [n["e164"] for n in api.get("/numbers", find="A-1")["items"]] == ["+441134960160"]
    assert (
        api.send("/known-elsewhere", {"kind": "lamp", "which": "x", "system": "y", "id": "z"}, 422)[
            "field"
        ]
        == "kind"
    )
